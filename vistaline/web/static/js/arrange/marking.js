// Marks in the picture that tell how it was seen, and what it is put on: edges dragged along what
// is straight in the world, rectangles, rooms, bodies. Marks lie on the picture's own layer.
import { Corners, OnePoint } from "./corners.js";
import { drag } from "../page/drag.js";
import { Lines } from "./lines.js";
import { Loupe } from "./loupe.js";
import { hint } from "../page/notice.js";
import { svg } from "../page/svg.js";

const NEAR = 9; // screen pixels
const LETTER = { across: "A", up: "U", deep: "D" };
const SAYS = {
  mark: "Drag along an edge, from end to end. Drag an end elsewhere, or its middle onto an edge that bows; Alt-click on an end takes it away. Escape ends.",
  "back-wall": "Drag over the room’s back wall, from corner to corner. Floor, ceiling and walls then catch the picture. Escape gives up.",
  floor: "Drag over the part of the ground that is to be a floor, below the horizon. Escape gives up.",
  wall: "Drag along the wall’s foot, from end to end. Its height can be typed then, or its upper edge dragged. Escape gives up.",
  body: "Drag over it, from corner to corner: the lower edge is where it stands on the ground. Escape gives up.",
  known: "Drag from one end of what you know the length of to the other. Escape gives up.",
  corners: "Drag the four corners onto a rectangle of the world, then say in the panel what it is. Escape gives up.",
  "one-point": "Drag the cross to where all that runs away meets, the corners to the back wall’s; then use it, in the panel. Escape gives up.",
};

export class Marking {
  constructor(desk, scene, viewfinder) {
    this.desk = desk;
    this.scene = scene;
    this.finder = viewfinder;
    this.tool = null;
    this.shape = null;
    this.loupe = new Loupe(viewfinder);
    this.lines = new Lines(scene, viewfinder);
    desk.addEventListener("click", ({ target }) => this.#click(target.closest("[data-do]")?.dataset));
    viewfinder.marking = this;
  }

  get on() {
    return Boolean(this.tool);
  }

  stop() {
    this.#choose(null);
  }

  #click(asked) {
    if (!asked) return;
    const { do: what } = asked;
    if (what in SAYS) return this.#choose(this.#same(asked) ? null : asked);
    if (what === "corners-mark") return this.#use("mark_rectangle", { corners: this.shape.values, lies: asked.lies });
    if (what === "corners-plane") return this.#use("project_on_plane", { corners: this.shape.values, stands: asked.stands, layer: asked.of });
    if (what === "one-point-use") this.#use("project_on_one_point", this.shape.values);
  }

