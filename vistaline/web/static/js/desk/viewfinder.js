// The viewfinder: the live view, the frame's line, what is chosen, and dragging in the picture.
import { editOf, thingsIn } from "../dress/things.js";
import { Motes } from "../dress/motes.js";
import { drag } from "../page/drag.js";
import { Handles } from "./handles.js";
import { Screen } from "./screen.js";
import { svg } from "../page/svg.js";
import { lookOf } from "./tracks.js";

const SOON = 45; // ms: a frame that takes longer is drawn coarser first
const AHEAD = 1; // frames asked for while another is being drawn
const GATHER = 20; // ms between two points of a lens
const IDLE = 600; // ms without a change, after which it is drawn in full
const FINE = 0.2; // how far a drag with Shift goes of what it would without
const BEYOND = 0.62; // the frame's share of the room when what lies beyond it is shown

export class Viewfinder {
  constructor(desk, scene, bench, folded) {
    this.scene = scene;
    this.bench = bench;
    this.folded = folded;
    this.gate = desk.querySelector('[data-part="gate"]');
    this.canvas = desk.querySelector('[data-part="canvas"]');
    this.overlay = desk.querySelector('[data-part="overlay"]');
    this.veil = desk.querySelector('[data-part="veil"]');
    this.move = "truck";
    this.rectangles = false; // framings are drawn
    this.marking = null; // who draws marks over the picture, and takes presses on them
    this.covered = () => false; // something else shows the frame
    this.quality = 1;
    this.ready = false;
    this.asking = null; // who wants to know the next point that is clicked
    this.watched = null; // a frame that is looked at instead of the one in sight
    this.inset = false;
    this.tinted = false; // while focus is being set
    this.screen = new Screen(this.canvas, (what, value) => this.#heard(what, value), () => {
      this.blind = true;
      this.veil.textContent = "This browser cannot draw with WebGL. Rendering works; the live view does not.";
    });
    this.handles = new Handles(this);
    this.motes = new Motes(scene, () => this.draw());
    this.watch = new ResizeObserver(() => this.#fit());
    this.watch.observe(this.gate);
    this.gate.addEventListener("pointerdown", (event) => this.#press(event));
    scene.addEventListener("change", () => this.#change());
    for (const name of ["frame", "choose"]) scene.addEventListener(name, () => this.draw());
  }

  #heard(what, value) {
    if (what === "looks") this.gate.dataset.looks = "all";
    else if (what === "look") {
      const { record } = this;
      if (record.base.layers.some((layer) => (lookOf(record, layer.id) ?? layer.texture) === value)) this.draw();
    } else if (what === "cloth") {
      if (value === "waiting") document.body.dispatchEvent(new CustomEvent("taskchange"));
      else this.draw();
    } else if (what === "free") this.#free(value);
  }

  /** What was asked for is drawn. */
  #free({ took, coming }) {
    this.gate.dataset.blur = coming ? "coming" : "all";
    this.coming = coming;
    this.scene.dispatchEvent(new Event("painted"));
    if (!this.waiting) return;
    // While a hand waits the page itself needs what draws it, too: as long a rest as the draw took.
    if (!this.scene.dragging) return this.draw();
    this.resting = setTimeout(() => {
      this.resting = null;
      if (this.waiting) this.draw();
    }, took);
  }

  async #change() {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const { version } = this.scene.data; // it may go up while the looks are fetched
    const { scene } = this;
    if (!this.ready) this.#fit(); // there is room for it before there is anything to show
    await this.screen.keep([scene.current.data, scene.data, scene.beside]).catch((error) => {
      if (this.blind) return;
      this.veil.textContent = "A picture could not be fetched. Reload the page.";
      throw error;
    });
    if (turn !== this.turn || this.blind) return;
    // The whole shot follows the frame in sight: what is drawn already need not be drawn again.
    if (this.ready && this.drawn && this.drawn === this.#sight()) this.#mark();
    else {
      this.ready = true;
      this.veil.hidden = true;
      this.#fit();
    }
    this.gate.dataset.ready = "true";
    if (!this.scene.shown) this.gate.dataset.shows = String(version);
    this.scene.dispatchEvent(new Event("drawn"));
  }

