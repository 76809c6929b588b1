import assert from "node:assert/strict";
import { test } from "node:test";
import { Lane } from "../../vistaline/web/static/js/desk/lane.js";

test("never more than there is room for, the lowest rank first, and a failure gives its room back", async () => {
  const lane = new Lane(2);
  const begun = [];
  let going = 0;
  const deed = (name) => async () => {
    begun.push(name);
    going += 1;
    assert.ok(going <= 2);
    await new Promise((done) => setTimeout(done, 2));
    going -= 1;
    if (name === "lost") throw new Error(name);
    return name;
  };
  const all = [["a", 0], ["lost", 0], ["copy", 1], ["b", 0], ["another copy", 1], ["c", 0]].map(([name, rank]) => lane.run(deed(name), rank));
  const found = await Promise.allSettled(all);
  assert.deepEqual(begun, ["a", "lost", "b", "c", "copy", "another copy"]);
  assert.deepEqual(found.map(({ status, value }) => value ?? status), ["a", "rejected", "copy", "b", "another copy", "c"]);
  assert.equal(lane.free, 2);
});
