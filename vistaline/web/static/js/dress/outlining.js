// An outline drawn in the viewfinder: corner by corner, or freely with the pointer held down. What it
// is for is told by the button that asks for it (`data-outline`, the edit's verb).
import { drag } from "../page/drag.js";
import { hint } from "../page/notice.js";
import { svg } from "../page/svg.js";

const NEAR = 10; // screen pixels
const STEP = 7; // screen pixels between corners of what is drawn freely
const MOST = 64; // corners
const SAYS_OPEN = "Draw with the button held down, or click point by point. Enter ends it, Backspace takes the last away, Escape gives up.";
const SAYS = "Click corner by corner, or draw with the button held down. Enter or a click on the first corner closes it, Backspace takes the last away, Escape gives up.";

export class Outlining {
  constructor(desk, scene, viewfinder) {
    this.desk = desk;
    this.scene = scene;
    this.finder = viewfinder;
    this.asked = null;
    this.corners = []; // overlay pixels
    desk.addEventListener("click", ({ target }) => {
      const button = target.closest("[data-outline]");
      if (button) this.#choose(this.#asksFor(button) ? null : button.dataset);
    });
    viewfinder.marking = this;
  }

  /** Whether what is being drawn is what a button asks for. */
  #asksFor({ dataset }) {
    return this.on && this.asked.outline === dataset.outline && this.asked.outlineThing === dataset.outlineThing;
  }

  get on() {
    return Boolean(this.asked);
  }

  stop() {
    this.#choose(null);
  }

  #choose(asked) {
    this.asked = asked && { ...asked };
    this.corners = [];
    this.finder.gate.classList.toggle("asking", this.on);
    this.said?.();
    this.said = asked && hint(this.#open ? SAYS_OPEN : SAYS);
    if (asked) this.finder.gate.focus({ preventScroll: true });
    this.pressed();
    this.finder.draw();
  }

  /** Show whether it is in the hand, on a panel that may have been fetched anew. */
  pressed() {
    for (const button of this.desk.querySelectorAll("[data-outline]")) button.setAttribute("aria-pressed", String(this.#asksFor(button)));
  }

  /** Take a press in the viewfinder; false if nothing is being drawn. */
  press(event) {
    if (!this.on) return false;
    const box = this.finder.gate.getBoundingClientRect();
    const at = (now) => [now.clientX - box.left, now.clientY - box.top];
    const far = (one, other) => Math.hypot(one[0] - other[0], one[1] - other[1]);
    const begun = at(event);
    if (!this.#open && this.corners.length > 2 && far(begun, this.corners[0]) < NEAR) return this.#close(), true;
    this.corners.push(begun);
    const before = this.corners.length;
    this.finder.draw();
    drag(this.finder.gate, event, {
      move: ({ event: now }) => {
        if (far(at(now), this.corners.at(-1)) < STEP) return;
        this.corners.push(at(now));
        this.finder.draw();
      },
      // What was drawn freely is closed when it is let go; a mere click was a corner.
      end: () => this.corners.length > before + 4 && this.#close(),
      cancel: () => {},
    });
    return true;
  }

  /** Take a key; false if it is not for an outline. */
  key({ key }) {
    if (!this.on || !["Enter", "Backspace", "Delete"].includes(key)) return false;
    if (key === "Enter") this.#close();
    else this.corners.pop();
    this.finder.draw();
    return true;
  }

  /** Whether it is a stroke, which does not close. */
  get #open() {
    return Boolean(this.asked?.outlineOpen);
  }

  async #close() {
    const { scene } = this;
    const { outline: verb, outlineThing: thing, outlinePick: picks } = this.asked;
    const every = Math.ceil(this.corners.length / MOST);
    const scale = scene.data.width / this.finder.place.width;
    const points = this.corners.filter((_, n) => n % every === 0).map(([x, y]) => [(x - this.finder.place.x) * scale, (y - this.finder.place.y) * scale].map((value) => Math.round(value * 100) / 100));
    if (points.length < Number(this.asked.outlineLeast ?? (this.#open ? 2 : 3))) return;
    const layer = picks ? ((await scene.pick(points[0][0], points[0][1], true)) ?? "") : "";
    const where = picks ? { layer, alone: scene.as === "camera" } : {};
    if (await scene.edit(verb, { thing, frame: scene.frame, points: JSON.stringify(points), ...where })) this.stop();
  }

  marks() {
    if (!this.on || !this.corners.length) return [];
    const points = this.corners.join(" ");
    const ends = this.corners.length > 40 ? this.corners.slice(0, 1) : this.corners;
    return [
      svg("polyline", { class: "edge-under", fill: "none", points }),
      svg("polyline", { class: "edge-mark", fill: "none", points }),
      ...ends.map(([cx, cy], n) => svg("circle", { class: "edge-end", cx, cy, r: n ? 3.5 : 5.5 })),
    ];
  }
}
