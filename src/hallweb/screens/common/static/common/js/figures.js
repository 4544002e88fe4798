// Figures as they are written on the screen: with a real minus. Pure.

const MINUS = "\u2212";

/** Return a number's text as the screen writes it. */
export function written(text) {
  return text.replace("-", MINUS);
}

/** Return a text of the screen as programs write it. */
export function plain(text) {
  return text.replace(MINUS, "-");
}
