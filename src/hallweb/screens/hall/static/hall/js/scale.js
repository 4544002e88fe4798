// Metres in the plan of the hall, as it is drawn: 76 px an octave.

const ONE_M_Y = 332;
const OCTAVE_PX = 76;
const LONG_ONE_M_Y = 171;
export const LONG_OCTAVE_PX = 37;
const NEAREST_M = 0.2;
const FARTHEST_M = 60;
const LOWEST_DB = -60;
const HIGHEST_DB = 6;

/** Return the metres at a height of the plan. */
export function metresAt(y) {
  return within(2 ** ((ONE_M_Y - y) / OCTAVE_PX));
}

/** Return the metres at a height of the long section. */
export function longMetresAt(y) {
  return within(2 ** ((LONG_ONE_M_Y - y) / LONG_OCTAVE_PX));
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

/**
 * Return the gains by which the sends of a source change, for it to be so many metres away: those into spaces move by the
 * same number of dB, as far as their range goes. `live` are they, and what they and all else make over the dry sound.
 */
export function sendGains({ free, fixed, sends }, metres, criticalM) {
  const wanted = (metres / criticalM) ** 2;
  const byDb = free > 0 ? 10 * Math.log10(Math.max((wanted - fixed) / free, 1e-9)) : 0;
  return sends.map(([, level]) => {
    const moved = Math.min(Math.max(level + byDb, LOWEST_DB), Math.max(HIGHEST_DB, level));
    return 10 ** (moved / 20) - 10 ** (level / 20);
  });
}

/** Return the pan in whole per cent, so many pixels away from another, in steps of 5. */
export function pannedBy(x, by) {
  const percent = Math.round(((x + by - 428) / 3) / 5) * 5;
  return Math.min(Math.max(percent, -100), 100);
}
