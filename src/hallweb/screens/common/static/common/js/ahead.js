// What the answer of an edit, or of one that is rehearsed, tells of the segments that are heard next.

/** Return the lanes of a list as they are with the segments that are told; null where they are others altogether. */
export function lanesAhead(list, { first, segmentFrames, endSample, url, keys, faders }) {
  const isAlike = list.segmentFrames === segmentFrames && list.endSample === endSample;
  if (!isAlike || list.lanes.some(({ id }) => !(id in keys))) return null;
  return list.lanes.map((lane) => {
    const told = keys[lane.id];
    const urls = Object.fromEntries(told.map((_, index) => [first + index, url.replace("LANE", lane.id)]));
    return { ...lane, ...faders[lane.id], urls, keys: lane.keys.toSpliced(first, told.length, ...told) };
  });
}

/** Whether the segment that is told is heard at a sample. */
export function isToldAt({ first, segmentFrames, keys }, sample) {
  const index = Math.floor(sample / segmentFrames);
  return index >= first && index < first + Object.values(keys)[0].length;
}
