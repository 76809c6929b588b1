// Putting a picture in shape: the divider, the crop frame, the level line, the repair brush.
import { Board } from "./board.js";
import { drag, follow } from "../page/drag.js";
import { Edits, ask } from "./edits.js";
import { silenced } from "../page/keyboard.js";
import { svg } from "../page/svg.js";

const HINTS = {
  crop: "Drag the frame by its edges, corners or middle.",
  straighten: "Draw a line along what should be level or upright.",
  repair: "Paint over damage; red is what will be repaired.",
  balance: "Click on something that should be neutral grey.",
};

export class Preparing {
  constructor(element) {
    this.element = element;
    this.edits = new Edits(element.dataset.address);
    this.board = new Board(element);
    this.board.paint = (context) => this.#paint(context);
    this.board.press = (event, point) => this.#press(event, point);
    this.split = 0.5;
    this.divided = true;
    this.ratio = "";
    this.over = "brush";
    this.step = -1;
    this.cursor = null; // where the pointer is over the board, in its pixels
    this.board.room.addEventListener("pointermove", (event) => this.#hover(event));
    this.board.room.addEventListener("pointerleave", () => this.#hover(null));
    this.onChange = () => this.load();
    this.onKey = (event) => this.#key(event);
    document.body.addEventListener("sheetchange", this.onChange);
    document.addEventListener("keydown", this.onKey);
    document.addEventListener("keyup", this.onKey);
    element.addEventListener("htmx:after:swap", () => this.#showChoices());
    element.addEventListener("click", (event) => this.#click(event));
    element.addEventListener("input", (event) => this.#slide(event));
    element.addEventListener("change", (event) => this.#slid(event));
    element.addEventListener("curvechange", ({ detail }) => this.#values(detail));
    this.load();
  }

  async load() {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const state = await ask(`${this.edits.address}/prepare.json?step=${this.step}`);
    if (!state || turn !== this.turn) return;
    const upto = state.upto === null ? "" : `&upto=${state.upto}`;
    const query = `v=${state.version}${upto}`;
    const damage = state.kind === "repair" && state.values.on ? "&damage=1" : "";
    const wanted = [this.#image(`prepared.jpg?${query}${damage}`)];
    if (state.divided) wanted.push(this.#image(`prepared.jpg?${query}&before=1`));
    const [after, before] = await Promise.all(wanted);
    if (turn !== this.turn) return;
    this.state = state;
    this.after = after;
    this.before = before ?? null;
    this.line = null;
    this.strokes = [];
    this.box = state.kind === "crop" ? [...state.values.box] : null;
    this.board.setSize(...state.size);
    this.board.veil.hidden = Boolean(after);
    if (!after) this.board.veil.textContent = "The picture could not be fetched. Reload the page.";
    this.element.querySelector('[data-part="hint"]').textContent = HINTS[state.kind] ?? (state.divided ? "Drag the line: left of it the picture as it came, right of it prepared." : "Add a step at the right.");
    this.#showChoices();
    this.board.redraw();
    this.board.room.dataset.ready = String(state.version);
  }

  #image(path) {
    return new Promise((done) => {
      const image = new Image();
      image.onload = () => done(image);
      image.onerror = () => done(null);
      image.src = `${this.edits.address}/${path}`;
    });
  }

  #choose(index) {
    this.step = index;
    document.getElementById("chosen").elements.step.value = index;
    document.body.dispatchEvent(new CustomEvent("stepchosen"));
    this.load();
  }

  async #click(event) {
    const on = (selector) => event.target.closest(selector);
    if (on("[data-step-index]")) return this.#choose(Number(on("[data-step-index]").dataset.stepIndex));
    if (on("[data-removes-step]")) return this.#choose(-1);
    if (on("[data-adds]")) {
      const count = this.element.querySelectorAll(".steps > li").length;
      if (await this.edits.make("add_step", { kind: on("[data-adds]").dataset.adds })) this.#choose(count);
    }
    if (on("[data-do=before]")) this.#toggle(on("[data-do=before]"));
    if (on("[data-ratio]")) this.#shape(on("[data-ratio]"));
    if (on("[data-over]")) {
      this.over = on("[data-over]").dataset.over;
      this.#showChoices();
    }
  }

  // Choices of this page alone: the panel comes without them.
  #showChoices() {
    for (const name of ["over", "ratio"]) for (const each of this.element.querySelectorAll(`[data-${name}]`)) each.setAttribute("aria-pressed", String(each.dataset[name] === this[name]));
  }

  #toggle(button) {
    this.divided = !this.divided;
    button.setAttribute("aria-pressed", String(this.divided));
    this.board.redraw();
  }

  // A slider follows its number and the other way round; the number's form is what is sent.
  #slide(event) {
    const number = event.target.dataset.for && document.getElementById(event.target.dataset.for);
    if (number) number.value = event.target.value;
  }

  #slid(event) {
    const number = event.target.dataset.for && document.getElementById(event.target.dataset.for);
    if (number) number.value = event.target.value;
  }

  #values(values) {
    return this.edits.make("set_step", { index: this.step, values });
  }

  #key(event) {
    if (event.target.closest("input, select, textarea, dialog")) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && event.type === "keydown") {
      event.preventDefault();
      return this.edits.post(event.shiftKey ? "redo" : "undo");
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (this.board.key(event)) return event.preventDefault();
    if (event.type === "keyup" || silenced(event)) return;
    if (event.key === "b") this.#toggle(this.element.querySelector("[data-do=before]"));
    if (event.key === "Escape") this.#choose(-1);
  }

