// Levels and pans as they are written on the screen.

import { plain } from "./figures.js";

/** Return the gain of a written level in dB; 0 for silence, however it is called. */
export function gainOf(text) {
  const level = Number(plain(text));
  return Number.isFinite(level) ? 10 ** (level / 20) : 0;
}

/** Return the gains of a written pan in per cent for left and right: cos and sin of a quarter turn from left to right. */
export function sidesOf(text) {
  const angle = (Number(plain(text)) / 100 + 1) * (Math.PI / 4);
  return [Math.cos(angle), Math.sin(angle)];
}
