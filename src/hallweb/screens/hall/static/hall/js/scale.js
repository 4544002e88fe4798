// Metres in the plan of the hall, as it is drawn: 76 px an octave.

const ONE_M_Y = 332;
const OCTAVE_PX = 76;
const NEAREST_M = 0.2;
const FARTHEST_M = 60;

/** Return the metres at a height of the plan. */
export function metresAt(y) {
  return within(2 ** ((ONE_M_Y - y) / OCTAVE_PX));
}

/** Return a distance in tenths of a metre under 10 m, in halves from there on. */
export function rounded(metres) {
  const step = metres < 10 ? 10 : 2;
  return Math.round(metres * step) / step;
}

/** Return a distance that can be asked for. */
export function within(metres) {
  return Math.min(Math.max(metres, NEAREST_M), FARTHEST_M);
}

/** Return the pan in whole per cent, so many pixels away from another, in steps of 5. */
export function pannedBy(x, by) {
  const percent = Math.round(((x + by - 428) / 3) / 5) * 5;
  return Math.min(Math.max(percent, -100), 100);
}
