// The Depth tab: the map over its picture or beside it, what is painted into it, its steps.
import { drawNotes, thinned } from "./notes.js";
import { notice } from "../page/notice.js";
import { Slanted } from "./slanted.js";
import { svg } from "../page/svg.js";
import { Wire } from "./wire.js";

const TOOLS = ["hand", "stroke", "ramp", "brush", "area", "ellipse", "hole"];
const LOOKS = ["over", "map", "beside", "slanted", "picture"];
const PAINTS = ["stroke", "ramp", "brush", "hole"];
const GAP = 0.02; // between picture and map side by side, of the width
const HINTS = {
  stroke: "Paint over a few things how near they are; what is white is near.",
  ramp: "Draw along a floor or a wall, from its one depth to its other.",
  brush: "Paint over what stands wrongly.",
  hole: "Paint over a fault; the map goes on there from what is round it.",
};

export class Depths {
  constructor(element, board, edits, looks) {
    this.element = element;
    this.board = board;
    this.edits = edits;
    this.looks = looks;
    this.active = false;
    this.tool = "stroke";
    this.look = "over";
    this.live = []; // strokes whose map is not here yet
    this.values = { value: 50, to: 0, does: "raise", strength: 10, size: 60, ...remembered() };
    this.slanted = new Slanted(board);
    element.addEventListener("click", (event) => this.#click(event));
    element.addEventListener("input", (event) => this.#option(event.target));
    element.addEventListener("change", (event) => this.#changed(event.target));
    element.addEventListener("curvechange", (event) => {
      const index = event.target.closest("[data-depth-step]")?.dataset.depthStep;
      if (index !== undefined) this.edits.make("set_depth_step", { index: Number(index), values: { points: event.detail.value } });
    });
  }

  get #part() {
    return this.element.querySelector("[data-part=depth-options]");
  }

  /** How wide what is shown is: picture and map side by side are twice as wide. */
  span([width]) {
    return this.active && this.look === "beside" ? Math.round(width * (2 + GAP)) : width;
  }

  async load(state) {
    this.state = state;
    const { name, says } = state.depth;
    if (!this.active || name === this.asked) return;
    this.asked = name;
    if (!says) {
      this.map = null;
      this.live = [];
      return this.#shown();
    }
    const answer = await fetch(`${this.edits.address}/depth/${name}.png`).catch(() => null);
    if (name !== this.asked) return;
    if (!answer?.ok) {
      this.map = null;
      const said = await answer?.json().catch(() => null);
      notice(said?.error ?? "The depth could not be fetched. Check the connection and try again.");
    } else this.map = await createImageBitmap(await answer.blob());
    this.live = this.live.filter((stroke) => !stroke.kept);
    this.#shown();
  }

  #shown() {
    this.board.room.dataset.depth = this.map ? this.asked : "";
    this.slanted.take(this.state, this.map, this.edits.address);
    this.board.redraw();
  }

  show(active) {
    if (active === this.active) return;
    this.active = active;
    for (const set of this.element.querySelectorAll("[data-tools]")) set.hidden = (set.dataset.tools === "depth") !== active;
    if (active) {
      this.#take(this.tool);
      this.#showOptions();
      if (this.state) this.load(this.state);
    }
    this.#see(this.look);
  }

  // --- what is seen ---

  paint(context, cursor) {
    const { board } = this;
    const { view } = board;
    const beside = this.look === "beside";
    const width = this.state.size[0] * view.scale;
    const height = this.state.size[1] * view.scale;
    this.looks.paint(context, { ...this.state, plates: {} }, null, []);
    if (this.map && this.look !== "picture") {
      context.globalAlpha = this.look === "over" ? 0.75 : 1;
      context.imageSmoothingEnabled = true;
      context.drawImage(this.map, view.x + (beside ? width * (1 + GAP) : 0), view.y, width, height);
      context.globalAlpha = 1;
    } else if (!this.map && (beside || this.look === "map")) {
      context.fillStyle = "#5c5c5c";
      context.fillRect(view.x + (beside ? width * (1 + GAP) : 0), view.y, width, height);
    }
    drawNotes(context, view, this.#notes());
    board.overlay.replaceChildren(...this.marks(cursor));
  }

  // What strokes said, in its own grey with a rim of light, so that it shows on any ground.
  #notes() {
    const said = this.state.depth.steps.findLast((step) => step.on && step.kind === "strokes")?.strokes ?? [];
    const kept = this.tool === "stroke" || this.tool === "ramp" ? said.map((stroke) => [stroke, this.#grey(stroke.value, 0.55)]) : [];
    const live = this.live.map((stroke) => [stroke, stroke.colour]);
    return [...kept, ...live];
  }

  #grey(nearness, alpha) {
    const code = Math.round(nearness * 255);
    return `rgba(${code}, ${code}, ${Math.round(60 + nearness * 130)}, ${alpha})`;
  }

  marks(cursor) {
    const marks = this.wire ? this.wire.marks(this.wire.closed ? null : cursor) : [];
    if (this.drawn) {
      const [a, b] = this.drawn.map((point) => this.board.toScreen(point));
      marks.push(svg("ellipse", { class: "wire", cx: (a[0] + b[0]) / 2, cy: (a[1] + b[1]) / 2, rx: Math.abs(a[0] - b[0]) / 2, ry: Math.abs(a[1] - b[1]) / 2 }));
    }
    if (cursor && PAINTS.includes(this.tool)) marks.push(svg("circle", { class: "ring", cx: cursor.x, cy: cursor.y, r: Math.max(1, (this.values.size / 2) * this.board.view.scale) }));
    return marks;
  }

  // --- tools ---

  #take(tool) {
    this.tool = tool;
    this.wire = this.drawn = null;
    this.board.moving = this.board.keptMoving = tool === "hand";
    this.board.room.style.cursor = tool === "hand" ? "grab" : PAINTS.includes(tool) ? "none" : "crosshair";
    for (const button of this.element.querySelectorAll(".tools [data-depth-tool]")) button.setAttribute("aria-pressed", String(button.dataset.depthTool === tool));
    for (const option of this.#part.querySelectorAll(":scope > [data-for]")) option.hidden = !option.dataset.for.split(" ").includes(tool);
    this.say();
    this.board.redraw();
  }

  /** What the tool does, at the board's foot. */
  say() {
    this.element.querySelector('[data-part="care"]').textContent = "";
    this.element.querySelector('[data-part="hint"]').textContent = this.look === "slanted" ? "Drag to turn it; arrow keys do, too." : (HINTS[this.tool] ?? "");
  }

  /** A point of the map beside the picture means the same point of the picture. */
  #inPicture({ x, y }) {
    const width = this.state.size[0];
    return [this.look === "beside" && x > width ? x - width * (1 + GAP) : x, y];
  }

  press(event, point) {
    if (this.look === "slanted") return;
    if (event.altKey && PAINTS.includes(this.tool)) return this.#pick(point);
    if (this.tool === "area") return this.#outline(event, point);
    if (this.tool === "ellipse") return this.#ellipse(event, point);
    this.#stroke(event, point);
  }

  #pick(point) {
    if (!this.map) return notice("There is no depth to pick from yet.");
    const [x, y] = this.#inPicture(point);
    const one = new OffscreenCanvas(1, 1).getContext("2d");
    const [width, height] = this.state.size;
    one.drawImage(this.map, (x / width) * this.map.width - 0.5, (y / height) * this.map.height - 0.5, 1, 1, 0, 0, 1, 1);
    this.values.value = Math.round(one.getImageData(0, 0, 1, 1).data[0] / 2.55);
    this.#showOptions();
  }

