// Marks in the picture that tell how it was seen: edges dragged along what is straight in the
// world, and the back wall of a room. They lie on the picture's own layer.
import { drag } from "./drag.js";
import { notice } from "./notice.js";
import { svg } from "./svg.js";

const NEAR = 9; // screen pixels
const LETTER = { across: "A", up: "U", deep: "D" };

export class Marking {
  constructor(desk, scene, viewfinder) {
    Object.assign(this, { desk, scene, finder: viewfinder, along: null, walling: false });
    desk.addEventListener("click", ({ target }) => {
      const mark = target.closest('[data-do="mark"]');
      if (mark) this.#choose(this.along === mark.dataset.along ? null : mark.dataset.along);
      if (target.closest('[data-do="back-wall"]')) this.#wall();
    });
    viewfinder.marking = this;
  }

  get on() {
    return Boolean(this.along || this.walling);
  }

  stop() {
    this.walling = false;
    this.#choose(null);
  }

  #choose(along) {
    this.along = along;
    this.finder.gate.classList.toggle("asking", this.on);
    if (along) notice("Drag along an edge in the viewfinder, from end to end. An end can be dragged elsewhere; a click on it with Alt takes its edge away. Escape ends.", "info");
    this.pressed();
    this.finder.draw();
  }

  /** Show which direction is being marked, on a panel that may have been fetched anew. */
  pressed() {
    for (const button of this.desk.querySelectorAll('[data-do="mark"]')) button.setAttribute("aria-pressed", String(button.dataset.along === this.along));
  }

  #wall() {
    this.walling = true;
    this.finder.gate.classList.add("asking");
    notice("Drag over the room's back wall, from corner to corner. Floor, ceiling and walls then catch the picture. Escape gives up.", "info");
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
    const box = this.finder.gate.getBoundingClientRect();
    const at = [event.clientX - box.left, event.clientY - box.top];
    const near = (point) => point && Math.hypot(point[0] - at[0], point[1] - at[1]) < NEAR;
    for (const [edge, { seen }] of this.walling ? [] : this.#edges().entries()) {
      const end = seen.findIndex(near);
      if (end < 0) continue;
      if (event.altKey) this.scene.edit("remove_edges", { edge });
      else this.#follow(event, seen[1 - end], ({ x, y }) => ["move_edge", { edge, end: "ab"[end], x, y }]);
      return true;
    }
    const { x: x0, y: y0 } = this.finder.framePoint(event);
    const { along } = this;
    if (this.walling) this.#follow(event, at, ({ x, y }) => ["project_on_room", { x0, y0, x1: x, y1: y }], true);
    else this.#follow(event, at, ({ x, y }) => ["add_edge", { x0, y0, x1: x, y1: y, along }]);
    return true;
  }

  /** Follow the pointer with a line, or a box, from a point of the overlay; keep it at the end. */
  #follow(event, from, wish, box = false) {
    const { finder, scene } = this;
    const carrier = { currentTarget: finder.gate, pointerId: event.pointerId, clientX: event.clientX, clientY: event.clientY };
    const rect = finder.gate.getBoundingClientRect();
    const done = () => {
      this.drawn = null;
      if (box) this.stop();
      finder.draw();
    };
    drag(carrier, {
      move: ({ event: now }) => {
        this.drawn = { from, to: [now.clientX - rect.left, now.clientY - rect.top], box };
        finder.draw();
      },
      end: ({ event: now }) => {
        const [verb, values] = wish(finder.framePoint(now));
        done();
        scene.edit(verb, { ...values, frame: scene.frame });
      },
      cancel: done,
    });
  }

  marks() {
    const parts = [];
    for (const { seen, along, off } of this.#edges()) {
      if (!seen.every(Boolean)) continue;
      const [[x1, y1], [x2, y2]] = seen;
      // How well an edge fits is told in colour and in pixels.
      const fit = off === null ? "" : off > 3 ? " bad" : off > 1.2 ? " fair" : " good";
      parts.push(svg("line", { class: "edge-under", x1, y1, x2, y2 }), svg("line", { class: `edge-mark${fit}`, x1, y1, x2, y2 }));
      parts.push(svg("text", { class: "edge-name", x: (x1 + x2) / 2 + 5, y: (y1 + y2) / 2 - 5 }, `${LETTER[along]}${off === null ? "" : ` ${off.toFixed(1)} px`}`));
      if (this.on) parts.push(...seen.map(([cx, cy]) => svg("circle", { class: "edge-end", cx, cy, r: 4.5 })));
    }
    if (!this.drawn) return parts;
    const { from, to, box } = this.drawn;
    const [[x1, y1], [x2, y2]] = [from, to];
    if (box) return [...parts, svg("rect", { class: "drawn", x: Math.min(x1, x2), y: Math.min(y1, y2), width: Math.abs(x2 - x1), height: Math.abs(y2 - y1) })];
    return [...parts, svg("line", { class: "edge-mark", x1, y1, x2, y2 })];
  }
}