  /** Whether this very tool is in the hand. */
  #same({ do: what, along, body, upright }) {
    return this.tool?.do === what && this.tool.along === along && this.tool.body === body && this.tool.upright === upright;
  }

  async #use(verb, values) {
    if (await this.scene.edit(verb, { ...values, frame: this.scene.frame })) this.stop();
  }

  #choose(tool) {
    this.tool = tool && { ...tool };
    const shapes = { corners: Corners, "one-point": OnePoint };
    this.shape = tool && shapes[tool.do] ? new shapes[tool.do](this, this.scene.data) : null;
    this.finder.gate.classList.toggle("asking", this.on);
    this.said?.();
    this.said = tool && hint(SAYS[tool.do]);
    if (tool) this.lines.fetch();
    this.loupe.hide();
    this.pressed();
    this.finder.draw();
  }

  /** No key is for marks but Escape, which the desk takes. */
  key(_) {
    return false;
  }

  /** Show which tool is in the hand, on a panel that may have been fetched anew. */
  pressed() {
    for (const button of this.desk.querySelectorAll("[data-do]")) if (button.dataset.do in SAYS) button.setAttribute("aria-pressed", String(this.#same(button.dataset)));
    for (const [part, tool] of [["corner-acts", "corners"], ["one-point-acts", "one-point"]]) this.desk.querySelector(`[data-part="${part}"]`)?.toggleAttribute("hidden", this.tool?.do !== tool);
  }

  /** The marked edges with their ends in overlay pixels. */
  #edges() {
    const { data, record } = this.scene.current;
    if (!data.marks) return [];
    const { edges, matrix } = data.marks;
    return edges.map((edge) => ({ ...edge, seen: edge.ends.map((end) => this.finder.seen(record.clip, matrix, end)) }));
  }

  /** Take a press in the viewfinder; false if it is not for marks. */
  press(event) {
    if (!this.on) return false;
    if (this.shape) return this.shape.press(event) || true;
    const box = this.finder.gate.getBoundingClientRect();
    const at = [event.clientX - box.left, event.clientY - box.top];
    const near = (point) => point && Math.hypot(point[0] - at[0], point[1] - at[1]) < NEAR;
    const { do: what, along, body, upright } = this.tool;
    if (what === "mark") {
      for (const [edge, { seen }] of this.#edges().entries()) {
        const end = seen.findIndex(near);
        // Its middle is dragged to where a lens has bowed it; with Alt it is straight again.
        const bows = end === 2 || (end < 0 && seen.every(Boolean) && seen.length === 2 && near(middleOf(seen)));
        if (bows && event.altKey) this.scene.edit("bow_edge", { edge });
        else if (bows) this.#follow(event, seen[0], (to) => ["bow_edge", { edge, ...this.#frame(to) }]);
        if (bows) return true;
        if (end < 0) continue;
        if (event.altKey) this.scene.edit("remove_edges", { edge });
        else this.#follow(event, seen[1 - end], (to) => ["move_edge", { edge, end: "ab"[end], ...this.#frame(to) }]);
        return true;
      }
      this.#follow(event, at, (to) => ["add_edge", { ...this.#ends(...this.lines.edge(at, to)), along }]);
    } else if (what === "back-wall") this.#follow(event, at, (to) => ["project_on_room", this.#ends(at, to)], { box: true, preview: true, once: true });
    else if (what === "floor") this.#follow(event, at, (to) => ["project_on_floor", this.#ends(at, to)], { box: true, preview: true, once: true });
    else if (what === "wall") this.#follow(event, at, (to) => ["project_on_wall", this.#ends(at, to)], { preview: true, once: true });
    else if (what === "body") this.#follow(event, at, (to) => ["add_body", { ...this.#ends(at, to), body }], { box: true, preview: true, once: true });
    else this.#follow(event, at, (to) => ["set_known_length", { ...this.#ends(at, to), upright, metres: document.getElementById("known-metres").value }]);
    return true;
  }

  /** Frame pixels of a point of the overlay. */
  #frame([x, y]) {
    const { place } = this.finder;
    const scale = this.scene.data.width / place.width;
    return { x: (x - place.x) * scale, y: (y - place.y) * scale };
  }

  #ends(from, to) {
    const [{ x: x0, y: y0 }, { x: x1, y: y1 }] = [this.#frame(from), this.#frame(to)];
    return { x0, y0, x1, y1 };
  }

  /**
   * Follow the pointer with a line, or a box, from a point of the overlay; keep it at the end.
   *
   * @param {any} event
   * @param {number[]} from
   * @param {any} wish
   * @param {{box?: boolean, preview?: boolean, once?: boolean}} [how] `preview`: what comes of it
   *     is seen meanwhile; `once`: the tool is then laid down.
   */
  #follow(event, from, wish, { box = false, preview = false, once = false } = {}) {
    const { finder, scene } = this;
    const rect = finder.gate.getBoundingClientRect();
    const seen = (now) => [now.clientX - rect.left, now.clientY - rect.top];
    const asked = (now) => {
      const [verb, values] = wish(seen(now));
      return [verb, { ...values, frame: scene.frame }];
    };
    const done = () => {
      this.drawn = null;
      scene.endDrag();
      this.loupe.hide();
      if (once) this.stop();
      finder.draw();
    };
    drag(finder.gate, event, {
      move: ({ event: now }) => {
        this.drawn = { from, to: seen(now), box };
        if (preview) {
          scene.beginDrag();
          scene.preview(...asked(now));
        }
        finder.draw();
        if (!preview) this.loupe.show(seen(now));
      },
      end: ({ event: now }) => {
        const last = asked(now);
        done();
        scene.edit(...last);
      },
      cancel: () => {
        done();
        scene.forget();
      },
    });
  }

  marks() {
    const parts = [];
    if (this.on) for (const [[x1, y1], [x2, y2]] of this.lines.seen()) parts.push(svg("line", { class: "found-line", x1, y1, x2, y2 }));
    // While a layer is chosen, its own handles are what is in the way.
    for (const { seen, along, off } of this.on || !this.scene.layer ? this.#edges() : []) {
      if (!seen.every(Boolean)) continue;
      const [[x1, y1], [x2, y2]] = seen;
      const through = seen[2];
      // How well an edge fits is told in colour and in pixels.
      const fit = off === null ? "" : off > 3 ? " bad" : off > 1.2 ? " fair" : " good";
      parts.push(svg("line", { class: "edge-under", x1, y1, x2, y2 }), svg("line", { class: `edge-mark${fit}`, x1, y1, x2, y2 }));
      if (through) parts.push(svg("polyline", { class: "edge-bow", points: [seen[0], through, seen[1]].join(" ") }));
      parts.push(svg("text", { class: "edge-name", x: (x1 + x2) / 2 + 5, y: (y1 + y2) / 2 - 5 }, `${LETTER[along]}${off === null ? "" : ` ${off.toFixed(1)} px`}`));
      if (!this.on) continue;
      parts.push(...seen.map(([cx, cy]) => svg("circle", { class: "edge-end", cx, cy, r: 4.5 })));
      if (!through) parts.push(svg("circle", { class: "edge-middle", cx: (x1 + x2) / 2, cy: (y1 + y2) / 2, r: 3 }));
    }
    if (this.shape) parts.push(...this.shape.marks());
    if (!this.drawn) return parts;
    const { from, to, box } = this.drawn;
    const [[x1, y1], [x2, y2]] = [from, to];
    if (box) return [...parts, svg("rect", { class: "drawn", x: Math.min(x1, x2), y: Math.min(y1, y2), width: Math.abs(x2 - x1), height: Math.abs(y2 - y1) })];
    return [...parts, svg("line", { class: "edge-mark", x1, y1, x2, y2 })];
  }
}

const middleOf = ([[x1, y1], [x2, y2]]) => [(x1 + x2) / 2, (y1 + y2) / 2];
