// Which stretches of the song follow each other, and how they fall into segments. Pure.

/** Return the next stretch from `cursor`: one segment or less, ending at the loop's or the song's end. */
export function nextStretch(cursor, segmentFrames, stop, loop) {
  const limit = loop && cursor < loop.end ? loop.end : stop;
  if (cursor >= limit) return null;
  const index = Math.floor(cursor / segmentFrames);
  const end = Math.min((index + 1) * segmentFrames, limit);
  const wraps = Boolean(loop) && end === loop.end;
  return { index, start: cursor, end, offset: cursor - index * segmentFrames, wraps, next: wraps ? loop.start : end };
}

/** Return the song's sample at a context time from the stretches that were scheduled. */
export function sampleAt(stretches, time, rate) {
  let found = stretches[0];
  for (const stretch of stretches) if (stretch.time <= time) found = stretch;
  if (!found) return 0;
  const played = Math.max(0, Math.round((time - found.time) * rate));
  return Math.min(found.start + played, found.end);
}

/** Return [bar, beat, sample] of the last beat at or before a sample. */
export function beatAt(beats, sample) {
  let low = 0;
  let high = beats.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (beats[middle][0] <= sample) low = middle;
    else high = middle - 1;
  }
  return beats[low] ?? [0, 1, 1];
}

/** Return the sample that lies a bar before another, by the length of the bar that leads there; never before the song. */
export function barBefore(beats, sample) {
  const starts = beats.filter(([, , beat]) => beat === 1).map(([at]) => at);
  const index = Math.max(starts.findLastIndex((at) => at < sample), 0);
  const from = Math.min(index, starts.length - 2);
  return from < 0 ? 0 : Math.max(sample - (starts[from + 1] - starts[from]), 0);
}

/** Return the whole bars that two samples lie in, and all between: a loop with its name. */
export function barsAround({ beats, endSample }, one, other) {
  const starts = beats.filter(([, , beat]) => beat === 1);
  const [from, to] = [Math.min(one, other), Math.max(one, other)];
  const first = Math.max(starts.findLastIndex(([at]) => at <= from), 0);
  const last = Math.max(starts.findLastIndex(([at]) => at <= to && at < endSample), first);
  const [start, bar] = starts[first];
  const end = Math.min(starts[last + 1]?.[0] ?? endSample, endSample);
  return { start, end, name: first === last ? `bar ${bar}` : `bars ${bar} to ${starts[last][1]}` };
}