  /** What is in sight, by name; a preview is like nothing else. */
  #sight() {
    const { scene } = this;
    return scene.dragging ? null : `${scene.current.data.version} ${scene.frame} ${scene.beside ? scene.take : ""}`;
  }

  /** Set how the frame is looked at: beyond its edges, at which quality, over checks, what is clipped marked. */
  show({ beyond = this.beyond, quality = this.quality, checks = this.checks, clipped = this.clipped, guides = this.guides, inset = this.inset }) {
    this.beyond = beyond;
    this.quality = quality;
    this.checks = checks;
    this.clipped = clipped;
    this.guides = guides;
    this.inset = inset;
    this.#fit();
  }

  #fit() {
    const { data } = this.scene;
    if (!data) return;
    const room = this.gate.getBoundingClientRect();
    const scale = Math.min(room.width / data.width, room.height / data.height) * (this.beyond ? BEYOND : 1);
    const width = Math.max(1, Math.floor(data.width * scale));
    const height = Math.max(1, Math.floor(data.height * scale));
    this.place = { x: (room.width - width) / 2, y: (room.height - height) / 2, width, height };
    const whole = this.beyond ? { x: 0, y: 0, width: Math.max(1, Math.floor(room.width)), height: Math.max(1, Math.floor(room.height)) } : this.place;
    Object.assign(this.canvas.style, { left: `${whole.x}px`, top: `${whole.y}px`, width: `${whole.width}px`, height: `${whole.height}px` });
    this.window = [width / whole.width, height / whole.height];
    this.whole = whole;
    this.draw();
  }

  /** Draw what is in sight; coarser at first where that is slow, in full once nothing changes. */
  draw(full = false) {
    // What has just come is drawn as soon as its looks are here.
    if (!this.ready || !this.whole || !this.screen.has(this.record)) return;
    clearTimeout(this.refining);
    this.waiting = false;
    if (this.covered()) {
      this.scene.dispatchEvent(new Event("painted"));
      return this.#mark();
    }
    // What is asked for meanwhile is not queued up: the newest is drawn as soon as the last one is.
    const { dragging } = this.scene;
    this.waiting = this.screen.busy > (dragging ? 0 : AHEAD) || Boolean(dragging && this.resting);
    if (this.waiting) return this.#mark();
    const { beside, frame } = this.scene;
    const view = this.#view;
    const pixels = view.size[0] * view.size[1];
    const coarse = full ? 1 : Math.min(4, Math.max(1, Math.ceil(Math.sqrt((pixels * (this.screen.perPixel ?? 0)) / SOON))));
    const other = beside?.frames[Math.min(frame, beside.duration - 1)];
    this.screen.draw(this.record, view, coarse, other && this.screen.has(other) ? other : null);
    this.gate.dataset.blur = "coming";
    this.drawn = this.#sight();
    delete this.gate.dataset.gathered;
    if (coarse > 1) this.refining = setTimeout(() => (this.scene.dragging ? this.draw() : this.draw(true)), IDLE);
    else if (!beside && this.#gathers) this.refining = setTimeout(() => this.#gather(0), IDLE);
    this.#mark();
  }

  /** How the frame is drawn, whichever it is. */
  get #view() {
    const { whole, window, tinted, scene } = this;
    const dense = Math.min(devicePixelRatio, 2) * this.quality;
    const size = [whole.width, whole.height].map((side) => Math.max(1, Math.round(side * dense)));
    return { size, window, tinted, checks: Boolean(this.checks), clipped: Boolean(this.clipped), shares: scene.shares, motes: this.motes.of(this.record) };
  }

  /** Whether what is seen is out of focus, and can be gathered. */
  get #gathers() {
    const { base, camera } = this.record;
    return Boolean(!this.tinted && !this.checks && !this.clipped && base.lens && camera.focus?.blur > 0);
  }

  /** Show what is before what is in focus, and what is behind it, while that is being set. */
  tint(on) {
    if (this.tinted === on) return;
    this.tinted = on;
    this.gate.toggleAttribute("data-tinted", on);
    this.draw();
  }

  /** Once nothing changes: point by point of the lens, until it looks as rendered; any draw ends it. */
  #gather(n) {
    if (this.scene.dragging || this.covered() || !this.screen.has(this.record)) return;
    // The next one waits until this one is drawn, all until the copies are here.
    if (!this.screen.busy && !this.coming) this.screen.gather(this.record, this.#view, n++);
    if (n < this.record.base.lens.length) this.refining = setTimeout(() => this.#gather(n), GATHER);
    else this.gate.dataset.gathered = "";
  }

  /** What is drawn: the frame in sight, or one of a move that is tried out. */
  get record() {
    return this.watched ?? this.scene.current.record;
  }

  /** Look at a frame that is none of the shot's; null ends that. */
  look(record) {
    if (this.watched === record) return;
    this.watched = record;
    this.draw();
  }

  /** Show a mark to be dragged to the point a move is about, in frame pixels. */
  markPoint(on, changed) {
    this.pointChanged = changed;
    const { data } = this.scene;
    this.point = on ? (this.point ?? { x: (data?.width ?? 1920) / 2, y: (data?.height ?? 1080) / 2 }) : null;
    this.#mark();
  }

  /** Frame pixels of a point of the page. */
  framePoint(event) {
    const box = this.gate.getBoundingClientRect();
    const scale = this.scene.data.width / this.place.width;
    return { x: (event.clientX - box.left - this.place.x) * scale, y: (event.clientY - box.top - this.place.y) * scale, scale };
  }

  /**
   * Ask for a point of the picture: the next click gives it, Escape gives up.
   *
   * @param {any} taker
   * @param {(() => void) | null} [said] takes away the words that ask for it
   */
  ask(taker, said = null) {
    this.said?.();
    this.said = said;
    this.asking = taker;
    this.gate.classList.toggle("asking", Boolean(taker));
  }

  async #press(event) {
    if (event.button !== 0 || !this.ready) return;
    this.gate.focus({ preventScroll: true });
    const { x, y, scale } = this.framePoint(event);
    if (this.asking) {
      this.asking({ x, y });
      return this.ask(null);
    }
    if (this.point) return this.#dragPoint(event);
    if (this.rectangles) return this.#drawRectangle(event);
    if (this.marking?.press(event)) return;
    if (this.bench === "arrange") {
      if (!event.shiftKey && this.handles.press(event)) return;
      return this.#pressLayer(event, x, y, scale);
    }
    if (this.bench === "dress") return this.#pressMask(event) || this.#pressThing(event, scale);
    this.#moveCamera(event, x, y, scale);
  }

  /** Move the camera of the chosen framing: what is under the pointer is what the drag grasps. */
  #moveCamera(event, x, y, scale) {
    const { scene } = this;
    const { frame } = scene;
    const { framing } = scene;
    let layer = null;
    scene.pick(x, y).then((found) => (layer = found ?? ""));
    this.dragging(event, ({ dx, dy, event: now }) => {
      if (layer === null) return null;
      const fine = now.shiftKey ? FINE : 1;
      return ["move_camera", { framing, move: this.move, layer, x, y, frame, dx: dx * scale * fine, dy: dy * scale * fine }];
    }, () => scene.go(scene.data.framings[framing].frame));
  }

  /** Where lamps and what stands in the air are seen, in overlay pixels; without those behind the camera. */
  get #things() {
    return thingsIn(this.record).map((thing) => ({ ...thing, seen: this.#placed(thing.place) })).filter(({ seen }) => seen);
  }

  /** Where a place on the stage is seen, in overlay pixels; null behind the camera. */
  #placed(place) {
    return this.seen(this.record.clip, [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, ...place, 1], [0, 0]);
  }

  /** Choose what stands under the pointer and drag it across what the camera sees. */
  #pressThing(event, scale) {
    const box = this.gate.getBoundingClientRect();
    const far = ({ seen: [x, y] }) => Math.hypot(x - (event.clientX - box.left), y - (event.clientY - box.top));
    const found = this.#things.filter((thing) => far(thing) < 14).sort((one, other) => far(one) - far(other))[0];
    if (!found) return this.scene.choose({ layer: "" });
    this.scene.choose({ layer: found.of });
    const { frame } = this.scene;
    const [verb, whom] = editOf(found.of, "drag_*_seen");
    this.dragging(event, ({ dx, dy, event: now }) => {
      const fine = now.shiftKey ? FINE : 1;
      return [verb, { ...whom, frame, dx: dx * scale * fine, dy: dy * scale * fine }];
    });
  }

  #thingMarks() {
    return this.#things.map(({ of, name, on, lines, seen: [x, y] }) => {
      const chosen = this.scene.layer === of;
      const classes = ["lamp", chosen && "chosen", !on && "off"].filter(Boolean).join(" ");
      const shown = chosen ? lines.map((line) => line.map((place) => this.#placed(place)).filter(Boolean)) : [];
      const outline = shown.map((line) => svg("polyline", { class: "beam", points: line.map(([ex, ey]) => `${ex - x},${ey - y}`).join(" ") }));
      const bulb = of.startsWith("lamp:") ? svg("circle", { class: "bulb", r: 7 }) : svg("path", { class: "bulb", d: "M0 -8L8 0L0 8L-8 0z" });
      return svg("g", { class: classes, transform: `translate(${x} ${y})` }, ...outline, bulb, svg("text", { x: 12, y: 4 }, name));
    });
  }

  /** Where the chosen effect is seen: its mask's outline, and where that begins to fade. */
  #maskMarks() {
    const lines = this.record.finish?.masks[this.scene.layer] ?? [];
    const { x, y, width, height } = this.place;
    const marks = lines.map((line, n) => svg("polyline", { class: n ? "mask-line soft" : "mask-line", points: line.map(([u, v]) => `${x + u * width},${y + v * height}`).join(" ") }));
    const [middle, ...sides] = this.#holds;
    if (middle) marks.push(svg("path", { class: "pivot", d: "M-7 0h14M0 -7v14", transform: `translate(${middle.at})` }));
    return [...marks, ...sides.map(({ at: [cx, cy] }) => svg("circle", { class: "hold", cx, cy, r: 5 }))];
  }

  /** By what the chosen effect's mask is dragged: its middle, its side and its top, in overlay pixels. */
  get #holds() {
    const { x, y, width, height } = this.place;
    const names = ["middle", "side", "top"];
    const seen = this.record.finish?.holds[this.scene.layer] ?? [];
    return seen.map(([u, v], n) => ({ hold: names[n], at: [x + u * width, y + v * height] }));
  }

  /** Drag what of a mask is under the pointer; false if nothing is. */
  #pressMask(event) {
    const box = this.gate.getBoundingClientRect();
    const far = ({ at: [x, y] }) => Math.hypot(x - (event.clientX - box.left), y - (event.clientY - box.top));
    const found = this.#holds.filter((each) => far(each) < 12).sort((one, other) => far(one) - far(other))[0];
    if (!found) return false;
    const { frame, layer: thing, as } = this.scene;
    this.dragging(event, ({ event: now }) => {
      const { x, y } = this.framePoint(now);
      return ["drag_mask", { thing, frame, hold: found.hold, x, y, alone: as === "camera" }];
    });
    return true;
  }

  #dragPoint(event) {
    const put = (now) => {
      const { x, y } = this.framePoint(now);
      this.point = { x, y };
      this.#mark();
    };
    put(event);
    drag(this.gate, event, { move: ({ event: now }) => put(now), end: () => this.pointChanged?.(), cancel: () => this.pointChanged?.() });
  }

  /** Draw what the next framing shows, in the frame's own shape. */
  #drawRectangle(event) {
    const start = this.framePoint(event);
    const { width, height } = this.scene.data;
    const box = (now) => {
      const { x, y } = this.framePoint(now);
      const size = Math.max(Math.abs(x - start.x) / width, Math.abs(y - start.y) / height);
      return { x0: start.x, y0: start.y, x1: start.x + Math.sign(x - start.x || 1) * size * width, y1: start.y + Math.sign(y - start.y || 1) * size * height };
    };
    const end = () => {
      this.drawing = null;
      this.#mark();
    };
    drag(this.gate, event, {
      move: ({ event: now }) => {
        this.drawing = box(now);
        this.#mark();
      },
      end: ({ event: now }) => {
        this.#frame(box(now), { at_playhead: now.shiftKey, by: now.altKey ? "zoom" : "dolly" });
        end();
      },
      cancel: end,
    });
  }

  /** Make a framing of a rectangle, on what is seen in its middle: behind the last, or at the playhead. */
  async #frame(box, how) {
    const { scene } = this;
    const layer = (await scene.pick((box.x0 + box.x1) / 2, (box.y0 + box.y1) / 2)) ?? "";
    await scene.edit("frame_rectangle", { frame: scene.frame, layer, ...box, ...how });
  }

  #pressLayer(event, x, y, scale) {
    const { scene } = this;
    const take = (layer) => {
      if (!layer) return scene.choose({ layer: "", more: event.shiftKey });
      const meant = scene.meant(layer, this.folded);
      if (event.shiftKey) scene.choose({ layer: meant, more: true });
      else if (!scene.chosen.includes(layer)) scene.choose({ layer: meant });
      lead = layer;
    };
    // A drag within the box of what is chosen is of that; a mere click chooses what is seen there.
    const box = this.gate.getBoundingClientRect();
    let lead = event.shiftKey ? null : this.handles.chosenAt(event.clientX - box.left, event.clientY - box.top);
    const held = Boolean(lead);
    // Asked for at once; the drag waits for the answer.
    if (!held) scene.pick(x, y).then(take);
    const clicked = () => held && scene.pick(x, y).then(take);
    this.#dragging(event, scale, () => {
      if (!lead) return null;
      const { chosen } = scene;
      return chosen.length > 1 ? ["drag_layers", { layers: chosen, lead, frame: scene.frame }] : ["drag_layer", { layer: lead, frame: scene.frame }];
    }, clicked);
  }

  #dragging(event, scale, subject, clicked) {
    this.dragging(event, ({ dx, dy }) => {
      const what = subject();
      return what && [what[0], { ...what[1], dx: dx * scale, dy: dy * scale }];
    }, undefined, undefined, undefined, clicked);
  }

  /** Preview what a drag wishes for while it lasts, and keep it at its end. */
  dragging(event, wish, begin = () => {}, kept = () => {}, over = () => {}, clicked = () => {}) {
    this.gate.classList.add("busy");
    const finish = () => {
      over();
      this.scene.endDrag();
      this.gate.classList.remove("busy");
    };
    drag(this.gate, event, {
      move: (now) => {
        if (!this.scene.dragging) begin();
        this.scene.beginDrag();
        const asked = wish(now);
        if (asked) this.scene.preview(...asked);
      },
      end: (now) => {
        finish();
        const asked = wish(now);
        if (asked) this.scene.edit(...asked).then((done) => done && kept());
      },
      cancel: () => {
        const moved = this.scene.dragging;
        finish();
        this.scene.forget();
        if (!moved) clicked();
      },
    });
  }

  #mark() {
    if (!this.place || !this.scene.data) return;
    const { x, y, width, height } = this.place;
    const marks = [];
    if (this.beyond) {
      const room = this.gate.getBoundingClientRect();
      marks.push(svg("path", { class: "beyond", "fill-rule": "evenodd", d: `M0 0h${room.width}v${room.height}h${-room.width}zM${x} ${y}h${width}v${height}h${-width}z` }));
    }
    if (this.scene.autoKey) marks.push(svg("rect", { class: "keying", x: x + 2, y: y + 2, width: width - 4, height: height - 4 }), svg("text", { class: "keying-note", x: x + 10, y: y + 20 }, "auto-key: what is changed is keyed here"));
    marks.push(svg("rect", { class: "frame-line", x: x - 0.5, y: y - 0.5, width: width + 1, height: height + 1 }));
    if (this.guides) marks.push(...this.#guides(this.scene.current.data.guides));
    if (this.bench === "arrange") marks.push(...this.handles.marks());
    if (this.bench === "dress") marks.push(...this.#thingMarks(), ...this.#maskMarks());
    if (this.marking) marks.push(...this.marking.marks());
    if (this.point) marks.push(...this.#pointMark());
    if (this.drawing) marks.push(this.#drawn());
    if (this.inset) marks.push(...this.#where());
    if (this.scene.beside) marks.push(...this.#sides());
    const said = this.scene.shown?.said; // what a drag does to the camera
    if (said) marks.push(svg("text", { class: "said", x: x + 12, y: y + height - 12 }, said));
    this.overlay.replaceChildren(...marks);
  }

  #pointMark() {
    const scale = this.place.width / this.scene.data.width;
    const at = `translate(${this.place.x + this.point.x * scale} ${this.place.y + this.point.y * scale})`;
    return [svg("circle", { class: "aim", r: 9, transform: at }), svg("path", { class: "aim", d: "M-15 0h8M7 0h8M0 -15v8M0 7v8", transform: at })];
  }

  #drawn() {
    const scale = this.place.width / this.scene.data.width;
    const { x0, y0, x1, y1 } = this.drawing;
    return svg("rect", { class: "drawn", x: this.place.x + Math.min(x0, x1) * scale, y: this.place.y + Math.min(y0, y1) * scale, width: Math.abs(x1 - x0) * scale, height: Math.abs(y1 - y0) * scale });
  }

  /** Which half is which. */
  #sides() {
    const { x, y, width, height } = this.place;
    const at = y + height * 0.75 + 18;
    return [svg("text", { class: "said", x: x + 8, y: at }, "this route"), svg("text", { class: "said", x: x + width / 2 + 8, y: at }, this.scene.take)];
  }

  /** The whole picture, small, with what the frame shows of it. */
  #where() {
    const { whole, textures } = this.scene.data;
    const { seen } = this.record;
    if (!whole || !textures[whole.texture]) return [];
    const wide = Math.min(150, 120 * whole.aspect);
    const high = wide / whole.aspect;
    const [x, y] = [this.place.x + this.place.width - wide - 8, this.place.y + this.place.height - high - 8];
    const thumbnail = `${textures[whole.texture]}&thumb=1`;
    const marks = [svg("image", { href: thumbnail, x, y, width: wide, height: high, preserveAspectRatio: "none" }), svg("rect", { class: "inset", x, y, width: wide, height: high })];
    if (seen) marks.push(svg("polygon", { class: "inset-frame", points: seen.map(([u, v]) => `${x + u * wide},${y + v * high}`).join(" ") }));
    return marks;
  }

  /** Safe areas and thirds; `data.guides` are boxes in frame pixels. */
  #guides({ action, title, thirds }) {
    const { x, y, width, height } = this.place;
    const scale = width / this.scene.data.width;
    const box = ([bx, by, bw, bh]) => ({ x: x + bx * scale, y: y + by * scale, width: bw * scale, height: bh * scale });
    const third = box(thirds);
    const cross = `M${third.x} ${y}v${height}M${third.x + third.width} ${y}v${height}M${x} ${third.y}h${width}M${x} ${third.y + third.height}h${width}`;
    const named = (words, at) => svg("text", { class: "guide-name", x: at.x + 4, y: at.y + at.height - 4 }, words);
    const [a, t] = [box(action), box(title)];
    return [svg("path", { class: "guide thirds", d: cross }), svg("rect", { class: "guide", ...a }), svg("rect", { class: "guide", ...t }), named("action 93 %", a), svg("text", { class: "guide-name", x: t.x + 4, y: t.y + 12 }, "title 90 %")];
  }

  /** Where a point of a card (shares of its size from its middle, y up) is drawn, in overlay pixels; null behind the camera. */
  seen(clip, matrix, [u, v]) {
    const world = [0, 1, 2, 3].map((i) => matrix[i] * u + matrix[4 + i] * v + matrix[12 + i]);
    const at = [0, 1, 3].map((i) => world.reduce((sum, value, k) => sum + clip[4 * k + i] * value, 0));
    if (at[2] <= 0) return null;
    const { x, y, width, height } = this.place;
    return [x + ((at[0] / at[2] + 1) / 2) * width, y + ((1 - at[1] / at[2]) / 2) * height];
  }

  /** A frame's own pixels, once all it is drawn of is here. */
  snapshot(width, height, frame, gathered = false) {
    const record = this.scene.data.frames[frame];
    return this.screen.snapshot(record, [width, height], gathered && record.camera.focus?.blur > 0);
  }

  dispose() {
    clearTimeout(this.refining);
    clearTimeout(this.resting);
    this.watch.disconnect();
    this.screen.dispose();
  }
}
