// What one is at, kept for this tab and song: a reload finds the play position, the loop and what is chosen as they were.

function key(name) {
  const song = globalThis.location?.pathname.match(/^\/songs\/(\d+)\//)?.[1];
  return song && `high-hall ${song} ${name}`;
}

/** Return what was kept under a name; undefined where nothing was. */
export function kept(name) {
  const text = key(name) && sessionStorage.getItem(key(name));
  return text ? JSON.parse(text) : undefined;
}

export function keep(name, value) {
  if (key(name)) sessionStorage.setItem(key(name), JSON.stringify(value));
}
