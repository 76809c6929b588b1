// The curve of a travel, progress over time with two handles to drag; beside it its speed, whose
// peak is dragged left, right and up. Which curve has that peak is asked of the server.
import { drag } from "../page/drag.js";
import { svg } from "../page/svg.js";

const SPEED_AT = 118; // where the speed's field begins
const FIELD = 82;
const FASTEST = 4; // times even speed, at the top of the speed's field

export class Ease {
  constructor(element) {
    this.element = element;
    this.sheet = element.querySelector("svg");
    this.refresh();
  }

  /** Show what the element says; called again when a panel was brought up to date around it. */
  refresh() {
    const { curve, progress, speed, peak, others, verb, values } = this.element.dataset;
    this.edit = { verb, values: JSON.parse(values) };
    this.others = JSON.parse(others);
    this.points = curve ? curve.split(" ").map(Number) : null;
    this.shown = { progress: JSON.parse(progress), speed: JSON.parse(speed), peak: peak.split(" ").map(Number) };
    this.#draw();
  }

  #line(values, x0, width, y) {
    return values.map((value, n) => `${n ? "L" : "M"}${x0 + (n / (values.length - 1)) * width} ${y(value)}`).join("");
  }

  #draw() {
    const parts = [svg("rect", { class: "box", x: 0, y: 0, width: 100, height: 100 })];
    const { progress, speed, peak } = this.shown;
    for (const other of this.others) parts.push(svg("path", { class: "other", d: this.#line(other, 0, 100, (value) => 100 - value * 100) }));
    if (this.points) {
      const [x1, y1, x2, y2] = this.points.map((value, n) => (n % 2 ? 100 - value * 100 : value * 100));
      const handle = (n, x, y) => {
        const [across, up] = this.points.slice(2 * n, 2 * n + 2);
        const knob = this.#knob(n, x, y, `${n ? "Second" : "First"} handle of the ease`, `${Math.round(across * 100)} % of the time, ${Math.round(up * 100)} % of the way`);
        knob.addEventListener("pointerdown", (event) => this.#press(event, n));
        knob.addEventListener("keydown", (event) => this.#key(event, (dx, dy) => this.#move(n, this.points, dx, dy)));
        return knob;
      };
      parts.push(
        svg("line", { class: "arm", x1: 0, y1: 100, x2: x1, y2: y1 }),
        svg("line", { class: "arm", x1: 100, y1: 0, x2, y2 }),
        svg("path", { class: "curve", d: `M0 100C${x1} ${y1} ${x2} ${y2} 100 0` }),
        handle(0, x1, y1),
        handle(1, x2, y2),
      );
    } else parts.push(svg("path", { class: "curve", d: this.#line(progress, 0, 100, (value) => 100 - value * 100) }));
    parts.push(svg("text", { x: 0, y: 116 }, "progress"));
    const y = (value) => 100 - (Math.min(value, FASTEST * 1.3) / FASTEST) * 100;
    const outline = this.#line(speed, SPEED_AT, FIELD, y);
    const knob = this.#knob(2, SPEED_AT + peak[0] * FIELD, y(peak[1]), "Peak of the speed", `${peak[1].toFixed(1)} times even speed at ${Math.round(peak[0] * 100)} % of the time`);
    knob.append(svg("title", {}, "Drag the peak: when it is fastest, and how fast"));
    knob.addEventListener("keydown", (event) => this.#key(event, (dx, dy) => this.#peakTo(peak[0] + dx, peak[1] + dy * FASTEST)));
    knob.addEventListener("pointerdown", (event) => this.#pressPeak(event));
    parts.push(
      svg("rect", { class: "box", x: SPEED_AT, y: 0, width: FIELD, height: 100 }),
      svg("line", { class: "arm", x1: SPEED_AT, x2: SPEED_AT + FIELD, y1: y(1), y2: y(1) }),
      svg("path", { class: "hump", d: `${outline}L${SPEED_AT + FIELD} 100L${SPEED_AT} 100Z` }),
      knob,
      svg("text", { x: SPEED_AT + FIELD, y: 116, "text-anchor": "end" }, `${peak[1].toFixed(1)}× speed at ${Math.round(peak[0] * 100)} %`),
    );
    const held = this.sheet.contains(document.activeElement) ? document.activeElement.getAttribute("data-knob") : null;
    this.sheet.replaceChildren(...parts);
    if (held) this.sheet.querySelector(`[data-knob="${held}"]`)?.focus();
  }

  /** Something to take hold of, by the pointer or by the arrow keys. */
  #knob(n, x, y, name, says) {
    return svg("circle", { class: "knob", cx: x, cy: y, r: 5, tabindex: 0, role: "slider", "data-knob": n, "aria-label": name, "aria-valuenow": Math.round(x), "aria-valuetext": says });
  }

  #key(event, move) {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (!way) return;
    event.preventDefault();
    const step = event.shiftKey ? 0.1 : 0.02;
    move(way[0] * step, way[1] * step);
    clearTimeout(this.keeping);
    this.keeping = setTimeout(async () => {
      await this.asking;
      if (this.points) this.#keep();
    }, 200);
  }

  #move(n, from, dx, dy) {
    this.points = this.points.with(2 * n, Math.min(1, Math.max(0, from[2 * n] + dx))).with(2 * n + 1, Math.min(1.4, Math.max(-0.4, from[2 * n + 1] + dy)));
    this.#draw();
  }

  get #perUnit() {
    return Math.min(this.sheet.clientWidth / 212, this.sheet.clientHeight / 164);
  }

  #keep() {
    this.element.dispatchEvent(new CustomEvent("easechange", { bubbles: true, detail: { ...this.edit, points: this.points } }));
  }

  #press(event, n) {
    const from = [...this.points];
    const unit = this.#perUnit * 100;
    event.stopPropagation();
    drag(this.sheet, event, {
      move: ({ dx, dy }) => {
        this.#move(n, from, dx / unit, -dy / unit);
      },
      end: () => this.#keep(),
      cancel: () => this.refresh(),
    });
  }

  #pressPeak(event) {
    const [time, height] = this.shown.peak;
    const unit = this.#perUnit;
    event.stopPropagation();
    drag(this.sheet, event, {
      move: ({ dx, dy }) => this.#peakTo(time + dx / unit / FIELD, height - (dy / unit / 100) * FASTEST),
      end: async () => {
        await this.asking;
        if (this.points) this.#keep();
      },
      cancel: () => this.refresh(),
    });
  }

  /** Ask which curve has its peak there; the newest wish counts. */
  #peakTo(time, height) {
    this.wished = { time: String(time), height: String(height) };
    this.asking ??= this.#ask();
  }

  async #ask() {
    while (this.wished) {
      const query = new URLSearchParams(this.wished);
      this.wished = null;
      const answer = await fetch(`${this.element.dataset.peakAt}?${query}`, { headers: { Accept: "application/json" } });
      if (!answer.ok) continue;
      const body = await answer.json();
      this.points = body.handles;
      this.shown = body;
      this.#draw();
    }
    this.asking = null;
  }
}
