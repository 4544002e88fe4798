// Seconds, bars and beats, levels: what the page of a listening link works out.

/** Return the last beat, as [seconds, "bar|beat"] of `beats`, that has begun at a time, as "bar|beat". */
export function placeAt(beats, seconds) {
  return (beats.findLast(([start]) => start <= seconds + 1e-6) ?? beats[0])[1];
}

/** Return when a beat begins; the last one's time if there is no such beat. */
export function secondsOf(beats, place) {
  return (beats.find(([, each]) => each === place) ?? beats.at(-1))[0];
}

/** Return the factor of a level in dB. */
export function gainOf(db) {
  return 10 ** (db / 20);
}
