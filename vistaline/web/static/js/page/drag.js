// One press of the pointer, followed to its end, whatever that is.

/** @typedef {{ dx: number, dy: number, event: PointerEvent }} Dragged How far it has come, in pixels. */

/**
 * Follow a press: `move` gets each pointer event, `end` the last one.
 *
 * `target` takes the pointer until it is released; it need not be what was pressed.
 *
 * Released, it ends. So it does where the release cannot be seen: when the capture is lost or the
 * tab is left, it ends at the place it was seen last. Given up (`cancel`) by Escape, or by the
 * system, which takes a pen's pointer away when a palm comes down.
 *
 * @param {any} target
 * @param {PointerEvent} event
 * @param {{ move: (now: PointerEvent) => void, end: (now: PointerEvent) => void, cancel?: () => void }} told
 */
export function follow(target, event, { move, end, cancel }) {
  const { pointerId } = event;
  let last = event;
  let over = false;
  const listen = (on) => {
    const turn = on ? "addEventListener" : "removeEventListener";
    target[turn]("pointermove", onMove);
    target[turn]("pointerup", onUp);
    target[turn]("pointercancel", giveUp);
    target[turn]("lostpointercapture", finish);
    document[turn]("visibilitychange", onLeave);
    document[turn]("keydown", onKey, true);
  };
  const stop = (then) => {
    if (over) return;
    over = true;
    listen(false);
    if (target.hasPointerCapture?.(pointerId)) target.releasePointerCapture(pointerId);
    then();
  };
  const onMove = (e) => {
    if (e.pointerId !== pointerId) return; // another finger
    last = e;
    move(e);
  };
  const onUp = (e) => {
    if (e.pointerId !== pointerId) return;
    last = e;
    finish();
  };
  const finish = () => stop(() => end(last));
  const giveUp = () => stop(() => cancel?.());
  const onLeave = () => document.hidden && finish();
  const onKey = (e) => {
    if (e.key !== "Escape") return;
    e.stopPropagation();
    giveUp();
  };
  target.setPointerCapture(pointerId);
  listen(true);
}

/**
 * A drag by at least two pixels: `move` and `end` get how far it has come; less is a `cancel`.
 *
 * @param {any} target
 * @param {PointerEvent} event
 * @param {{ move: (now: Dragged) => void, end: (now: Dragged) => void, cancel?: () => void }} told
 */
export function drag(target, event, { move, end, cancel }) {
  const start = { x: event.clientX, y: event.clientY };
  let moved = false;
  const offset = (e) => ({ dx: e.clientX - start.x, dy: e.clientY - start.y, event: e });
  follow(target, event, {
    move: (e) => {
      const now = offset(e);
      moved ||= Math.hypot(now.dx, now.dy) > 2;
      if (moved) move(now);
    },
    end: (e) => (moved ? end(offset(e)) : cancel?.()),
    cancel,
  });
}
