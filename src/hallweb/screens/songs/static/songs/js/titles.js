// A title for a song from the names of its stems. Pure.

const SHORTEST = 3;

/** Return the words with which the names of all files begin; "New song" where that is next to nothing. */
export function titleOf(files) {
  const [first, ...others] = files.map((file) => file.replace(/\.\w+$/, ""));
  let length = others.length ? first.length : 0;
  for (const name of others) while (!name.startsWith(first.slice(0, length))) length--;
  const isInWord = [first, ...others].some((name) => /[^\W_]/.test(name[length] ?? " "));
  const words = isInWord ? first.slice(0, length).replace(/[^\W_]+$/, "") : first.slice(0, length);
  const title = words.replaceAll("_", " ").replace(/\W+$/, "").trim();
  return title.length < SHORTEST ? "New song" : title;
}
