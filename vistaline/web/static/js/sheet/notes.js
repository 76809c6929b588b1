// Strokes that are no mask: what a guess is told, hair, where texture comes from, painted depths.

/**
 * @param {any} context
 * @param {{scale: number, x: number, y: number}} view
 * @param {[{points: number[][], width: number}, string][]} notes
 */
export function drawNotes(context, { scale, x, y }, notes) {
  for (const [{ points, width }, colour] of notes) {
    context.strokeStyle = colour;
    context.lineCap = context.lineJoin = "round";
    context.lineWidth = Math.max(1, width * scale);
    context.beginPath();
    points.forEach(([px, py], n) => context[n ? "lineTo" : "moveTo"](px * scale + x, py * scale + y));
    if (points.length === 1) context.lineTo(points[0][0] * scale + x + 0.01, points[0][1] * scale + y);
    context.stroke();
  }
}

/** Points closer than a third of a pixel tell nothing. */
export function thinned(points) {
  const kept = [points[0]];
  for (const point of points.slice(1)) if (Math.hypot(point[0] - kept.at(-1)[0], point[1] - kept.at(-1)[1]) > 0.34) kept.push(point);
  return kept;
}
