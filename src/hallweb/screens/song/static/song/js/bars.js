// Positions as text: "12|1". Pure.

/** Return the [position, x] that lies nearest to x. */
export function nearest(snaps, x) {
  return snaps.reduce((best, snap) => (Math.abs(snap[1] - x) < Math.abs(best[1] - x) ? snap : best));
}

/** Return a position some bars on, its beat kept; never before bar 1. A bare bar stays one. */
export function stepBar(text, by) {
  const match = text.trim().match(/^(\d+)(\|.*)?$/);
  return match ? `${Math.max(Number(match[1]) + by, 1)}${match[2] ?? ""}` : text;
}
