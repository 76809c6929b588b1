import assert from "node:assert/strict";
import { test } from "node:test";
import { Wire } from "../../vistaline/web/static/js/sheet/wire.js";

/** A board that draws nothing, and a room that takes the pointer. */
function board() {
  const room = new EventTarget();
  Object.assign(room, { setPointerCapture() {}, hasPointerCapture: () => false });
  return { room, view: { scale: 2, x: 0, y: 0 }, redraw() {} };
}

globalThis.document ??= Object.assign(new EventTarget(), { hidden: false });

let pointer = 0;
function press(wire, x, y, more = {}) {
  const event = { pointerId: (pointer += 1), clientX: 2 * x, clientY: 2 * y, timeStamp: 1000 * pointer, ...more };
  const taken = wire.press(event, { x, y });
  const to = (kind, dx = 0, dy = 0) => {
    const { pointerId } = event;
    const told = Object.assign(new Event(kind), { pointerId, clientX: event.clientX + 2 * dx, clientY: event.clientY + 2 * dy });
    wire.board.room.dispatchEvent(told);
  };
  return { taken, to };
}

function triangle() {
  const wire = new Wire(board(), "outline");
  for (const [x, y] of [[10, 10], [90, 10], [50, 80]]) press(wire, x, y).to("pointerup");
  return wire;
}

test("an outline is closed at its first point, with three at least", () => {
  const wire = triangle();
  let closed = 0;
  wire.onDone = () => (closed += 1);
  press(wire, 11, 10);
  assert.equal(closed, 1);
  assert.deepEqual(wire.points.map(({ at }) => at), [[10, 10], [90, 10], [50, 80]]);
});

test("a point that is placed by a drag gets handles, one against the other", () => {
  const wire = new Wire(board(), "outline");
  const { to } = press(wire, 20, 20);
  to("pointermove", 8, 0);
  to("pointerup", 8, 0);
  assert.deepEqual(wire.points[0], { at: [20, 20], after: [8, 0], before: [-8, -0] });
});

test("a plane has four corners and is closed by the fourth", () => {
  const wire = new Wire(board(), "plane");
  for (const [x, y] of [[0, 0], [40, 0], [40, 30], [0, 30]]) press(wire, x, y);
  assert.equal(wire.closed, true);
});

test("a corner of a closed shape is dragged in picture pixels, whatever the zoom", () => {
  const wire = triangle();
  press(wire, 10, 10);
  const { to } = press(wire, 90, 10);
  to("pointermove", 5, 3);
  to("pointerup", 5, 3);
  assert.deepEqual(wire.points[1].at, [95, 13]);
});
