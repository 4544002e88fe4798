// What others, or other tabs, change in the song: looked for while the page is seen, and shown without a reload.

import { isEditing } from "./edits.js";
import { drawAgain, say } from "./screens.js";

const EVERY_MS = 2000;

function shown() {
  return Number(document.querySelector("#history [name=revision]").value);
}

/** Whether something is held that drawing the page anew would take away: a field that is typed into, a drag, a dialog. */
function isAtWork() {
  const field = document.activeElement;
  const isTyped = field?.matches?.("input[data-initial]") && field.value !== field.dataset.initial;
  return Boolean(isTyped || document.querySelector(".is-dragged, .is-dragging, .handle.is-held, .modal.show"));
}

async function show(words) {
  await drawAgain();
  document.body.dispatchEvent(new CustomEvent("plan-changed", { bubbles: true }));
  say(words);
}

async function look() {
  const before = shown();
  if (document.hidden || isEditing() || isAtWork()) return;
  const newest = await fetch(document.getElementById("history").dataset.newestUrl).then((response) => response.json()).catch(() => null);
  if (!newest?.revision) return; // no answer, or none that says: the next look may have one
  const { revision, label } = newest;
  if (revision === before || before !== shown() || isEditing() || isAtWork()) return;
  await show(`Changed elsewhere: ${label}.`);
}

export function bindElsewhere() {
  const again = () => setTimeout(() => look().finally(again), EVERY_MS);
  again();
  // An edit was made, or refused, on a song that others had changed: what it says stays, the rest is drawn as it is now.
  document.addEventListener("changed-elsewhere", () => show(document.querySelector("#notices [data-words]")?.textContent ?? "Your change was made beside others that were made elsewhere meanwhile."));
}
