// The sections on the song strip of the dock, and which of them a place lies in.

import { facts } from "./facts.js";

/** Return where a share of the song (0 to 1) lies on it, in pixels. */
export function xOn(share) {
  return Math.min(Math.max(share, 0), 1) * facts.songStripWidth;
}

/** Return the box of the section that a sample lies in: the last one for what is after them all. */
export function sectionAt(sample) {
  const boxes = [...document.querySelectorAll("[data-section-box]")];
  return boxes.find((box) => sample >= Number(box.dataset.start) && sample < Number(box.dataset.end)) ?? boxes.at(-1);
}

/** Return what is listened to around a sample: the loop, else the section, as name and limits; null without sections. */
export function passageAt(sample, loop) {
  const box = sectionAt(sample);
  if (!box) return null;
  return { name: box.dataset.name, start: loop?.start ?? Number(box.dataset.start), end: loop?.end ?? Number(box.dataset.end) };
}
