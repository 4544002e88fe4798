// A title for a song from the names of its stems. Pure.

const SHORTEST = 3;

/** Return what all names begin with, up to the last whole word; "New song" where that is next to nothing. */
export function titleOf(names) {
  if (names.length < 2) return "New song";
  const [first, ...others] = names;
  let length = first.length;
  for (const name of others) while (length && !name.startsWith(first.slice(0, length))) length--;
  const whole = length === first.length || /[\W_]/.test(first[length]) ? first.slice(0, length) : first.slice(0, length).replace(/[^\W_]+$/, "");
  const title = whole.replace(/[\W_]+$/, "").replaceAll("_", " ").trim();
  return title.length < SHORTEST ? "New song" : title;
}
