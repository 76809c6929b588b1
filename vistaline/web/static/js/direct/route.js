// The route in time: framings as pictures of themselves on pins, joined by travels whose filled
// hump is the speed; the playhead.
import { drag } from "../page/drag.js";
import { roundStep, svg } from "../page/svg.js";
import { TimeScale } from "./scale.js";

const LEFT = 78;
const RIGHT = 78;
const TOP = 22;
const GROUND = 132;

export class Route {
  constructor(desk, scene, transport) {
    this.scene = scene;
    this.transport = transport;
    this.sheet = desk.querySelector('[data-part="route"]');
    this.note = desk.querySelector('[data-part="route-note"]');
    this.cameras = desk.querySelector('[data-part="cameras"]');
    this.watch = new ResizeObserver(() => this.#change());
    this.watch.observe(this.sheet);
    this.sheet.addEventListener("pointerdown", (event) => this.#press(event));
    this.onSize = () => {};
    transport.onRange = () => this.#change();
    scene.addEventListener("change", () => this.#change());
    scene.addEventListener("choose", () => this.#change());
    scene.addEventListener("frame", () => this.#head());
    scene.addEventListener("tapped", () => this.#change());
  }

  get #scale() {
    return new TimeScale(this.scene.data.duration, this.size.width, LEFT, RIGHT);
  }

  /** Where a frame is, in pixels from the left. */
  x(frame) {
    return this.#scale.x(frame);
  }

  /** The frame at a place of the page. */
  frameAt(clientX) {
    return this.#scale.frameAt(clientX - this.size.left);
  }

  #change() {
    const box = this.sheet.getBoundingClientRect();
    // While a drag previews one frame the route stays as it was.
    if (!this.scene.data || !box.width || this.scene.shown) return;
    this.size = box;
    const { data } = this.scene;
    this.sheet.replaceChildren(this.#hatch(), ...this.#range(), ...this.#ruler(data), ...this.#markers(data), ...this.#cuts(data), ...this.#travels(data), ...this.#edges(data), svg("g", { class: "head" }), ...this.#stops(data));
    this.onSize();
    this.note.textContent = `${data.framings.length} framing${data.framings.length === 1 ? "" : "s"}; drag a pin, the end of a hold, or the end of the shot`;
    this.#tellCameras(data);
    this.#head();
  }

  /** Which cameras there are, and whether the cut is seen or the directed camera. */
  #tellCameras({ cameras, camera, cuts }) {
    const button = (words, dataset, pressed, title) => {
      const made = Object.assign(document.createElement("button"), { type: "button", className: "quiet", textContent: words, title });
      Object.assign(made.dataset, dataset);
      made.setAttribute("aria-pressed", String(pressed));
      return made;
    };
    if (cameras.length < 2) return this.cameras.replaceChildren();
    const all = cameras.map(({ id, name }) => button(name, { camera: id }, id === camera, `Direct camera ${name}`));
    if (cuts.length) all.push(button("as cut", { do: "as-cut" }, this.scene.as === "cut", "See the shot as it is cut, or all of it through this camera (N)"));
    this.cameras.replaceChildren(...all);
  }

  /** Which camera is seen when; a cut is dragged by its mark. */
  #cuts({ cameras, cuts, opening, duration }) {
    if (cameras.length < 2) return [];
    const name = Object.fromEntries(cameras.map((each) => [each.id, each.name]));
    const starts = [{ frame: 0, camera: opening }, ...cuts];
    return starts.flatMap(({ frame, camera }, n) => {
      const [x, end] = [this.x(frame), this.x(starts[n + 1]?.frame ?? duration - 1)];
      const parts = [svg("rect", { class: camera === this.scene.data.camera ? "seen directed" : "seen", x, y: 20, width: Math.max(0, end - x), height: 14 }), svg("text", { class: "seen-name", x: x + 5, y: 31 }, name[camera])];
      if (n) parts.push(svg("g", { class: "cut", "data-cut": n - 1 }, svg("title", {}, "Drag to cut earlier or later"), svg("rect", { class: "edge-grip", x: x - 5, y: 16, width: 10, height: 22 }), svg("line", { x1: x, x2: x, y1: 17, y2: 37 })));
      return parts;
    });
  }

  #pressCut(event, cut) {
    this.#slide(event, this.scene.data.cuts[cut].frame, (at) => `cut at frame ${at}`, (at) => this.#keep("move_cut", { cut, frame: Math.max(0, at) }));
  }

  #hatch() {
    const pattern = svg("pattern", { id: "hatch", width: 8, height: 8, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)" }, svg("line", { class: "hatch-line", x1: 0, y1: 0, x2: 0, y2: 8 }));
    return svg("defs", {}, pattern);
  }

  #ruler(data) {
    const rate = data.rate[0] / data.rate[1];
    const step = Math.max(roundStep(data.duration / rate / (this.size.width - LEFT - RIGHT), 70), 1 / rate);
    const marks = [svg("line", { class: "ground", x1: LEFT, x2: this.size.width - RIGHT, y1: GROUND, y2: GROUND })];
    for (let second = 0; second * rate <= data.duration - 1; second += step) {
      const x = this.x(second * rate);
      marks.push(svg("line", { class: "tick", x1: x, x2: x, y1: 4, y2: 16 }), svg("text", { x: x + 4, y: 13 }, `${Number(second.toFixed(3))} s`));
    }
    return marks;
  }

  /** Frames that have names, hung from the ruler; those that were set while it plays, too. */
  #markers({ markers = [] }) {
    const all = [...markers, ...[...this.scene.tapped].map((frame) => ({ frame, name: "", colour: "#c9770a", note: "" }))];
    return all.map(({ frame, name, colour, note }) => {
      const x = this.x(frame);
      const mark = svg("g", { class: "marker", "data-go": frame }, svg("title", {}, [name || `marker at frame ${frame}`, note].filter(Boolean).join(": ")), svg("line", { x1: x, x2: x, y1: 0, y2: GROUND }), svg("path", { d: `M${x} 0h7v9l-3.500-3l-3.500 3z` }), svg("text", { x: x + 10, y: 9 }, name));
      mark.style.setProperty("--mark", colour);
      return mark;
    });
  }

