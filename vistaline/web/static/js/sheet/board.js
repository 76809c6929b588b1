// A board with a picture on it: zooming, moving about, from screen to picture pixels and back.
// Drawn by the processor, which a screenful of tiles takes little; a machine without a graphics
// card would only imitate one, at several times the cost.
import { follow } from "../page/drag.js";

export const PLAIN = { willReadFrequently: true };
const SMALLEST = 0.01;
const LARGEST = 32;

export class Board {
  constructor(element) {
    const part = (name) => element.querySelector(`[data-part="${name}"]`);
    this.element = element;
    this.room = part("board");
    this.canvas = part("canvas");
    this.overlay = part("overlay");
    this.veil = part("veil");
    this.zoomed = part("zoom");
    this.context = this.canvas.getContext("2d", PLAIN);
    this.view = { scale: 1, x: 0, y: 0 };
    this.width = this.height = this.span = 0;
    this.fitted = true;
    this.paint = (context) => {};
    this.press = (event, point) => {};
    this.wide = this.tall = 0; // the room, in pixels of the page
    this.moving = false; // a press moves the picture
    this.keptMoving = false; // also while space is not held
    this.watch = new ResizeObserver(() => this.#resize());
    this.watch.observe(this.room);
    this.room.addEventListener("wheel", (event) => this.#wheel(event), { passive: false });
    this.room.addEventListener("pointerdown", (event) => this.#down(event));
    for (const button of element.querySelectorAll("[data-zoom]")) button.addEventListener("click", () => this.zoom(button.dataset.zoom));
    this.#resize();
  }

  /** The picture's size in pixels, and how wide what is shown is; another size is shown whole. */
  setSize(width, height, span = width) {
    if (width === this.width && height === this.height && span === this.span) return;
    [this.width, this.height, this.span] = [width, height, span];
    this.fit();
  }

  fit() {
    this.fitted = true;
    const scale = Math.min((this.wide - 40) / this.span, (this.tall - 40) / this.height, LARGEST);
    this.#look(scale, (this.wide - this.span * scale) / 2, (this.tall - this.height * scale) / 2);
  }

  zoom(how) {
    if (how === "fit") return this.fit();
    if (how === "actual") return this.zoomTo(1);
    return this.zoomTo(this.view.scale * (how === "in" ? 1.5 : 1 / 1.5));
  }

  /** Zoom so that a point of the screen stays on what it shows. */
  zoomTo(scale, x = this.wide / 2, y = this.tall / 2) {
    const { scale: before, x: left, y: top } = this.view;
    const after = Math.min(LARGEST, Math.max(SMALLEST, scale));
    this.fitted = false;
    this.#look(after, x - ((x - left) / before) * after, y - ((y - top) / before) * after);
  }

  toPicture(event) {
    const box = this.room.getBoundingClientRect();
    return { x: (event.clientX - box.left - this.view.x) / this.view.scale, y: (event.clientY - box.top - this.view.y) / this.view.scale };
  }

  /** @param {number[]} point */
  toScreen([x, y]) {
    return [x * this.view.scale + this.view.x, y * this.view.scale + this.view.y];
  }

  redraw() {
    if (this.asked) return;
    this.asked = requestAnimationFrame(() => {
      this.asked = null;
      if (!this.width) return;
      const { context } = this;
      context.setTransform(1, 0, 0, 1, 0, 0);
      context.clearRect(0, 0, this.canvas.width, this.canvas.height);
      this.paint(context);
    });
  }

  #look(scale, x, y) {
    this.view = { scale, x, y };
    this.zoomed.textContent = `${scale * this.dense < 0.1 ? (scale * 100).toFixed(1) : Math.round(scale * 100)} %`;
    this.room.dataset.scale = scale.toFixed(4);
    this.redraw();
  }

  #resize() {
    const box = this.room.getBoundingClientRect();
    [this.wide, this.tall] = [box.width, box.height];
    this.dense = Math.min(devicePixelRatio, 2);
    this.canvas.width = Math.max(1, Math.round(this.wide * this.dense));
    this.canvas.height = Math.max(1, Math.round(this.tall * this.dense));
    if (this.width && this.fitted) this.fit();
    this.redraw();
  }

  #wheel(event) {
    event.preventDefault();
    const box = this.room.getBoundingClientRect();
    const steps = event.deltaMode ? event.deltaY * 20 : event.deltaY;
    this.zoomTo(this.view.scale * Math.exp(-steps / 400), event.clientX - box.left, event.clientY - box.top);
  }

  #down(event) {
    this.room.focus({ preventScroll: true });
    if (event.button === 1 || (event.button === 0 && this.moving)) return this.#move(event);
    if (event.button === 0 && this.width) this.press(event, this.toPicture(event));
  }

  #move(event) {
    event.preventDefault();
    const from = { ...this.view, cx: event.clientX, cy: event.clientY };
    this.fitted = false;
    const move = (e) => this.#look(from.scale, from.x + e.clientX - from.cx, from.y + e.clientY - from.cy);
    follow(this.room, event, { move, end: () => {}, cancel: () => this.#look(from.scale, from.x, from.y) });
  }

  /** Follow the pointer to its release, in pixels of the picture; `cancel` takes back what was begun. */
  track(event, move, end, cancel) {
    const each = (e) => (e.getCoalescedEvents?.().length ? e.getCoalescedEvents() : [e]);
    const seen = (e) => {
      for (const part of each(e)) move(this.toPicture(part), part);
      this.redraw();
    };
    const undone = () => {
      cancel();
      this.redraw();
    };
    follow(this.room, event, { move: seen, end, cancel: undone });
  }

  /** Keys every board has; returns whether the key was one. Space held moves the picture. */
  key(event) {
    const deeds = { "+": "in", "=": "in", "-": "out", 0: "fit", 9: "actual" };
    if (event.type === "keyup") {
      if (event.key === " ") this.moving = this.keptMoving;
      return false;
    }
    if (event.key === " " && !event.target.closest("button, summary, a, input, select")) {
      this.moving = true;
      return true;
    }
    if (!deeds[event.key]) return false;
    this.zoom(deeds[event.key]);
    return true;
  }

  dispose() {
    this.watch.disconnect();
  }
}
