import assert from "node:assert/strict";
import { test } from "node:test";
import { TimeScale } from "../../vistaline/web/static/js/direct/scale.js";

test("a frame is found again where it is drawn, and frames beyond the shot are its ends", () => {
  for (const duration of [1, 2, 48, 5000]) {
    const scale = new TimeScale(duration, 900, 60, 40);
    for (let frame = 0; frame < duration; frame += Math.ceil(duration / 50)) {
      assert.equal(scale.frameAt(scale.x(frame)), frame);
      assert.equal(scale.frameAt(scale.x(frame) + scale.step * 0.49), frame);
    }
    assert.equal(scale.frameAt(-1000), 0);
    assert.equal(scale.frameAt(1e6), Math.max(1, duration - 1));
  }
});

test("the first and the last frame stand at the free room's edges", () => {
  const scale = new TimeScale(97, 900, 60, 40);
  assert.deepEqual([scale.x(0), scale.x(96)], [60, 860]);
});
