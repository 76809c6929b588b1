// Strokes as they are drawn and kept.
import assert from "node:assert/strict";
import { test } from "node:test";
import { drawNotes, thinned } from "../../vistaline/web/static/js/sheet/notes.js";

test("points closer than a third of a pixel are left out, the first stays", () => {
  const line = Array.from({ length: 101 }, (_, n) => [n / 10, 0]);
  const kept = thinned(line);
  assert.deepEqual(kept[0], [0, 0]);
  for (let n = 1; n < kept.length; n++) assert.ok(kept[n][0] - kept[n - 1][0] > 0.34);
  assert.ok(kept.length >= 25 && kept.length <= 30);
  assert.deepEqual(thinned([[3, 4]]), [[3, 4]]);
});

test("a stroke is drawn where the view has it, a point as a dot, never thinner than a pixel", () => {
  const said = [];
  const context = new Proxy({}, {
    get: (_, name) => (...values) => said.push([name, ...values]),
    set: (_, name, value) => said.push([name, value]),
  });
  drawNotes(context, { scale: 2, x: 10, y: 20 }, [[{ points: [[1, 2], [3, 4]], width: 5 }, "red"], [{ points: [[0, 0]], width: 0.1 }, "blue"]]);
  const of = (name) => said.filter(([each]) => each === name).map(([, ...values]) => values);
  assert.deepEqual(of("moveTo"), [[12, 24], [10, 20]]);
  assert.deepEqual(of("lineTo"), [[16, 28], [10.01, 20]]);
  assert.deepEqual(of("lineWidth"), [[10], [1]]);
  assert.deepEqual(of("strokeStyle"), [["red"], ["blue"]]);
});
