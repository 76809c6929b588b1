// The route in time: framings as pictures of themselves on pins, joined by travels whose filled
// hump is the speed; the playhead.
import { drag } from "./drag.js";
import { roundStep, svg } from "./svg.js";

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
    this.watch = new ResizeObserver(() => this.#change());
    this.watch.observe(this.sheet);
    this.sheet.addEventListener("pointerdown", (event) => this.#press(event));
    scene.addEventListener("change", () => this.#change());
    scene.addEventListener("choose", () => this.#change());
    scene.addEventListener("frame", () => this.#head());
  }

  #x(frame) {
    const last = Math.max(1, this.scene.data.duration - 1);
    return LEFT + (frame / last) * (this.size.width - LEFT - RIGHT);
  }

  #frameAt(clientX) {
    const last = Math.max(1, this.scene.data.duration - 1);
    const share = (clientX - this.size.left - LEFT) / (this.size.width - LEFT - RIGHT);
    return Math.max(0, Math.min(last, Math.round(share * last)));
  }

  #change() {
    const box = this.sheet.getBoundingClientRect();
    // While a drag previews one frame the route stays as it was.
    if (!this.scene.data || !box.width || this.scene.shown) return;
    this.size = box;
    const { data } = this.scene;
    this.sheet.replaceChildren(this.#hatch(), ...this.#ruler(data), ...this.#travels(data), svg("g", { class: "head" }), ...this.#stops(data));
    this.note.textContent = `${data.framings.length} framing${data.framings.length === 1 ? "" : "s"}; drag one to change when it is reached`;
    this.#head();
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
      const x = this.#x(second * rate);
      marks.push(svg("line", { class: "tick", x1: x, x2: x, y1: 4, y2: 16 }), svg("text", { x: x + 4, y: 13 }, `${Number(second.toFixed(3))} s`));
    }
    return marks;
  }

  #travels(data) {
    const { speed } = data.plan.above;
    const rate = data.rate[0] / data.rate[1];
    const parts = [];
    const ends = [0, ...data.framings.map((framing) => framing.frame), data.duration - 1];
    const still = (from, to) => to > from && parts.push(svg("rect", { class: "hold", x: this.#x(from), width: this.#x(to) - this.#x(from), y: GROUND - 40, height: 40 }));
    still(0, ends[1]);
    still(ends.at(-2), data.duration - 1);
    for (let n = 1; n < data.framings.length; n++) {
      const [a, b] = [data.framings[n - 1].frame, data.framings[n].frame];
      let outline = `M${this.#x(a)} ${GROUND}`;
      for (let frame = a; frame <= b; frame++) outline += `L${this.#x(frame)} ${GROUND - speed[frame] * (GROUND - TOP - 34)}`;
      parts.push(svg("path", { class: "hump", d: `${outline}L${this.#x(b)} ${GROUND}Z` }));
      const words = `travel ${((b - a) / rate).toFixed(2)} s`;
      parts.push(svg("text", { x: (this.#x(a) + this.#x(b)) / 2, y: GROUND + 18, "text-anchor": "middle" }, words));
    }
    return parts;
  }

  #stops(data) {
    const [width, height] = data.width >= data.height ? [104, (104 * data.height) / data.width] : [(72 * data.width) / data.height, 72];
    return data.framings.map((framing, n) => {
      const x = this.#x(framing.frame);
      const query = new URLSearchParams({ n: framing.frame, width: 208, v: data.version });
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
    const x = this.#x(this.scene.frame);
    place.replaceChildren(svg("line", { class: "head-line", x1: x, x2: x, y1: 2, y2: GROUND + 12 }), svg("path", { class: "head-mark", d: `M${x - 6} 0h12l-6 9z` }));
  }

  #press(event) {
    if (event.button !== 0) return;
    this.transport.pause();
    const stop = event.target.closest(".stop");
    if (stop) return this.#pressStop(event, Number(stop.dataset.framing), stop);
    this.scene.go(this.#frameAt(event.clientX));
    drag(event, { move: ({ event: now }) => this.scene.go(this.#frameAt(now.clientX)), end: () => {} });
  }

  #pressStop(event, framing) {
    const from = this.scene.data.framings[framing].frame;
    this.scene.choose({ framing });
    this.scene.go(from);
    const target = (now) => this.#frameAt(this.size.left + this.#x(from) + now.dx);
    drag(event, {
      move: (now) => {
        const stop = this.sheet.querySelector(`.stop[data-framing="${framing}"]`);
        stop.setAttribute("transform", `translate(${this.#x(target(now)) - this.#x(from)} 0)`);
        stop.querySelector("text").textContent = `frame ${target(now)}`;
      },
      end: (now) => (target(now) === from ? this.#change() : this.scene.edit("time_framing", { framing, frame: target(now) }).then(() => this.#change())),
      cancel: () => this.#change(),
    });
  }

  dispose() {
    this.watch.disconnect();
  }
}