  #stroke(event, at) {
    const { tool } = this;
    const { value, to, does, strength, size } = this.values;
    const colour = tool === "hole" ? "#b2452f90" : tool === "brush" && does !== "paint" ? { raise: "#fff9", lower: "#0009", level: "#8889" }[does] : this.#grey(value / 100, 0.8);
    const stroke = { points: [this.#inPicture(at)], width: size, softness: tool === "brush" ? 0.6 : 0, colour, kept: false };
    this.live.push(stroke);
    const dropped = () => (this.live = this.live.filter((each) => each !== stroke));
    this.board.track(event, (point) => stroke.points.push(this.#inPicture(point)), async () => {
      const plain = { points: thinned(stroke.points), width: stroke.width, softness: stroke.softness };
      const edits = {
        stroke: () => this.edits.make("paint_depth", { stroke: plain, value: value / 100 }),
        ramp: () => this.edits.make("paint_depth", { stroke: plain, value: value / 100, to: to / 100 }),
        brush: () => this.edits.make("brush_depth", { stroke: plain, does, value: (does === "paint" ? value : strength) / 100 }),
        hole: () => this.edits.make("forget_depth", { stroke: plain }),
      };
      stroke.kept = true;
      if (await edits[tool]()) return;
      dropped();
      this.board.redraw();
    }, dropped);
    this.board.redraw();
  }

  #outline(event, point) {
    if (!this.wire) {
      this.wire = new Wire(this.board, "outline");
      this.wire.onDone = () => this.#keepOutline();
    }
    const [x, y] = this.#inPicture(point);
    this.wire.press(event, { x, y });
  }

