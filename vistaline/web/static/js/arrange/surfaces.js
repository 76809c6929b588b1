// The chosen surface: its grid in metres, and the bars by which others grow from its edges.
import { roundStep, svg } from "../page/svg.js";

const NEAR = 10; // screen pixels
const SIDES = { left: [[-0.5, -0.5], [-0.5, 0.5]], right: [[0.5, -0.5], [0.5, 0.5]], top: [[-0.5, 0.5], [0.5, 0.5]], bottom: [[-0.5, -0.5], [0.5, -0.5]] };
const LINES = 12; // at most so many across a surface

export class Surfaces {
  constructor(viewfinder) {
    this.finder = viewfinder;
    this.scene = viewfinder.scene;
  }

  /**
   * The part of a line on a layer that is before the camera, in overlay pixels; null if none is.
   *
   * @param {any} layer
   * @param {number[][]} line
   */
  #line(layer, [a, b]) {
    const { clip } = this.scene.current.record;
    const at = (t) => this.finder.seen(clip, layer.matrix, [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t]);
    const [first, last] = [at(0), at(1)];
    if (first && last) return [first, last];
    if (!first && !last) return null;
    // Where it leaves what is before the camera.
    let [seen, lost] = first ? [0, 1] : [1, 0];
    for (let n = 0; n < 20; n++) {
      const middle = (seen + lost) / 2;
      if (at(middle)) seen = middle;
      else lost = middle;
    }
    return [first ?? at(seen), last ?? at(seen)];
  }

  grid(layer) {
    if (!layer.projector) return [];
    const step = roundStep(Math.max(layer.width, layer.height) / LINES, 1);
    const parts = [];
    for (const [axis, size] of [[0, layer.width], [1, layer.height]]) {
      for (let metres = 0; metres < size - 1e-6; metres += step) {
        const at = metres / size - 0.5;
        const line = this.#line(layer, axis ? [[-0.5, at], [0.5, at]] : [[at, -0.5], [at, 0.5]]);
        if (line) parts.push(svg("line", { class: "surface-grid", x1: line[0][0], y1: line[0][1], x2: line[1][0], y2: line[1][1] }));
      }
    }
    return parts;
  }

  /** Each edge as far as it is in the frame, with the middle of that, where its bar is. */
  #bars(layer) {
    if (!layer.projector || layer.body || layer.locked) return [];
    const { x, y, width, height } = this.finder.place;
    const found = [];
    for (const [side, ends] of Object.entries(SIDES)) {
      const line = this.#line(layer, ends);
      const kept = line && within(line, x, y, x + width, y + height);
      if (!kept) continue;
      const [a, b] = kept;
      const long = Math.hypot(b[0] - a[0], b[1] - a[1]);
      if (long < 12) continue;
      const middle = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
      const way = [(b[0] - a[0]) / long, (b[1] - a[1]) / long];
      found.push({ side, middle, way, ends: kept });
    }
    return found;
  }

  bars(layer) {
    return this.#bars(layer).map(({ middle: [x, y], way: [dx, dy] }) => svg("line", { class: "grow-bar", x1: x - dx * 13, y1: y - dy * 13, x2: x + dx * 13, y2: y + dy * 13 }));
  }

  /** Take a press on a bar, or beside it on an edge; false if neither was hit. */
  press(event, layer, at) {
    return this.#grow(event, layer, at) || this.#moveSide(event, layer, at);
  }

  /** The edge itself follows the pointer; the one opposite stays. */
  #moveSide(event, layer, at) {
    const side = this.#bars(layer).find(({ ends }) => apart(at, ends) < NEAR / 2)?.side;
    if (!side) return false;
    const { scene, finder } = this;
    finder.dragging(event, (now) => {
      const { x, y } = finder.framePoint(now.event);
      return ["move_side", { layer: layer.id, side, frame: scene.frame, x, y }];
    });
    return true;
  }

  /** The new surface follows the pointer, and is chosen when it is there. */
  #grow(event, layer, at) {
    const bar = this.#bars(layer).find(({ middle, way }) => {
      const [dx, dy] = [at[0] - middle[0], at[1] - middle[1]];
      return Math.abs(dx * way[0] + dy * way[1]) < 16 && Math.abs(dx * way[1] - dy * way[0]) < NEAR;
    });
    if (!bar) return false;
    const { scene, finder } = this;
    const angle = document.getElementById("grow-angle")?.value || 90;
    finder.dragging(event, (now) => {
      const { x, y } = finder.framePoint(now.event);
      return ["grow_surface", { layer: layer.id, side: bar.side, angle, frame: scene.frame, x, y }];
    }, () => {}, () => scene.choose({ layer: scene.current.data.layers.at(-1).id }));
    return true;
  }
}

/** Pixels from a point to a line between two others. */
/**
 * @param {number[]} point
 * @param {number[][]} ends
 */
function apart([x, y], [[ax, ay], [bx, by]]) {
  const [dx, dy] = [bx - ax, by - ay];
  const t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
  return Math.hypot(ax + dx * t - x, ay + dy * t - y);
}

/** The part of a line within a box; null if none is (Liang and Barsky, 1984). */
/** @param {number[][]} line */
function within([a, b], left, top, right, bottom) {
  let [from, to] = [0, 1];
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  for (const [p, q] of [[-dx, a[0] - left], [dx, right - a[0]], [-dy, a[1] - top], [dy, bottom - a[1]]]) {
    if (p === 0 && q < 0) return null;
    if (p < 0) from = Math.max(from, q / p);
    if (p > 0) to = Math.min(to, q / p);
  }
  if (from >= to) return null;
  return [[a[0] + dx * from, a[1] + dy * from], [a[0] + dx * to, a[1] + dy * to]];
}
