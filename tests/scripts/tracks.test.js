import assert from "node:assert/strict";
import { test } from "node:test";
import { barOf, layerIn, lookOf, matrixOf, mountPlace, opacityOf, unpack } from "../../vistaline/web/static/js/desk/tracks.js";

const packed = (...values) => Buffer.from(new Float32Array(values).buffer).toString("base64");
const row = (n) => Array.from({ length: 12 }, (_, k) => 100 * n + k);

function scene() {
  const still = { id: "still", opacity: 1, pivot: [0, 0] };
  const layer = { id: "reeds", opacity: 1, pivot: [0.1, 0.2], roll: 0 };
  return unpack({
    frames: [{}, {}],
    layers: [layer, still],
    tables: { warm: Buffer.from([1, 2, 255]).toString("base64") },
    passing: { "passing 1 ~t": { sheet: "pieces word ~t", moves: packed(0, 1, 0.5) } },
    plan: { above: { bars: { still: [[1, 2], [3, 4]] }, mounts: { boat: [7, 8] } } },
    tracks: {
      reeds: {
        matrix: packed(...row(0), ...row(1)),
        opacity: packed(1, 0.5),
        bars: { above: packed(0, 1, 2, 3, 4, 5, 6, 7) },
        values: { roll: packed(0, 12), pivot_up: packed(0.2, -0.5) },
        looks: [[0, "~reeds@0"], [1, "~reeds@1"]],
      },
      "mount:cart": { place: { above: packed(1, 2, 3, 4) } },
    },
  });
}

test("a keyed layer is told frame by frame, as core packs it: twelve numbers, in columns", () => {
  const data = scene();
  const [first, second] = data.frames;
  assert.deepEqual([...second.tables.warm], [1, 2, 255]);
  assert.deepEqual([...second.passing["passing 1 ~t"].moves], [0, 1, 0.5]);
  assert.deepEqual(matrixOf(second, "reeds").slice(0, 4), [100, 101, 102, 0]);
  assert.deepEqual(matrixOf(second, "reeds").slice(12), [109, 110, 111, 1]);
  assert.deepEqual([opacityOf(first, "reeds"), opacityOf(second, "reeds")], [1, 0.5]);
  assert.deepEqual(barOf(data, second, "above", "reeds"), [[4, 5], [6, 7]]);
  assert.deepEqual([lookOf(first, "reeds"), lookOf(second, "reeds")], ["~reeds@0", "~reeds@1"]);
  const now = layerIn(second, data.layers[0]);
  assert.equal(now.roll, 12);
  assert.deepEqual(now.pivot, [0.1, -0.5]);
});

test("what has no keys is as the scene has it", () => {
  const data = scene();
  const [record] = data.frames;
  assert.equal(matrixOf(record, "still"), null);
  assert.equal(opacityOf(record, "still"), null);
  assert.deepEqual(barOf(data, record, "above", "still"), [[1, 2], [3, 4]]);
  assert.equal(layerIn(record, data.layers[1]), data.layers[1]);
  assert.deepEqual(mountPlace(data, data.frames[1], "above", "cart"), [3, 4]);
  assert.deepEqual(mountPlace(data, record, "above", "boat"), [7, 8]);
});
