// The points of a tone curve while they are dragged, [in, out] from 0 to 1: no page is needed.

const NEAR = 0.07;
const OUT = 0.05;
const clamp = (value) => Math.min(1, Math.max(0, value));

/**
 * Take hold of a curve at a place: the points, with a new one if none is near, and which it is.
 *
 * @param {number[][]} points
 * @param {number[]} at
 */
export function grasp(points, [x, y]) {
  const held = points.map((point) => [...point]);
  const n = held.findIndex((point) => Math.hypot(point[0] - x, point[1] - y) < NEAR);
  return n < 0 ? { points: held, n: held.push([x, y]) - 1 } : { points: held, n };
}

/**
 * The points with one of them moved; well out of the box it is left out, as long as two remain.
 *
 * @param {number[][]} points
 * @param {number} n
 * @param {number[]} to
 */
export function moved(points, n, [x, y]) {
  const out = Math.min(x, y) < -OUT || Math.max(x, y) > 1 + OUT;
  if (out && points.length > 2) return points.filter((_, k) => k !== n);
  return points.map((point, k) => (k === n ? [clamp(x), clamp(y)] : point));
}

/** The points from dark to light. */
export const sorted = (points) => [...points].sort((a, b) => a[0] - b[0]);
