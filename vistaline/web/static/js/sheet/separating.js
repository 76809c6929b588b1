// The Separate bench: a picture, its cutouts, and the tools that draw their masks.
import { Board } from "./board.js";
import { Depths } from "./depths.js";
import { Edits, ask, token } from "./edits.js";
import { Looks } from "./looks.js";
import { drawNotes, thinned } from "./notes.js";
import { notice } from "../page/notice.js";
import { silenced, taken } from "../page/keyboard.js";
import { svg } from "../page/svg.js";
import { Wire } from "./wire.js";

const TOOLS = ["hand", "outline", "likeness", "paint", "guess", "plane", "hair", "clone"];
const LOOKS = ["overlay", "outline", "alpha", "cut"];
const BRUSHES = ["paint", "guess", "hair", "clone", "take", "avoid"];
const HINTS = {
  likeness: "Click what looks like what you want.",
  paint: "Paint. Hold Alt to take away; comma and full stop change the size.",
  guess: "A stroke over the subject, then strokes where the guess is wrong.",
  hair: "Paint over hair and foliage at the edge, then solve the edges.",
  take: "Paint where texture may be taken from.",
  avoid: "Paint what texture must not be taken from.",
};

export class Separating {
  constructor(element) {
    this.element = element;
    this.edits = new Edits(element.dataset.address);
    this.board = new Board(element);
    this.looks = new Looks(this.board, element.dataset.address);
    this.board.paint = (context) => this.#paint(context);
    this.board.press = (event, point) => this.#press(event, point);
    this.depths = new Depths(element, this.board, this.edits, this.looks);
    this.chosen = "";
    this.live = [];
    this.areas = { take: [], avoid: [] };
    this.values = { effect: "add", says: "this", size: 60, softness: 0.3, tolerance: 12, touching: true, sample: 3, ...remembered() };
    /** @type {[EventTarget, string, (event: any) => any][]} */
    this.listeners = [
      [document.body, "sheetchange", () => this.load()],
      [document.body, "picturechange", () => this.load()],
      [document, "keydown", (event) => this.#key(event)],
      [document, "keyup", (event) => this.board.key(event)],
    ];
    for (const [target, kind, listener] of this.listeners) target.addEventListener(kind, listener);
    element.addEventListener("click", (event) => this.#click(event));
    element.addEventListener("htmx:after:swap", () => this.#tellAreas());
    element.addEventListener("input", (event) => this.#option(event.target));
    element.addEventListener("change", (event) => this.#changed(event.target));
    this.board.room.addEventListener("pointermove", (event) => this.#hover(event));
    this.board.room.addEventListener("pointerleave", () => this.#hover(null));
    this.#showOptions();
    this.#take("paint");
    this.load();
  }

  async load() {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const state = await ask(`${this.edits.address}/separate.json`);
    if (turn !== this.turn) return;
    const first = !this.state;
    // What else shows the masks waits for them, and lets the board be drawn first.
    if (turn > 1) document.body.dispatchEvent(new CustomEvent("masksknown"));
    if (!state) return;
    this.state = state;
    if (!state.cutouts.some((cutout) => cutout.id === this.chosen)) this.#choose(first ? (state.cutouts[0]?.id ?? "") : "", true);
    // A stroke is drawn by hand until the mask that holds it is here.
    this.live = this.live.filter((stroke) => stroke.masks || !stroke.kept);
    for (const stroke of this.live) if (stroke.kept) stroke.shown = true;
    this.depths.load(state);
    this.board.setSize(...state.size, this.depths.span(state.size));
    this.board.veil.hidden = true;
    if (this.cutout?.error) notice(this.cutout.error);
    this.#say();
    this.board.redraw();
    this.board.room.dataset.ready = String(state.version);
  }

  get cutout() {
    return this.state?.cutouts.find((cutout) => cutout.id === this.chosen);
  }

  #choose(key, quietly = false) {
    this.chosen = key;
    this.wire = null;
    this.looks.before = null;
    document.getElementById("chosen").elements.cutout.value = key;
    document.body.dispatchEvent(new CustomEvent("cutoutchosen"));
    this.#say();
    if (!quietly) this.board.redraw();
  }

  /** The cutout that is worked on; the first stroke begins one. */
  async #target() {
    return this.cutout ? this.chosen : this.#begin("add_cutout", {}, true);
  }

  /** Make an edit that begins a cutout, and choose that one; null if none came of it. */
  async #begin(verb, values, quietly = false) {
    const before = new Set(this.state.cutouts.map((cutout) => cutout.id));
    if (!(await this.edits.make(verb, values))) return null;
    await this.load();
    const added = this.state.cutouts.find((cutout) => !before.has(cutout.id));
    if (added) this.#choose(added.id, quietly);
    return added?.id ?? null;
  }

  async #edit(verb, values) {
    const cutout = await this.#target();
    return cutout ? this.edits.make(verb, { cutout, ...values }) : false;
  }

  // --- what is seen ---

  #paint(context) {
    if (!this.state) return;
    if (this.depths.active) return this.depths.paint(context, this.cursor);
    const masking = this.live.filter((stroke) => stroke.masks);
    const whole = this.looks.paint(context, this.state, this.cutout, masking);
    if (whole) this.live = this.live.filter((stroke) => !stroke.shown);
    if (whole && masking.some((stroke) => stroke.shown)) this.board.redraw();
    this.#paintNotes(context);
    this.board.overlay.replaceChildren(...this.#marks());
  }

  // Strokes that are no mask: what a guess is told, hair, where texture comes from.
  #paintNotes(context) {
    const notes = this.live.filter((stroke) => !stroke.masks).map((stroke) => [stroke, stroke.colour]);
    const plain = this.looks.look === "overlay" || this.looks.look === "outline";
    if (this.tool === "guess" && plain) for (const step of this.cutout?.steps ?? []) if (step.kind === "guess") notes.push(...step.this.map((s) => [s, "#3f9a63"]), ...step.not_this.map((s) => [s, "#b2452f"]));
    if (this.tool === "hair" && plain) notes.push(...(this.cutout?.hair ?? []).map((s) => [s, "#4f7590"]));
    if (this.tool === "take" || this.tool === "avoid") notes.push(...this.areas.take.map((s) => [s, "#3f9a63"]), ...this.areas.avoid.map((s) => [s, "#b2452f"]));
    drawNotes(context, this.board.view, notes.map(([stroke, colour]) => [stroke, `${colour}90`]));
  }

  #marks() {
    const marks = this.wire ? this.wire.marks(this.wire.closed ? null : this.cursor) : [];
    if (this.drawnBox) {
      const [a, b] = [this.board.toScreen(this.drawnBox[0]), this.board.toScreen(this.drawnBox[1])];
      const box = { x: Math.min(a[0], b[0]), y: Math.min(a[1], b[1]), width: Math.abs(a[0] - b[0]), height: Math.abs(a[1] - b[1]) };
      marks.push(svg("rect", { class: "wire under", ...box }), svg("rect", { class: "wire", ...box }));
    }
    if (this.cursor && BRUSHES.includes(this.tool)) {
      const r = (this.values.size / 2) * this.board.view.scale;
      marks.push(svg("circle", { class: "ring", cx: this.cursor.x, cy: this.cursor.y, r: Math.max(1, r) }));
      const soft = ["paint", "clone"].includes(this.tool) ? this.values.softness : 0;
      if (soft > 0 && r > 6) marks.push(svg("circle", { class: "ring inner", cx: this.cursor.x, cy: this.cursor.y, r: r * (1 - soft) }));
    }
    if (this.tool === "clone" && this.source) {
      const from = this.offset && this.cursor ? [this.cursor.x + this.offset[0] * this.board.view.scale, this.cursor.y + this.offset[1] * this.board.view.scale] : this.board.toScreen(this.source);
      marks.push(svg("path", { class: "cross", d: `M${from[0] - 8} ${from[1]}h16M${from[0]} ${from[1] - 8}v16` }));
    }
    return marks;
  }

  #say() {
    if (this.depths.active) return this.depths.say();
    const { cutout } = this;
    const care = this.element.querySelector('[data-part="care"]');
    care.textContent = cutout && this.looks.look === "cut" && !cutout.empty ? (cutout.matte ? "edge solved" : cutout.care ? "edge as drawn: solve the edges to see it clean" : "edge as drawn") : "";
    this.element.querySelector('[data-part="grounds"]').hidden = this.looks.look !== "cut";
    this.element.querySelector('[data-part="colour"]').hidden = this.looks.look !== "cut" || this.looks.ground !== "colour";
    let hint = HINTS[this.tool] ?? "";
    if (this.tool === "clone") hint = !this.state?.plates[""] ? "Fill the plate first; the clone brush paints on it." : this.source ? "Paint; it copies from beside." : "Click where to copy from.";
    if (this.wire?.closed) hint = "Drag points and handles. Click the line to add a point, Alt-click to remove one, double-click for smooth or corner.";
    this.element.querySelector('[data-part="hint"]').textContent = hint;
  }