  // --- drawing ---

  #paint(context) {
    const { board, after, before, state } = this;
    if (!after) return board.overlay.replaceChildren();
    const { scale, x, y } = board.view;
    const box = [x, y, board.width * scale, board.height * scale];
    context.setTransform(board.dense, 0, 0, board.dense, 0, 0);
    context.imageSmoothingQuality = "high";
    context.drawImage(after, ...box);
    const divided = this.divided && before;
    if (divided) {
      context.save();
      context.beginPath();
      context.rect(x, y, board.width * scale * this.split, board.height * scale);
      context.clip();
      context.drawImage(before, ...box);
      context.restore();
    }
    this.#drawStrokes(context);
    const marks = [];
    if (divided) marks.push(...this.#divider(box));
    if (this.box) marks.push(...this.#crop(box));
    if (this.line) {
      const [a, b] = this.line.map((point) => board.toScreen(point));
      marks.push(svg("line", { class: "level-line", x1: a[0], y1: a[1], x2: b[0], y2: b[1] }));
    }
    if (state.kind === "repair" && this.cursor) marks.push(svg("circle", { class: "ring", cx: this.cursor.x, cy: this.cursor.y, r: (this.#brush() / 2) * scale }));
    board.overlay.replaceChildren(...marks);
  }

  /** @param {number[]} box */
  #divider([x, y, width, height]) {
    const at = x + width * this.split;
    const knob = svg("g", { class: "divider" }, svg("line", { x1: at, y1: y, x2: at, y2: y + height }), svg("circle", { cx: at, cy: y + height / 2, r: 9 }), svg("path", { d: `M${at - 3} ${y + height / 2 - 3}l-3 3l3 3M${at + 3} ${y + height / 2 - 3}l3 3l-3 3` }));
    return [knob, svg("text", { class: "side-name", x: at - 10, y: y + 18, "text-anchor": "end" }, "as it came"), svg("text", { class: "side-name", x: at + 10, y: y + 18 }, "prepared")];
  }

  /** @param {number[]} box */
  #crop([x, y, width, height]) {
    const [left, top, w, h] = this.box;
    const [a, b, c, d] = [x + left * width, y + top * height, w * width, h * height];
    const shade = svg("path", { class: "shade", "fill-rule": "evenodd", d: `M${x} ${y}h${width}v${height}h${-width}zM${a} ${b}v${d}h${c}v${-d}z` });
    const words = `${Math.round(w * this.board.width)} × ${Math.round(h * this.board.height)} px`;
    const thirds = [1, 2].flatMap((n) => [svg("line", { class: "thirds", x1: a + (c * n) / 3, y1: b, x2: a + (c * n) / 3, y2: b + d }), svg("line", { class: "thirds", x1: a, y1: b + (d * n) / 3, x2: a + c, y2: b + (d * n) / 3 })]);
    return [shade, ...thirds, svg("rect", { class: "crop-line", x: a, y: b, width: c, height: d }), svg("g", { class: "tag" }, svg("rect", { x: a, y: b - 22, width: words.length * 6.8 + 12, height: 20 }), svg("text", { x: a + 6, y: b - 8 }, words))];
  }

  #drawStrokes(context) {
    const { scale, x, y } = this.board.view;
    for (const { points, width, over } of this.strokes) {
      context.strokeStyle = over === "protect" ? "#3d7fa8a0" : "#c9770aa0";
      context.lineWidth = width * scale;
      context.lineCap = context.lineJoin = "round";
      context.beginPath();
      points.forEach(([px, py], n) => context[n ? "lineTo" : "moveTo"](px * scale + x, py * scale + y));
      if (points.length === 1) context.lineTo(points[0][0] * scale + x + 0.1, points[0][1] * scale + y);
      context.stroke();
    }
  }

  // --- dragging ---

  /** The repair brush is shown as large as it is. */
  #hover(event) {
    if (this.state?.kind !== "repair") return;
    const box = this.board.room.getBoundingClientRect();
    this.cursor = event && { x: event.clientX - box.left, y: event.clientY - box.top };
    this.board.redraw();
  }

  #brush() {
    return Number(this.element.querySelector("[data-brush]")?.value ?? 40);
  }