  async #keepOutline() {
    const { points } = this.wire;
    this.wire = null;
    await this.edits.make("draw_depth_area", { points });
    this.board.redraw();
  }

  #ellipse(event, point) {
    const at = this.#inPicture(point);
    this.drawn = [at, at];
    this.board.track(event, (to) => (this.drawn[1] = this.#inPicture(to)), async () => {
      const points = this.drawn.map((corner) => ({ at: corner }));
      this.drawn = null;
      await this.edits.make("draw_depth_area", { points, ellipse: true });
      this.board.redraw();
    }, () => (this.drawn = null));
  }

  // --- what is clicked, typed, chosen ---

  #click(event) {
    const on = (name) => event.target.closest(`[data-${name}]`)?.dataset;
    if (on("depth-tool")) this.#take(on("depth-tool").depthTool);
    if (on("depth-look")) this.#see(on("depth-look").depthLook);
    if (on("does")) {
      this.values.does = on("does").does;
      this.#showOptions();
    }
  }

  #see(look) {
    this.look = look;
    for (const each of this.element.querySelectorAll("[data-depth-look]")) each.setAttribute("aria-pressed", String(each.dataset.depthLook === look));
    this.slanted.show(this.active && look === "slanted");
    if (this.state) this.board.setSize(...this.state.size, this.span(this.state.size));
    if (this.active) this.say();
    this.board.redraw();
  }

  #option(field) {
    if (!field.closest("[data-part=depth-options]") || !field.name) return;
    this.values[field.name] = Number(field.value) || 0;
    if (field.name === "size") this.values.size = Math.max(1, this.values.size);
    this.#showOptions(field);
    this.board.redraw();
  }

  #showOptions(typed = null) {
    for (const field of this.#part.querySelectorAll("input")) if (field !== typed) field.value = this.values[field.name];
    for (const each of this.#part.querySelectorAll("[data-says-depth]")) each.textContent = this.values[each.dataset.saysDepth];
    for (const button of this.#part.querySelectorAll("[data-does]")) button.setAttribute("aria-pressed", String(button.dataset.does === this.values.does));
    sessionStorage.setItem("vistaline-depth", JSON.stringify(this.values));
  }

  #changed(field) {
    const step = field.closest("[data-depth-step]");
    if (!step || !field.name) return;
    const value = field.type === "checkbox" ? field.checked : field.tagName === "SELECT" ? field.value : Number(field.value);
    this.edits.make("set_depth_step", { index: Number(step.dataset.depthStep), values: { [field.name]: value } });
  }

  key(event) {
    const turn = (list, now) => list[(list.indexOf(now) + 1) % list.length];
    const sized = (size) => {
      this.values.size = Math.round(Math.min(3000, Math.max(1, size)));
      this.#showOptions();
      this.board.redraw();
    };
    const deeds = {
      ",": () => sized(this.values.size / 1.2),
      ".": () => sized(this.values.size * 1.2 + 0.5),
      v: () => this.#see(turn(LOOKS, this.look)),
      Escape: () => {
        this.wire = this.drawn = null;
        this.board.redraw();
      },
      Backspace: () => this.wire?.back(),
      Enter: () => this.wire?.points.length >= 3 && this.#keepOutline(),
    };
    if (TOOLS[Number(event.key) - 1]) this.#take(TOOLS[Number(event.key) - 1]);
    else if (deeds[event.key]) deeds[event.key]();
    else if (!this.board.key(event)) return;
    if (!event.target.closest("button, summary, a") || event.key !== "Enter") event.preventDefault();
  }

  dispose() {
    this.slanted.dispose();
  }
}

function remembered() {
  try {
    return JSON.parse(sessionStorage.getItem("vistaline-depth")) ?? {};
  } catch {
    return {};
  }
}
