// Shapes that are dragged on the picture until they fit, and then used: four corners of a
// rectangle, and the point and the back wall of a room seen straight ahead. Kept in frame pixels.
import { drag } from "../page/drag.js";
import { svg } from "../page/svg.js";

const NEAR = 10; // screen pixels

export class Shape {
  constructor(marking) {
    this.marking = marking;
    this.finder = marking.finder;
  }

  /**
   * Frame pixels to overlay pixels, and back.
   * @param {number[]} point
   */
  over([x, y]) {
    const { place } = this.finder;
    const scale = place.width / this.marking.scene.data.width;
    return [place.x + x * scale, place.y + y * scale];
  }

  /** @param {number[]} point */
  under([x, y]) {
    const { place } = this.finder;
    const scale = this.marking.scene.data.width / place.width;
    return [(x - place.x) * scale, (y - place.y) * scale];
  }

  /** Take hold of the point that is pressed; false if none is near. */
  press(event) {
    const { gate } = this.finder;
    const box = gate.getBoundingClientRect();
    const at = [event.clientX - box.left, event.clientY - box.top];
    const n = this.points.findIndex((point) => {
      const [x, y] = this.over(point);
      return Math.hypot(x - at[0], y - at[1]) < NEAR;
    });
    if (n < 0) return false;
    const before = this.points.map((point) => [...point]);
    const put = (now) => {
      const seen = [now.clientX - box.left, now.clientY - box.top];
      this.put(n, this.under(this.marking.lines.point(seen)));
      this.marking.loupe.show(seen);
    };
    const done = () => {
      this.marking.loupe.hide();
      this.finder.draw();
    };
    drag(gate, event, {
      move: ({ event: now }) => put(now),
      end: ({ event: now }) => {
        put(now);
        done();
      },
      cancel: () => {
        this.points = before;
        done();
      },
    });
    return true;
  }

  put(n, point) {
    this.points[n] = point;
  }

  ends() {
    return this.points.map((point) => {
      const [cx, cy] = this.over(point);
      return svg("circle", { class: "edge-end", cx, cy, r: 5 });
    });
  }
}

/** Four corners of something that is a rectangle in the world. */
export class Corners extends Shape {
  constructor(marking, { width, height }) {
    super(marking);
    this.points = [[0.35, 0.35], [0.65, 0.35], [0.65, 0.7], [0.35, 0.7]].map(([x, y]) => [x * width, y * height]);
  }

  get values() {
    return JSON.stringify(this.points.map((point) => point.map((value) => Math.round(value * 100) / 100)));
  }

  /** Its outline, and a grid as its perspective has it: where diagonals cross its middle lies. */
  marks() {
    const [a, b, c, d] = this.points.map((point) => this.over(point));
    const parts = [svg("polygon", { class: "edge-under", fill: "none", points: [a, b, c, d].join(" ") }), svg("polygon", { class: "edge-mark", fill: "none", points: [a, b, c, d].join(" ") })];
    const at = unitTo([a, b, c, d]);
    for (const t of [0.25, 0.5, 0.75]) {
      for (const [p, q] of [[at(t, 0), at(t, 1)], [at(0, t), at(1, t)]]) parts.push(svg("line", { class: "surface-grid", x1: p[0], y1: p[1], x2: q[0], y2: q[1] }));
    }
    return [...parts, ...this.ends()];
  }
}

/** The vanishing point of a room that is seen straight ahead, and two corners of its back wall. */
export class OnePoint extends Shape {
  constructor(marking, { width, height }) {
    super(marking);
    this.points = [[0.5, 0.5], [0.36, 0.36], [0.64, 0.62]].map(([x, y]) => [x * width, y * height]);
  }

  get values() {
    const [[vx, vy], [x0, y0], [x1, y1]] = this.points;
    return { vx, vy, x0, y0, x1, y1 };
  }

  marks() {
    const [v, p, q] = this.points.map((point) => this.over(point));
    const wall = [p, [q[0], p[1]], q, [p[0], q[1]]];
    const parts = [svg("polygon", { class: "edge-mark", fill: "none", points: wall.join(" ") })];
    for (const corner of wall) {
      // From the wall's corner on, away from the point: an edge of the room.
      const far = [0, 1].map((k) => v[k] + (corner[k] - v[k]) * 12);
      parts.push(svg("line", { class: "surface-grid strong", x1: corner[0], y1: corner[1], x2: far[0], y2: far[1] }));
    }
    parts.push(svg("path", { class: "aim", d: "M-12 0h24M0 -12v24", transform: `translate(${v})` }));
    return [...parts, ...this.ends()];
  }
}

/** The map of the unit square onto four corners (Heckbert, Fundamentals of texture mapping, 1989). */
/** @param {number[][]} corners */
function unitTo([a, b, c, d]) {
  const [sx, sy] = [0, 1].map((k) => a[k] - b[k] + c[k] - d[k]);
  const [dx1, dy1, dx2, dy2] = [b[0] - c[0], b[1] - c[1], d[0] - c[0], d[1] - c[1]];
  const area = dx1 * dy2 - dx2 * dy1 || 1e-9;
  const [g, h] = [(sx * dy2 - dx2 * sy) / area, (dx1 * sy - sx * dy1) / area];
  return (u, v) => {
    const w = g * u + h * v + 1;
    return [0, 1].map((k) => ((b[k] - a[k] + g * b[k]) * u + (d[k] - a[k] + h * d[k]) * v + a[k]) / w);
  };
}
