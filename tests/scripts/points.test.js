import assert from "node:assert/strict";
import { test } from "node:test";
import { grasp, moved, sorted } from "../../vistaline/web/static/js/sheet/points.js";

const LINE = [[0, 0], [0.5, 0.6], [1, 1]];

test("a point that is near is taken hold of, else a new one is made; the old list stays", () => {
  assert.equal(grasp(LINE, [0.52, 0.62]).n, 1);
  const { points, n } = grasp(LINE, [0.25, 0.4]);
  assert.deepEqual([n, points[n]], [3, [0.25, 0.4]]);
  assert.equal(LINE.length, 3);
});

test("a point stays in the box, and dragged well out of it goes, but never the last two", () => {
  assert.deepEqual(moved(LINE, 1, [0.5, 1.03])[1], [0.5, 1]);
  assert.deepEqual(moved(LINE, 1, [0.5, 1.2]), [[0, 0], [1, 1]]);
  assert.deepEqual(moved([[0, 0], [1, 1]], 1, [1.5, -1]), [[0, 0], [1, 0]]);
});

test("points are told from dark to light", () => {
  assert.deepEqual(sorted([[1, 1], [0.2, 0.3], [0, 0]]), [[0, 0], [0.2, 0.3], [1, 1]]);
});
