// The curve of a travel: progress over time, with two handles to drag.
import { drag } from "./drag.js";
import { svg } from "./svg.js";

export class Ease {
  constructor(element) {
    this.element = element;
    this.sheet = element.querySelector("svg");
    this.refresh();
  }

  /** Show what the element says; called again when a panel was brought up to date around it. */
  refresh() {
    this.points = this.element.dataset.curve.split(" ").map(Number);
    this.#draw();
  }

  #draw() {
    const [x1, y1, x2, y2] = this.points.map((value, n) => (n % 2 ? 100 - value * 100 : value * 100));
    const handle = (n, x, y) => {
      const knob = svg("circle", { cx: x, cy: y, r: 5, tabindex: 0 });
      knob.addEventListener("pointerdown", (event) => this.#press(event, n));
      return knob;
    };
    this.sheet.replaceChildren(
      svg("rect", { class: "box", x: 0, y: 0, width: 100, height: 100 }),
      svg("line", { class: "arm", x1: 0, y1: 100, x2: x1, y2: y1 }),
      svg("line", { class: "arm", x1: 100, y1: 0, x2, y2 }),
      svg("path", { class: "curve", d: `M0 100C${x1} ${y1} ${x2} ${y2} 100 0` }),
      handle(0, x1, y1),
      handle(1, x2, y2),
    );
  }

  #press(event, n) {
    event.stopPropagation();
    const from = [...this.points];
    const perUnit = Math.min(this.sheet.clientWidth / 124, this.sheet.clientHeight / 180) * 100;
    drag({ currentTarget: this.sheet, pointerId: event.pointerId, clientX: event.clientX, clientY: event.clientY }, {
      move: ({ dx, dy }) => {
        this.points[2 * n] = Math.min(1, Math.max(0, from[2 * n] + dx / perUnit));
        this.points[2 * n + 1] = Math.min(1.4, Math.max(-0.4, from[2 * n + 1] - dy / perUnit));
        this.#draw();
      },
      end: () => this.element.dispatchEvent(new CustomEvent("easechange", { bubbles: true, detail: { framing: this.element.dataset.framing, points: this.points } })),
      cancel: () => {
        this.points = from;
        this.#draw();
      },
    });
  }
}
