// What is drawn over the picture to be taken hold of: corners, the pivot, the roll grip, the
// horizon. What a drag means is asked of the server.
import { Surfaces } from "../arrange/surfaces.js";
import { svg } from "../page/svg.js";
import { layerIn, matrixOf } from "./tracks.js";

const NEAR = 9; // screen pixels
const CORNERS = [[-0.5, 0.5], [0.5, 0.5], [0.5, -0.5], [-0.5, -0.5]];

export class Handles {
  constructor(viewfinder) {
    this.finder = viewfinder;
    this.scene = viewfinder.scene;
    this.surfaces = new Surfaces(viewfinder);
  }

  /** Corners of a layer in overlay pixels; null if it is not to be seen. */
  #outline(layer) {
    const { record } = this.scene.current;
    if (!layer?.matrix || !record.order.includes(layer.id)) return null;
    const matrix = record.moved[layer.id] ?? matrixOf(record, layer.id) ?? layer.matrix;
    const [wide, tall] = record.framed?.[layer.id] ?? [1, 1]; // without the shadow that is drawn with it
    const corners = CORNERS.map(([x, y]) => this.finder.seen(record.clip, matrix, [x * wide, y * tall]));
    if (!corners.every(Boolean)) return null;
    return { corners, pivot: this.finder.seen(record.clip, matrix, layer.pivot) };
  }

  /** A layer as it is at the frame in sight. */
  #layer(id) {
    const { data, record } = this.scene.current;
    const layer = data.layers.find((each) => each.id === id);
    return layer && layerIn(record, layer);
  }

  /** The chosen layer, if a point of the overlay lies in its box; the first, if there are more. */
  chosenAt(x, y) {
    for (const id of this.scene.chosen) {
      const layer = this.#layer(id);
      const found = layer && !layer.locked && !layer.backdrop && this.#outline(layer);
      if (found && within(found.corners, x, y)) return id;
    }
    return null;
  }

  #grip({ corners }) {
    const [a, b] = corners;
    const middle = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
    const long = Math.max(1, Math.hypot(b[0] - a[0], b[1] - a[1]));
    return [middle, [middle[0] + ((b[1] - a[1]) / long) * 22, middle[1] - ((b[0] - a[0]) / long) * 22]];
  }

  marks() {
    const { data, record } = this.scene.current;
    const { chosen } = this.scene;
    const marks = [];
    if (record.horizon && !this.scene.layer) marks.push(...this.#horizon(record.horizon));
    // What a drag would add is seen by its grid: it shows the same picture as what it stands before.
    if (this.scene.shown) for (const layer of data.layers) if (layer.matrix && !this.scene.data.byId?.has(layer.id)) marks.push(...this.surfaces.grid(layer));
    for (const id of chosen) {
      const layer = this.#layer(id);
      // A surface may reach behind the camera: its grid is seen as far as it goes.
      if (layer?.matrix) marks.push(...this.surfaces.grid(layer));
      if (layer?.matrix && chosen.length === 1) marks.push(...this.surfaces.bars(layer));
      const found = this.#outline(layer);
      if (!found) continue;
      marks.push(svg("polygon", { class: "chosen", points: found.corners.map((p) => p.join(",")).join(" ") }));
      if (chosen.length > 1) continue;
      const { x, y } = this.finder.place;
      const tagX = Math.max(x, Math.min(...found.corners.map((p) => p[0])));
      const tagY = Math.max(y + 20, Math.min(...found.corners.map((p) => p[1])));
      marks.push(...this.#held(layer), ...this.#places(layer));
      if (!layer.locked && !layer.backdrop) marks.push(...this.#holds(found, layer));
      marks.push(this.#tag(tagX, tagY, layer.backdrop ? layer.name : `${layer.name} ${layer.distance.toFixed(2)} m${this.words ? `  ${this.words(layer)}` : ""}`));
    }
    return marks;
  }

  /** Where what stirs is held, as it lies flat. */
  #held({ id, held, matrix }) {
    const { record } = this.scene.current;
    const now = record.moved[id] ?? matrixOf(record, id) ?? matrix;
    const lines = held.map((line) => line.map((at) => this.finder.seen(record.clip, now, at))).filter((line) => line.every(Boolean));
    return lines.map((line) =>
      line.length === 1
        ? svg("circle", { class: "held", cx: line[0][0], cy: line[0][1], r: 4 })
        : svg("polyline", { class: "held", points: line.map((p) => p.join(",")).join(" ") }),
    );
  }

  /** Points that are marked on it for others. */
  #places({ id, places, matrix }) {
    const { record } = this.scene.current;
    const now = record.moved[id] ?? matrixOf(record, id) ?? matrix;
    return places.flatMap(([name, ...at]) => {
      const seen = this.finder.seen(record.clip, now, at);
      if (!seen) return [];
      const [x, y] = seen;
      return [
        svg("path", { class: "marked", d: "M-8 0h5M3 0h5M0 -8v5M0 3v5", transform: `translate(${x},${y})` }),
        svg("text", { class: "guide-name", x: x + 10, y: y + 4 }, name),
      ];
    });
  }

  #holds(found, { laid }) {
    const [from, grip] = this.#grip(found);
    return [
      ...found.corners.map(([x, y]) => svg("rect", { class: "hold", x: x - 4, y: y - 4, width: 8, height: 8 })),
      svg("line", { class: "stem", x1: from[0], y1: from[1], x2: grip[0], y2: grip[1] }),
      svg("circle", { class: "hold", cx: grip[0], cy: grip[1], r: 5 }),
      ...(laid ? [] : [svg("path", { class: "pivot", d: "M-7 0h14M0 -7v14", transform: `translate(${found.pivot})` })]),
    ];
  }

  #horizon([a, b]) {
    const [p, q] = [a, b].map((at) => this.#overlay(at));
    const slope = (q[1] - p[1]) / (q[0] - p[0] || 1);
    const { x, width } = this.finder.place;
    const at = (px) => p[1] + (px - p[0]) * slope;
    return [
      svg("line", { class: "horizon", x1: x, y1: at(x), x2: x + width, y2: at(x + width) }),
      svg("text", { class: "guide-name", x: x + 6, y: at(x) - 5 }, "horizon"),
    ];
  }

  #overlay([fx, fy]) {
    const { x, y, width } = this.finder.place;
    const scale = width / this.scene.data.width;
    return [x + fx * scale, y + fy * scale];
  }

  #tag(x, y, words) {
    const text = svg("text", { x: x + 6, y: y - 6 }, words);
    return svg("g", { class: "tag" }, svg("rect", { x, y: y - 20, width: words.length * 6.6 + 12, height: 20 }), text);
  }

  /** Take a press on a handle; false if none was hit. */
  press(event) {
    const box = this.finder.gate.getBoundingClientRect();
    const at = [event.clientX - box.left, event.clientY - box.top];
    const near = (point) => point && Math.hypot(point[0] - at[0], point[1] - at[1]) < NEAR;
    const { scene } = this;
    if (!scene.layer && scene.current.record.horizon) {
      const [a, b] = scene.current.record.horizon.map((point) => this.#overlay(point));
      const away = Math.abs((b[1] - a[1]) * (at[0] - a[0]) - (b[0] - a[0]) * (at[1] - a[1])) / Math.hypot(b[0] - a[0], b[1] - a[1]);
      if (away < 5) return this.#drag(event, "drag_horizon", (now) => ({ frame: scene.frame, y: this.finder.framePoint(now.event).y }));
    }
    if (scene.chosen.length !== 1) return false;
    const layer = this.#layer(scene.layer);
    if (layer?.matrix && this.surfaces.press(event, layer, at)) return true;
    const found = layer && !layer.locked && !layer.backdrop && this.#outline(layer);
    if (!found) return false;
    // What is laid in the frame turns about its middle: a press there moves it.
    if (!layer.laid && near(found.pivot)) {
      return this.#drag(event, "drag_pivot", (now) => {
        const { x, y } = this.finder.framePoint(now.event);
        return { layer: layer.id, frame: scene.frame, x, y };
      });
    }
    const from = [at[0] - found.pivot[0], at[1] - found.pivot[1]];
    const to = (now) => [from[0] + now.dx, from[1] + now.dy];
    if (near(this.#grip(found)[1])) {
      // On the screen y runs down: clockwise there is a roll to the right.
      const turned = (now) => (Math.atan2(from[1], from[0]) - Math.atan2(to(now)[1], to(now)[0])) * (180 / Math.PI);
      return this.#drag(event, "turn_layer", (now) => ({ layer: layer.id, roll: layer.roll + ((turned(now) + 540) % 360) - 180, whole: now.event.shiftKey ? 15 : 1 }), (each) => `${each.roll.toFixed(0)}°`);
    }
    if (found.corners.some(near)) {
      const grown = (now) => Math.max(0.01, Math.hypot(...to(now)) / Math.max(1, Math.hypot(...from)));
      return this.#drag(event, "size_layer", (now) => ({ layer: layer.id, percent: layer.percent * grown(now) }), (each) => `${each.width.toFixed(2)} m wide`);
    }
    return false;
  }

  #drag(event, verb, values, words = null) {
    this.words = words;
    this.finder.dragging(event, (now) => [verb, values(now)], () => {}, () => {}, () => (this.words = null));
    return true;
  }
}

/** Whether a point lies in a convex outline. */
function within(corners, x, y) {
  const sides = corners.map(([ax, ay], n) => {
    const [bx, by] = corners[(n + 1) % corners.length];
    return (bx - ax) * (y - ay) - (by - ay) * (x - ax);
  });
  return sides.every((side) => side >= 0) || sides.every((side) => side <= 0);
}
