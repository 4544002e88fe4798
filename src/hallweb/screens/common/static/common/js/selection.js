// What is chosen of a grid, by name: so it outlasts the page being drawn anew, and a reload.

import { keep, kept } from "./kept.js";

export class Selection {
  #names;
  #key;

  constructor(key) {
    this.#key = key;
    this.#names = new Set(kept(key));
  }

  get names() {
    return [...this.#names];
  }

  has(name) {
    return this.#names.has(name);
  }

  /** Choose these and no others, or with `isAdded` these too. */
  choose(names, { isAdded = false } = {}) {
    if (!isAdded) this.#names.clear();
    for (const name of names) this.#names.add(name);
    keep(this.#key, this.names);
  }

  /** Choose one alone; with `isAdded` it joins the others, or leaves them. Returns whether it is chosen now. */
  press(name, { isAdded = false } = {}) {
    if (isAdded && this.#names.delete(name)) {
      keep(this.#key, this.names);
      return false;
    }
    this.choose([name], { isAdded });
    return true;
  }
}

/** Return the next of a list, or the one before it; from its end on to its start. Without a present one, the first or last. */
export function stepThrough(list, present, direction) {
  const index = list.indexOf(present);
  const from = index < 0 && direction < 0 ? 0 : index;
  return list[(from + direction + list.length) % list.length];
}

/** Return the item of a sorted list whose sample lies nearest to one, as [what, sample]; undefined of an empty list. */
export function nearestTo(snaps, sample) {
  return snaps.reduce((best, snap) => (best && Math.abs(best[1] - sample) <= Math.abs(snap[1] - sample) ? best : snap), undefined);
}
