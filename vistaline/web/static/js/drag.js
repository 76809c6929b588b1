// One pointer drag from press to release; Escape gives it up.
export function drag(event, { move, end, cancel }) {
  const target = event.currentTarget;
  target.setPointerCapture(event.pointerId);
  const start = { x: event.clientX, y: event.clientY };
  let moved = false;
  const offset = (e) => ({ dx: e.clientX - start.x, dy: e.clientY - start.y, event: e });
  const onMove = (e) => {
    const now = offset(e);
    moved ||= Math.hypot(now.dx, now.dy) > 2;
    if (moved) move(now);
  };
  const stop = () => {
    target.removeEventListener("pointermove", onMove);
    target.removeEventListener("pointerup", onUp);
    target.removeEventListener("pointercancel", onCancel);
    document.removeEventListener("keydown", onKey, true);
  };
  const onUp = (e) => {
    stop();
    if (moved) end(offset(e));
    else cancel?.();
  };
  const onCancel = () => {
    stop();
    cancel?.();
  };
  const onKey = (e) => {
    if (e.key !== "Escape") return;
    e.stopPropagation();
    onCancel();
  };
  target.addEventListener("pointermove", onMove);
  target.addEventListener("pointerup", onUp);
  target.addEventListener("pointercancel", onCancel);
  document.addEventListener("keydown", onKey, true);
}
