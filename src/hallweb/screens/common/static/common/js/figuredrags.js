// Dragging the figure of a level or pan sideways: it steps as by the arrow keys, finely with Shift, coarsely with Alt, and
// is heard as it does. A click begins to type as ever; letting go is the edit, Escape lets go unchanged.

import { editsAhead } from "./edits.js";
import { plain } from "./figures.js";
import { gainOf, sidesOf } from "./levels.js";
import { stepped } from "./steps.js";

const STEP_PX = 5;
const SIDES = { level: [""], pan: ["left", "right"] };
let hold = null;

/** Return the text so many steps away, within the field's limits. */
export function dragged(text, { step, low, high }, steps, how) {
  let value = text;
  for (let count = 0; count < Math.abs(steps); count++) {
    const next = stepped(value, step, Math.sign(steps), how);
    const number = Number(plain(next));
    if (number < Number(low) || number > Number(high)) break;
    value = next;
  }
  return value;
}

function begin(event) {
  const field = event.target.closest?.("input[data-held]");
  if (!field || event.button || field === document.activeElement) return;
  event.preventDefault(); // else the drag would choose text
  hold = { field, x: event.clientX, from: field.value, isMoved: false };
}

function gains({ value, dataset }) {
  const read = dataset.drag === "pan" ? sidesOf : (text) => [gainOf(text)];
  const before = read(dataset.initial);
  return read(value).map((gain, side) => gain - before[side]);
}

function move(event, player) {
  const { field } = hold;
  const steps = Math.trunc((event.clientX - hold.x) / STEP_PX);
  if (!hold.isMoved && !steps) return;
  if (!hold.isMoved) player.hold(field.dataset.held, { sides: SIDES[field.dataset.drag] });
  hold.isMoved = true;
  field.classList.add("is-dragged");
  field.value = dragged(hold.from, field.dataset, steps, { isFine: event.shiftKey, isCoarse: event.altKey });
  player.setHeld(gains(field));
}

function end(player, isTaken) {
  const { field, isMoved, from } = hold;
  hold = null;
  field.classList.remove("is-dragged");
  if (!isMoved) return field.focus();
  if (!isTaken) field.value = from;
  const isChanged = field.value !== field.dataset.initial;
  player.release(isChanged, editsAhead());
  if (isChanged) field.dispatchEvent(new CustomEvent("change", { bubbles: true, detail: { isHeard: true } }));
}

export function bindFigureDrags(player) {
  document.addEventListener("mousedown", begin);
  document.addEventListener("mousemove", (event) => {
    if (hold) move(event, player);
  });
  document.addEventListener("mouseup", () => {
    if (hold) end(player, true);
  });
  document.addEventListener("keydown", (event) => {
    if (hold && event.key === "Escape") end(player, false);
  });
}