  async #press(event, point) {
    const { board, state } = this;
    if (state.kind === "crop") return this.#dragCrop(event, point);
    if (state.kind === "straighten") return this.#drawLevel(event, point);
    if (state.kind === "repair") return this.#paintStroke(event, point);
    if (state.picks) {
      const found = await ask(`${this.edits.address}/neutral?step=${this.step}&x=${point.x / board.width}&y=${point.y / board.height}`);
      if (found) this.#values(found);
      return;
    }
    const at = board.view.x + board.width * board.view.scale * this.split;
    const here = event.clientX - board.room.getBoundingClientRect().left;
    if (this.divided && this.before && Math.abs(here - at) < 14) return this.#dragDivider(event);
    board.moving = true;
    board.room.dispatchEvent(new PointerEvent("pointerdown", event));
    board.moving = false;
  }

  #dragDivider(event) {
    const from = this.split;
    const set = ({ dx }) => {
      this.split = Math.min(1, Math.max(0, from + dx / (this.board.width * this.board.view.scale)));
      this.board.redraw();
    };
    drag(this.board.room, event, { move: set, end: set, cancel: () => set({ dx: 0 }) });
  }

  #dragCrop(event, point) {
    const from = [...this.box];
    const near = 10 / this.board.view.scale;
    const { width, height } = this.board;
    const [left, top, right, bottom] = [from[0] * width, from[1] * height, (from[0] + from[2]) * width, (from[1] + from[3]) * height];
    const grip = { l: Math.abs(point.x - left) < near, r: Math.abs(point.x - right) < near, t: Math.abs(point.y - top) < near, b: Math.abs(point.y - bottom) < near };
    const grips = Object.keys(grip).filter((side) => grip[side]).join("");
    const wish = ({ dx, dy }) => ({ grips, dx: dx / this.board.view.scale / width, dy: dy / this.board.view.scale / height, ratio: this.ratio });
    drag(this.board.room, event, {
      move: (now) => this.#previewCrop(wish(now)),
      end: (now) => {
        this.wished = null;
        this.edits.make("drag_crop", { index: this.step, ...wish(now) });
      },
      cancel: () => {
        this.wished = null;
        this.box = from;
        this.board.redraw();
      },
    });
  }

  /** Where a drag would take the crop is asked; the newest wish wins while one is answered. */
  async #previewCrop(wish) {
    const busy = Boolean(this.wished);
    this.wished = wish;
    if (busy) return;
    while (this.wished) {
      const asked = this.wished;
      const found = await ask(`${this.edits.address}/crop.json?${new URLSearchParams({ step: this.step, ...asked })}`);
      if (!this.wished) return;
      if (found) this.box = found.box;
      this.board.redraw();
      if (this.wished === asked) this.wished = null;
    }
  }

  #shape(button) {
    this.ratio = button.dataset.ratio;
    this.#showChoices();
    if (this.ratio) this.edits.make("crop_to_shape", { index: this.step, ratio: this.ratio });
  }

  #drawLevel(event, start) {
    const to = ({ dx, dy }) => [start.x + dx / this.board.view.scale, start.y + dy / this.board.view.scale];
    drag(this.board.room, event, {
      move: (now) => {
        this.line = [[start.x, start.y], to(now)];
        this.board.redraw();
      },
      end: (now) => {
        const [x, y] = to(now);
        this.edits.make("level_by_line", { index: this.step, line: [start.x, start.y, x, y] });
      },
      cancel: () => {
        this.line = null;
        this.board.redraw();
      },
    });
  }

  #paintStroke(event, start) {
    const stroke = { points: [[start.x, start.y]], width: this.#brush(), over: this.over };
    this.strokes.push(stroke);
    this.board.redraw();
    const move = (e) => {
      const { x, y } = this.board.toPicture(e);
      stroke.points.push([x, y]);
      this.board.redraw();
    };
    const end = () => this.edits.make("brush_repair", { index: this.step, stroke: { points: stroke.points, width: stroke.width }, over: stroke.over });
    const cancel = () => {
      this.strokes = this.strokes.filter((each) => each !== stroke);
      this.board.redraw();
    };
    follow(this.board.room, event, { move, end, cancel });
  }

  dispose() {
    document.body.removeEventListener("sheetchange", this.onChange);
    document.removeEventListener("keydown", this.onKey);
    document.removeEventListener("keyup", this.onKey);
    this.board.dispose();
  }
}
