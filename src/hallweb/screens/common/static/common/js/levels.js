// Levels and pans as they are written on the screen.

import { facts } from "./facts.js";
import { plain } from "./figures.js";

/** Return the gain of a written level in dB; 0 for silence, however it is called. */
export function gainOf(text) {
  const level = Number(plain(text));
  return Number.isFinite(level) ? 10 ** (level / 20) : 0;
}

/** Return the gains of a written pan in whole per cent for left and right. */
export function sidesOf(text) {
  const percent = Math.round(Number(plain(text)));
  return [facts.pan[100 + percent], facts.pan[100 - percent]];
}

/** Return the level at a share of the scale that levels are drawn on, rounded to a step. */
export function levelOnScale(share, step) {
  const { low, high } = facts.levelScale;
  return Math.round((low + Math.min(Math.max(share, 0), 1) * (high - low)) / step) * step;
}

/** Return how far up that scale a level lies. */
export function shareOfScale(level) {
  const { low, high } = facts.levelScale;
  return (level - low) / (high - low);
}
