// Levels as they are written on the screen.

const MINUS = "\u2212";

/** Return the gain of a written level in dB; 0 for silence, however it is called. */
export function gainOf(text) {
  const level = Number(text.replace(MINUS, "-"));
  return Number.isFinite(level) ? 10 ** (level / 20) : 0;
}
