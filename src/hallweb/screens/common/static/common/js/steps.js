// Stepping a typed value by the arrow keys. Pure: text in, text out.

import { facts } from "./facts.js";
import { plain, written } from "./figures.js";

function decimals(number) {
  const [, part = ""] = String(number).split(".");
  return part.length;
}

/** Return the text one step up (direction 1) or down (-1); fine steps are a fifth, coarse ones five times as large. */
export function stepped(text, step, direction, { isFine = false, isCoarse = false } = {}) {
  const note = facts.notes.findIndex(([each]) => each === text.trim());
  if (note >= 0) return facts.notes[Math.min(Math.max(note + direction * (isCoarse ? 3 : 1), 0), facts.notes.length - 1)][0];
  const match = plain(text.trim()).match(/^([+-]?[\d.]+)(.*)$/);
  if (!match || !Number.isFinite(Number(match[1]))) return text;
  const isTime = match[2].trim() === "ms";
  const size = (isTime ? 5 : Number(step)) * (isFine ? 0.2 : isCoarse ? 5 : 1);
  const places = Math.max(decimals(match[1]), decimals(Number(size.toFixed(4))));
  const value = Number(match[1]) + direction * size;
  return written(value.toFixed(places)) + match[2];
}
