// Ramps and ends of phrases by keyboard: arrows step the ramp under focus by note values, or bend it; W goes from a value to the ends of
// its section's phrases, arrows go on from one to the next, Enter throws its last word, Escape goes back.

import { facts } from "../../common/js/facts.js";
import { edit } from "../../common/js/requests.js";
import { bentBy } from "./stepdrags.js";

const LONGEST = 1;
const BEND_KEY = 10;

/** Return the ramp that is a step away from one: in whole notes, below 0 before the section, above 0 after it. */
export function steppedRamp(wholes, direction) {
  const lengths = facts.notes.filter(([note, length]) => !/[T.]$/.test(note) && length <= LONGEST);
  const ladder = [...lengths.map(([note, length]) => [note, -length]), ["", 0], ...lengths].sort((a, b) => a[1] - b[1]);
  const index = direction > 0 ? ladder.findIndex(([, length]) => length > wholes + 1e-6) : ladder.findLastIndex(([, length]) => length < wholes - 1e-6);
  const [note, length] = ladder[index] ?? ladder.at(direction > 0 ? -1 : 0);
  return { value: note, side: length < 0 ? "before" : "after" };
}

function onRampKey(event, { dataset: { rampEnd, wholes, bend } }) {
  const [along, up] = [{ ArrowLeft: -1, ArrowRight: 1 }, { ArrowDown: -1, ArrowUp: 1 }].map((keys) => keys[event.key]);
  if (!along && !up) return;
  event.preventDefault();
  if (up && bend === undefined) return;
  const said = along ? { do: "ramp", ...steppedRamp(Number(wholes), along) } : { do: "bend", value: bentBy(Number(bend), up * BEND_KEY) };
  edit(document.querySelector("[data-moves]").dataset.cellsUrl, { cell: rampEnd, ...said });
}

function onEndKey(event, end) {
  const all = [...end.closest("[data-move-row]").querySelectorAll("[data-phrase-end]")];
  const next = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (next) all[all.indexOf(end) + next]?.focus();
  else if (event.key === "Enter") end.dispatchEvent(new MouseEvent("click", { bubbles: true, shiftKey: event.shiftKey }));
  else if (event.key === "Escape") end.closest("[data-move-row]").querySelector("[data-move-cell]").focus();
  else return;
  event.preventDefault();
}

function toPhraseEnds(cell) {
  const x = Number(cell.getAttribute("x"));
  const ends = [...cell.closest("[data-move-row]").querySelectorAll("[data-phrase-end]")];
  (ends.find((end) => Number(end.getAttribute("x")) > x) ?? ends.at(-1))?.focus();
}

export function bindMarkKeys() {
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const [ramp, end, cell] = ["[data-ramp-end]", "[data-phrase-end]", "[data-move-cell]"].map((each) => event.target.closest?.(each));
    if (ramp) onRampKey(event, ramp);
    else if (end) onEndKey(event, end);
    else if (cell && event.key.toLowerCase() === "w") toPhraseEnds(cell);
  });
}