  #range() {
    const { range } = this.transport;
    if (!range) return [];
    const [from, to] = range.map((frame) => this.x(frame));
    return [svg("rect", { class: "range", x: from, width: Math.max(2, to - from), y: 1, height: 17 })];
  }

  #travels(data) {
    const { speed } = data.plan.above;
    const rate = data.rate[0] / data.rate[1];
    const parts = [];
    const still = (from, to, kind) => to > from && parts.push(svg("rect", { class: kind, x: this.x(from), width: this.x(to) - this.x(from), y: GROUND - 40, height: 40 }));
    const said = (from, to, words) => {
      const room = this.x(to) - this.x(from);
      const text = `${words} ${((to - from) / rate).toFixed(2)} s`;
      if (room > text.length * 6.2) parts.push(svg("text", { x: (this.x(from) + this.x(to)) / 2, y: GROUND + 18, "text-anchor": "middle" }, text));
    };
    still(0, data.framings[0].frame, "delay");
    data.framings.forEach(({ frame, hold }, n) => {
      still(frame, frame + hold, "hold");
      if (hold) said(frame, frame + hold, "hold");
      if (!n) return;
      const before = data.framings[n - 1].frame + data.framings[n - 1].hold;
      let outline = `M${this.x(before)} ${GROUND}`;
      for (let at = before; at <= frame; at++) outline += `L${this.x(at)} ${GROUND - speed[at] * (GROUND - TOP - 34)}`;
      parts.push(svg("path", { class: "hump", d: `${outline}L${this.x(frame)} ${GROUND}Z` }));
      said(before, frame, "travel");
    });
    const last = data.framings.at(-1);
    still(last.frame + last.hold, data.duration - 1, "delay");
    return parts;
  }

  /** What is dragged besides the pins: where holds end, beside the pin's head, and where the shot does. */
  #edges(data) {
    const holds = data.framings.map(({ frame, hold }, n) => {
      const x = this.x(frame + hold);
      const title = hold ? "Drag to hold it longer or shorter" : "Drag to hold this framing";
      return svg("g", { class: "edge", "data-hold": n },
        svg("title", {}, title), svg("rect", { class: "edge-grip", x: x - 3, y: GROUND - 40, width: 8, height: 40 }), svg("rect", { class: "edge-grip", x: x + 5, y: GROUND, width: 14, height: 18 }),
        svg("line", { x1: x, x2: x, y1: hold ? GROUND - 40 : GROUND, y2: GROUND }), svg("path", { d: `M${x + 7} ${GROUND + 3}l8 5l-8 5z` }));
    });
    const x = this.x(data.duration - 1);
    return [...holds, svg("g", { class: "edge", "data-end": "" },
      svg("title", {}, "Drag to stretch the shot"), svg("rect", { class: "edge-grip", x: x - 4, y: 0, width: 24, height: 20 }),
      svg("line", { x1: x, x2: x, y1: 2, y2: GROUND }), svg("path", { d: `M${x + 3} 4l9 6l-9 6z` }))];
  }

  #stops(data) {
    const [width, height] = data.width >= data.height ? [104, (104 * data.height) / data.width] : [(72 * data.width) / data.height, 72];
    return data.framings.map((framing, n) => {
      const x = this.x(framing.frame);
      const query = new URLSearchParams({ n: framing.frame, width: "208", v: data.version, as: "camera" });
      const top = GROUND - height - 8;
      return svg("g", { class: n === this.scene.framing ? "stop chosen" : "stop", "data-framing": n },
        svg("rect", { x: x - width / 2 - 2, y: top - 2, width: width + 4, height: height + 4, rx: 2 }),
        svg("image", { href: `${this.scene.address}/frame.jpg?${query}`, x: x - width / 2, y: top, width, height, preserveAspectRatio: "xMidYMid slice" }),
        svg("line", { class: "stem", x1: x, x2: x, y1: GROUND - 6, y2: GROUND + 8 }), svg("circle", { cx: x, cy: GROUND + 8, r: 4 }),
        svg("text", { x, y: GROUND + 30, "text-anchor": "middle" }, `${n + 1} ${framing.name}`));
    });
  }

  #head() {
    const place = this.sheet.querySelector(".head");
    if (!place) return;
    const x = this.x(this.scene.frame);
    place.replaceChildren(svg("line", { class: "head-line", x1: x, x2: x, y1: 2, y2: GROUND + 12 }), svg("path", { class: "head-mark", d: `M${x - 6} 0h12l-6 9z` }));
  }

  #press(event) {
    if (event.button !== 0) return;
    this.transport.pause();
    const at = (selector) => event.target.closest(selector);
    if (at(".marker")) return this.#pressMarker(event, Number(at(".marker").dataset.go));
    if (at("[data-hold]")) return this.#pressHold(event, Number(at("[data-hold]").dataset.hold));
    if (at("[data-end]")) return this.#pressEnd(event);
    if (at("[data-cut]")) return this.#pressCut(event, Number(at("[data-cut]").dataset.cut));
    if (at(".stop")) return this.#pressStop(event, Number(at(".stop").dataset.framing));
    const from = this.frameAt(event.clientX);
    this.scene.go(from);
    drag(this.sheet, event, {
      move: ({ event: now }) => {
        const to = this.frameAt(now.clientX);
        this.scene.go(to);
        if (now.shiftKey && to !== from) this.transport.loopRange([Math.min(from, to), Math.max(from, to)]);
      },
      end: () => {},
      cancel: () => event.shiftKey && this.transport.loopRange(null),
    });
  }

  #pressMarker(event, frame) {
    this.scene.go(frame);
    this.sheet.dispatchEvent(new CustomEvent("opentab", { detail: "markers", bubbles: true }));
    this.#slide(event, frame, (to) => `marker at frame ${to}`, (to) => this.#keep("change_marker", { marker: frame, frame: Math.max(0, Math.min(this.scene.data.duration - 1, to)) }));
  }

  get #shifts() {
    return document.querySelector("#shifts input")?.checked ?? false;
  }

  /** Drag a line sideways, with words beside it; `keep` gets the frame it is let go at. */
  #slide(event, from, words, keep) {
    const { step } = this.#scale;
    const target = ({ dx }) => Math.round(from + dx / step);
    const mark = svg("g", { class: "sliding" });
    this.sheet.append(mark);
    drag(this.sheet, event, {
      move: (now) => {
        const x = this.x(from) + (target(now) - from) * step;
        mark.replaceChildren(svg("line", { x1: x, x2: x, y1: TOP, y2: GROUND + 8 }), svg("text", { x: x + 5, y: TOP + 12 }, words(target(now))));
      },
      end: (now) => (target(now) === from ? this.#change() : keep(target(now))),
      cancel: () => this.#change(),
    });
  }

  #seconds(frames) {
    const { rate } = this.scene.data;
    return `${frames} f · ${((frames * rate[1]) / rate[0]).toFixed(2)} s`;
  }

  #pressHold(event, framing) {
    const { frame, hold } = this.scene.data.framings[framing];
    this.scene.choose({ framing });
    this.#slide(event, frame + hold, (at) => `held ${this.#seconds(Math.max(0, at - frame))}`, (at) => this.#keep("hold_framing", { framing, hold: Math.max(0, at - frame), shift: this.#shifts }));
  }

  #pressEnd(event) {
    const { duration } = this.scene.data;
    const which = localStorage.getItem("vistaline-stretch") ?? "all";
    this.#slide(event, duration - 1, (at) => `the shot lasts ${this.#seconds(at + 1)}`, (at) => this.#keep("stretch_route", { duration: Math.max(1, at + 1), which }));
  }

  #keep(verb, values) {
    this.scene.edit(verb, values).then(() => this.#change());
  }

  #pressStop(event, framing) {
    const { frame } = this.scene.data.framings[framing];
    if (this.scene.keys.length) this.scene.chooseKeys([]);
    this.sheet.dispatchEvent(new CustomEvent("opentab", { detail: "framing", bubbles: true }));
    this.scene.choose({ framing });
    this.scene.go(frame);
    // With Alt only the arrival moves: travel and hold trade time.
    const [verb, shift] = event.altKey ? ["arrive_at", {}] : ["time_framing", { shift: this.#shifts }];
    const { framings } = this.scene.data;
    // Past a neighbour's pin it changes places: the times stay where they are.
    const place = (at) => (at < frame ? framings.findIndex((each) => at <= each.frame) : framings.findLastIndex((each) => at >= each.frame));
    const words = (at) => (place(at) === framing ? `frame ${at}` : `becomes framing ${place(at) + 1}`);
    this.#slide(event, frame, words, (at) => (place(at) === framing ? this.#keep(verb, { framing, frame: Math.max(0, at), ...shift }) : this.#reorder(framing, place(at))));
  }

  async #reorder(framing, place) {
    if (await this.scene.edit("reorder_framing", { framing, place })) this.scene.choose({ framing: place });
    this.#change();
  }

  dispose() {
    this.watch.disconnect();
  }
}
