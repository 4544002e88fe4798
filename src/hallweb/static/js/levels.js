// Levels and pans as they are written on the screen.

const MINUS = "\u2212";

/** Return the gain of a written level in dB; 0 for silence, however it is called. */
export function gainOf(text) {
  const level = Number(text.replace(MINUS, "-"));
  return Number.isFinite(level) ? 10 ** (level / 20) : 0;
}

/** Return the gains of a written pan in per cent for left and right: cos and sin of a quarter turn from left to right. */
export function sidesOf(text) {
  const angle = (Number(text.replace(MINUS, "-")) / 100 + 1) * (Math.PI / 4);
  return [Math.cos(angle), Math.sin(angle)];
}