  // --- tools ---

  #take(tool) {
    this.tool = tool;
    this.wire = null;
    this.board.moving = this.board.keptMoving = tool === "hand";
    this.board.room.style.cursor = tool === "hand" ? "grab" : BRUSHES.includes(tool) ? "none" : "crosshair";
    for (const button of this.element.querySelectorAll("[data-tool]")) button.setAttribute("aria-pressed", String(button.dataset.tool === tool));
    for (const option of this.element.querySelectorAll("[data-part=options] > [data-for]")) option.hidden = !option.dataset.for.split(" ").includes(tool);
    if (tool === "clone" && this.chosen) this.#choose("");
    this.#say();
    this.board.redraw();
  }

  #press(event, point) {
    if (this.depths.active) return this.depths.press(event, point);
    const at = [point.x, point.y];
    if (this.tool === "outline" || this.tool === "plane") return this.#draw(event, point);
    if (this.wire?.closed && this.wire.press(event, point)) return;
    if (event.shiftKey && BRUSHES.includes(this.tool)) return this.#sizeByDrag(event);
    if (this.tool === "likeness") {
      const { effect, tolerance, touching, sample } = this.values;
      return this.#edit("add_mask_step", { step: { kind: "likeness", effect, at, tolerance, touching, sample } });
    }
    if (this.tool === "guess" && this.values.says === "box") return this.#dragBox(event, at);
    if (this.tool === "clone") return this.#clone(event, at);
    this.#stroke(event, at);
  }

  #draw(event, point) {
    if (!this.wire) {
      this.wire = new Wire(this.board, this.tool);
      this.wire.onDone = () => this.#keepWire();
    }
    if (!this.wire.press(event, point) && this.wire.closed) {
      this.wire = null;
      this.#draw(event, point);
    }
    this.#say();
  }

  async #keepWire() {
    const { wire } = this;
    if (!wire) return;
    const shape = wire.kind === "plane" ? { corners: wire.points.map((p) => p.at) } : { points: wire.points };
    if (wire.index === null) {
      this.wire = null;
      await this.#edit("add_mask_step", { step: { kind: wire.kind, effect: this.values.effect, ...shape } });
    } else await this.#edit("set_mask_step", { index: wire.index, values: shape });
    this.board.redraw();
  }

  #reshape(index) {
    const step = this.cutout.steps[index];
    const points = step.kind === "plane" ? step.corners.map((at) => ({ at })) : step.points.map(({ at, before, after }) => ({ at, ...(before && { before }), ...(after && { after }) }));
    this.#take("hand");
    this.board.moving = this.board.keptMoving = false;
    this.wire = new Wire(this.board, step.kind, points, { closed: true, index });
    this.wire.onDone = () => this.#keepWire();
    this.#say();
    this.board.redraw();
  }

  #dropped(stroke) {
    this.live = this.live.filter((each) => each !== stroke);
  }

  #stroke(event, at) {
    const { size, softness, says } = this.values;
    const effect = event.altKey ? "take" : this.values.effect;
    const { tool } = this;
    const notes = { guess: (event.altKey ? "not_this" : says) === "this" ? "#3f9a63" : "#b2452f", hair: "#4f7590", take: "#3f9a63", avoid: "#b2452f" };
    const stroke = { points: [at], width: size, softness: tool === "paint" ? softness : 0, effect, masks: tool === "paint", colour: notes[tool] };
    this.live.push(stroke);
    this.board.redraw();
    this.board.track(event, ({ x, y }) => stroke.points.push([x, y]), async () => {
      const plain = { points: thinned(stroke.points), width: stroke.width, softness: stroke.softness };
      if (tool === "take" || tool === "avoid") {
        this.areas[tool].push(plain);
        this.#dropped(stroke);
        return this.#tellAreas();
      }
      const kept =
        tool === "paint"
          ? await this.#edit("paint_mask", { stroke: plain, effect })
          : tool === "guess"
            ? await this.#edit("guess_mask", { stroke: plain, says: event.altKey ? "not_this" : says, effect: this.values.effect })
            : await this.#edit("brush_hair", { stroke: plain });
      stroke.kept = true;
      if (!kept) {
        this.#dropped(stroke);
        this.board.redraw();
      }
    }, () => this.#dropped(stroke));
  }

  async #standsOut() {
    const kept = await this.#edit("guess_mask", { alone: true, effect: this.values.effect });
    if (kept) notice("That is what stands out, about. Strokes over it and beside it mend it.", "info");
  }

  #dragBox(event, at) {
    this.drawnBox = [at, at];
    this.board.track(event, ({ x, y }) => (this.drawnBox[1] = [x, y]), async () => {
      const [a, b] = this.drawnBox;
      const box = [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.abs(a[0] - b[0]), Math.abs(a[1] - b[1])];
      await this.#edit("guess_mask", { box, effect: this.values.effect });
      this.drawnBox = null;
      this.board.redraw();
    }, () => (this.drawnBox = null));
  }

  #clone(event, at) {
    if (!this.state.plates[""]) return notice("Fill the plate first; the clone brush paints on it.");
    if (!this.source) {
      this.source = at;
      this.offset = null;
      this.#say();
      return this.board.redraw();
    }
    this.offset ??= [this.source[0] - at[0], this.source[1] - at[1]];
    const { size, softness } = this.values;
    const stroke = { points: [at], width: size, softness, colour: "#f0a53a" };
    this.live.push(stroke);
    this.board.track(event, ({ x, y }) => stroke.points.push([x, y]), async () => {
      await this.edits.make("clone_plate", { clone: { stroke: { points: thinned(stroke.points), width: size, softness }, offset: this.offset }, behind: "" });
      this.#dropped(stroke);
      this.board.redraw();
    }, () => this.#dropped(stroke));
  }

  #sizeByDrag(event) {
    const from = this.values.size;
    const x = event.clientX;
    this.board.track(event, (_, e) => this.#size(from * Math.exp((e.clientX - x) / 120)), () => {}, () => this.#size(from));
  }

  #size(size) {
    this.values.size = Math.round(Math.min(3000, Math.max(1, size)));
    this.#showOptions();
    this.board.redraw();
  }

  #hover(event) {
    const box = this.board.room.getBoundingClientRect();
    this.cursor = event && { x: event.clientX - box.left, y: event.clientY - box.top };
    if (this.board.asked) return; // drawn with the rest in a moment
    if (this.depths.active) return this.board.overlay.replaceChildren(...this.depths.marks(this.cursor));
    if (BRUSHES.includes(this.tool) || (this.wire && !this.wire.closed)) this.board.overlay.replaceChildren(...this.#marks());
  }

  #tellAreas() {
    const { take, avoid } = this.areas;
    const form = document.getElementById("fill");
    if (!form) return;
    form.elements.take.value = JSON.stringify(take);
    form.elements.avoid.value = JSON.stringify(avoid);
    const words = form.querySelector('[data-part="areas"]');
    words.textContent = take.length || avoid.length ? `${take.length} strokes to take from, ${avoid.length} not to ` : "";
    if (words.textContent) {
      const clear = Object.assign(document.createElement("button"), { type: "button", className: "link", textContent: "clear" });
      clear.dataset.do = "clear-areas";
      words.append(clear);
    }
    this.board.redraw();
  }

  // --- what is clicked, typed, chosen ---

  #click(event) {
    const on = (name) => event.target.closest(`[data-${name}]`)?.dataset;
    if (on("tool")) this.#take(on("tool").tool);
    if (on("effect")) this.#set("effect", on("effect").effect);
    if (on("says")) this.#set("says", on("says").says);
    if (on("look")) this.#see(on("look").look);
    if (on("ground")) {
      this.looks.ground = on("ground").ground;
      for (const each of this.element.querySelectorAll("[data-ground]")) each.setAttribute("aria-pressed", String(each.dataset.ground === this.looks.ground));
      this.#say();
      this.board.redraw();
    }
    if (on("cutout")) this.#choose(on("cutout").cutout);
    if ("addsCutout" in (on("adds-cutout") ?? {})) this.#begin("add_cutout", {});
    if (on("cuts-part")) this.#begin("cut_part", { cutout: on("cuts-part").cutsPart });
    if (on("tab")) this.#tab(on("tab").tab);
    if (on("fills-part")) this.#followFill(on("fills-part").fillsPart);
    if (on("uses")) this.edits.make("use_plate", { file: on("uses").uses, behind: on("uses").useBehind });
    if (on("reshapes")) this.#reshape(Number(on("reshapes").reshapes));
    if (on("do")?.do === "alone") return this.#standsOut();
    if (on("do")?.do === "source") {
      this.source = this.offset = null;
      this.#say();
      this.board.redraw();
    }
    if (on("do")?.do === "clear-areas") {
      this.areas = { take: [], avoid: [] };
      this.#tellAreas();
    }
  }

  #tab(name) {
    for (const tab of this.element.querySelectorAll("[data-tab]")) tab.setAttribute("aria-selected", String(tab.dataset.tab === name));
    for (const page of this.element.querySelectorAll("[data-tab-of]")) page.hidden = page.dataset.tabOf !== name;
    this.depths.show(name === "depth");
    if (name !== "depth") this.#take(this.tool);
  }

  /** The tries behind a cutout, where a fill that was just asked for is followed. */
  #followFill(behind) {
    document.getElementById("chosen").elements.behind.value = behind;
    this.#tab("plate");
  }

  #see(look) {
    this.looks.look = look;
    for (const each of this.element.querySelectorAll("[data-look]")) each.setAttribute("aria-pressed", String(each.dataset.look === look));
    this.#say();
    this.board.redraw();
  }

  #set(name, value) {
    this.values[name] = value;
    this.#showOptions();
  }

  #showOptions() {
    const { values } = this;
    for (const name of ["effect", "says"]) for (const button of this.element.querySelectorAll(`[data-${name}]`)) button.setAttribute("aria-pressed", String(button.dataset[name] === values[name]));
    const field = (name) => this.element.querySelector(`[data-part=options] [name="${name}"]`);
    for (const name of ["size", "softness", "tolerance", "sample"]) field(name).value = values[name];
    field("touching").checked = values.touching;
    this.element.querySelector("[data-slides=size]").value = (Math.log(values.size) / Math.log(3000)) * 100;
    this.element.querySelector('[data-says-value="tolerance"]').textContent = values.tolerance;
    sessionStorage.setItem("vistaline-tools", JSON.stringify(values));
  }

  #option(field) {
    if (field.dataset.part === "colour") {
      this.looks.colour = field.value;
      return this.board.redraw();
    }
    if (!field.closest("[data-part=options]")) return;
    if (field.dataset.slides === "size") return this.#size(3000 ** (field.value / 100));
    if (field.name) this.#set(field.name, field.type === "checkbox" ? field.checked : Number(field.value) || 1);
    if (field.name === "softness") this.#set("softness", Number(field.value));
  }

  #changed(field) {
    if (field.dataset.setsEffect) this.#edit("set_mask_step", { index: Number(field.dataset.setsEffect), values: { effect: field.value } });
    const step = field.closest("[data-mask-step]");
    if (step) this.#edit("set_mask_step", { index: Number(step.dataset.maskStep), values: { [field.name]: field.type === "checkbox" ? field.checked : Number(field.value) } });
    if ("behind" in field.dataset) {
      document.getElementById("chosen").elements.behind.value = field.value;
      document.body.dispatchEvent(new CustomEvent("platechange"));
    }
  }

  #key(event) {
    if (event.defaultPrevented || silenced(event) || taken(event)) return;
    const { key } = event;
    if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === "z") {
      event.preventDefault();
      return this.edits.post(event.shiftKey ? "redo" : "undo");
    }
    if (event.ctrlKey || event.metaKey) return;
    if (this.depths.active) return this.depths.key(event);
    const turn = (list, now) => list[(list.indexOf(now) + 1) % list.length];
    const deeds = {
      ",": () => this.#size(this.values.size / 1.2),
      ".": () => this.#size(this.values.size * 1.2 + 0.5),
      e: () => this.#set("effect", turn(["add", "take", "keep"], this.values.effect)),
      f: () => this.tool === "guess" && this.#standsOut(),
      q: () => this.#set("says", this.values.says === "this" ? "not_this" : "this"),
      v: () => this.#see(turn(LOOKS, this.looks.look)),
      n: () => this.#begin("add_cutout", {}),
      Escape: () => this.#giveUp(),
      Backspace: () => this.wire && !this.wire.closed && this.wire.back(),
      Enter: () => this.wire?.closed === false && this.wire.points.length >= 3 && this.wire.kind === "outline" && ((this.wire.closed = true), this.#keepWire()),
    };
    if (TOOLS[Number(key) - 1]) this.#take(TOOLS[Number(key) - 1]);
    else if (deeds[key]) deeds[key]();
    else if (!this.board.key(event)) return;
    if (!event.target.closest("button, summary, a") || key !== "Enter") event.preventDefault();
  }

  #giveUp() {
    this.wire = null;
    this.drawnBox = null;
    this.#say();
    this.board.redraw();
  }

  dispose() {
    this.depths.dispose();
    for (const [target, kind, listener] of this.listeners) target.removeEventListener(kind, listener);
    this.board.dispose();
  }
}

/** A plate that was painted elsewhere is sent as soon as it is chosen. */
export class PaintedPlate {
  constructor(form) {
    form.addEventListener("change", async () => {
      const answer = await fetch(form.action, { method: "POST", body: new FormData(form), headers: { Accept: "application/json", "X-CSRFToken": token() } });
      if (!answer.ok) notice((await answer.json().catch(() => ({}))).error ?? "The plate could not be sent. Try again.");
      form.reset();
      document.body.dispatchEvent(new CustomEvent("platechange"));
    });
  }
}

function remembered() {
  try {
    return JSON.parse(sessionStorage.getItem("vistaline-tools")) ?? {};
  } catch {
    return {};
  }
}
