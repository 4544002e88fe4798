// What others, or other tabs, change in the song: shown without a reload, as soon as nothing is held that drawing anew would take away.

import { isEditing } from "./edits.js";
import { concerns } from "./news.js";
import { drawAgain, say } from "./screens.js";

const AGAIN_MS = 1000;

let isWanted = false;
let isLooking = false;

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

/** Show the newest revision if it is another one; return whether that was possible. */
async function look() {
  const before = shown();
  if (document.hidden || isEditing() || isAtWork()) return false;
  const newest = await fetch(document.getElementById("history").dataset.newestUrl).then((response) => response.json()).catch(() => null);
  if (!newest?.revision) return true; // no answer, or none that says: there will be news again
  if (newest.revision === shown()) return true;
  if (before !== shown() || isEditing() || isAtWork()) return false;
  await show(`Changed elsewhere: ${newest.label}.`);
  return true;
}

async function lookOnce() {
  if (isLooking) return;
  isLooking = true;
  isWanted = false;
  if (!(await look())) isWanted = true;
  isLooking = false;
}

export function bindElsewhere() {
  document.addEventListener("song-news", ({ detail }) => {
    if (!concerns(detail, "plan")) return;
    isWanted = true;
    lookOnce();
  });
  setInterval(() => isWanted && lookOnce(), AGAIN_MS);
  // An edit was made, or refused, on a song that others had changed: what it says stays, the rest is drawn as it is now.
  document.addEventListener("changed-elsewhere", () => show(document.querySelector("#notices [data-words]")?.textContent ?? "Your change was made beside others that were made elsewhere meanwhile."));
}
