// A tone curve: points from dark to light, over how often each tone comes.
import { drag } from "../page/drag.js";
import { ask } from "./edits.js";
import { svg } from "../page/svg.js";
import { grasp, moved, sorted } from "./points.js";

export class Curve {
  constructor(element) {
    this.element = element;
    this.sheet = element.querySelector("svg");
    this.channel = "value";
    this.sheet.addEventListener("pointerdown", (event) => this.#press(event));
    element.addEventListener("click", (event) => {
      const button = event.target.closest("[data-channel]");
      if (!button) return;
      this.channel = button.dataset.channel;
      for (const each of element.querySelectorAll("[data-channel]")) each.setAttribute("aria-pressed", String(each === button));
      this.#draw();
    });
    this.refresh();
    if (!element.dataset.address) return;
    ask(element.dataset.address).then((found) => {
      this.counts = found?.counts;
      this.#draw();
    });
  }

  refresh() {
    this.points = JSON.parse(this.element.dataset.points);
    this.drawn = JSON.parse(this.element.dataset.drawn);
    this.#draw();
  }

  get #line() {
    const own = this.points[this.channel];
    return own.length ? own : [[0, 0], [1, 1]];
  }

  #draw() {
    const at = ([x, y]) => [x * 100, 100 - y * 100];
    const line = sorted(this.#line);
    // While a point is dragged straight lines stand in; the curve itself comes from the server.
    const known = this.drawn?.[this.channel];
    const path = (known ? known.map((y, n) => [n / (known.length - 1), y]) : [[0, line[0][1]], ...line, [1, line.at(-1)[1]]]).map(at);
    const bars = (this.counts ?? []).map((count, n) => svg("rect", { class: "bar", x: (n * 100) / 64, y: 100 - count * 100, width: 100 / 64, height: count * 100 }));
    this.sheet.replaceChildren(
      ...bars,
      svg("rect", { class: "box", x: 0, y: 0, width: 100, height: 100 }),
      svg("polyline", { class: "curve-line", points: path.map((p) => p.join(",")).join(" ") }),
      ...line.map((point) => svg("circle", { cx: at(point)[0], cy: at(point)[1], r: 3.2 })),
    );
  }

  #press(event) {
    const box = this.sheet.getBoundingClientRect();
    const to = (e) => [((e.clientX - box.left) / box.width) * 1.12 - 0.06, 1.06 - ((e.clientY - box.top) / box.height) * 1.12];
    const start = to(event);
    const { points, n } = grasp(this.#line, start);
    const before = this.points[this.channel];
    const set = ({ event: e }) => {
      this.points[this.channel] = moved(points, n, to(e));
      this.drawn = null;
      this.#draw();
    };
    set({ event });
    const send = () => {
      this.element.dispatchEvent(new CustomEvent("curvechange", { bubbles: true, detail: { [this.channel]: sorted(this.points[this.channel]) } }));
    };
    drag(this.sheet, event, {
      move: set,
      end: send,
      cancel: () => {
        // Pressed and let go: a new point is kept, a known one is left as it was.
        if (points.length !== before.length) return send();
        this.points[this.channel] = before;
        this.#draw();
      },
    });
  }
}

/** How often each tone comes, for levels. */
export class Tones {
  constructor(sheet) {
    ask(sheet.dataset.address).then((found) => {
      sheet.replaceChildren(...(found?.counts ?? []).map((count, n) => svg("rect", { x: n, y: 30 - count * 30, width: 1, height: count * 30 })));
    });
  }
}
