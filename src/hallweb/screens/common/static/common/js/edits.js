// Edits go one after another, so that each states the revision that the one before has made.
// What waits in a field that was swapped out meanwhile is left: fields.js sends it from the new one. A button that
// was swapped out is pressed again where it stands now.

import { stripState } from "./requests.js";

// While the song plays, sound comes first: the page is drawn anew when the next segment has had time to come.
const DRAWN_LATER_MS = 120;
const DRAWN_LATEST_MS = 600; // what is stored is shown, however late its sound is
const AGAIN_MS = 30;
const waiting = [];
let isBusy = false;
let count = 0; // edits that were sent

/** Whether an edit is on its way. */
export function isEditing() {
  return isBusy;
}

/** Return how many edits go before one that is made now. */
export function editsAhead() {
  return waiting.length + (isBusy ? 1 : 0);
}

function isEdit(detail) {
  return (detail.verb ?? detail.requestConfig?.verb) === "post";
}

function next() {
  isBusy = false;
  while (waiting.length) {
    const { elt, issueRequest } = waiting.shift();
    const now = document.contains(elt) ? elt : document.getElementById(elt.id);
    if (!now || (now !== elt && !now.matches("button:enabled"))) continue;
    if (now !== elt) return now.click();
    isBusy = true;
    return issueRequest(true);
  }
}

// An edit that is heard first is drawn when that is heard; what was typed is taken by then.
function takeLater({ target, detail }) {
  if (!detail?.later) return;
  const { revision } = detail;
  document.querySelector("#history [name=revision]").value = String(revision);
  if (!("initial" in target.dataset)) return;
  target.dataset.initial = target.value;
  delete target.dataset.taken;
}

/** Draw the strip that an edit was made in anew, with the history; once more if another edit was made meanwhile. */
async function draw(later) {
  for (let isStale = true; isStale; ) {
    while (isBusy) await new Promise((done) => setTimeout(done, AGAIN_MS));
    const strip = document.querySelector(".strip.is-open");
    if (!strip || !later.includes(`/${strip.id.replace("return-", "")}/`)) return; // another one is open by now
    const made = count;
    isStale = false;
    const check = ({ detail }) => {
      isStale = count !== made;
      if (isStale) detail.shouldSwap = false; // it would show, and undo, what is no longer the newest
    };
    strip.addEventListener("htmx:beforeSwap", check, { once: true });
    await window.htmx.ajax("GET", later, { source: strip, target: strip, swap: "outerHTML", values: { ...stripState(), edited: "yes" } });
  }
}

export function bindEdits(player) {
  document.addEventListener("plan-changed", async (event) => {
    takeLater(event);
    const { ahead, later } = event.detail ?? {};
    player.keepPromises(!waiting.length);
    const isHeard = player.refresh(ahead);
    if (!later) return;
    await Promise.race([isHeard, new Promise((done) => setTimeout(done, DRAWN_LATEST_MS))]);
    await draw(later);
  });
  document.addEventListener("htmx:confirm", (event) => {
    if (!isEdit(event.detail)) return;
    if (isBusy) {
      event.preventDefault();
      waiting.push(event.detail);
    }
    isBusy = true;
  });
  // The server begins to render what is heard next as soon as it has the edit.
  document.addEventListener("htmx:configRequest", ({ detail }) => {
    const isHeard = isEdit(detail) && player.isPlaying;
    if (isHeard) Object.assign(detail.headers, { "Play-Sample": String(player.whenEdited()), "Play-As": player.heardAs ?? "" });
    window.htmx.config.defaultSwapDelay = isHeard ? DRAWN_LATER_MS : 0;
  });
  // Told by the request itself: an element that is gone by then tells nobody.
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (!isEdit(event.detail)) return;
    count++;
    event.detail.xhr.addEventListener("loadend", next);
  });
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (!isEdit(detail)) return;
    const { status } = detail.xhr; // 0 where no answer came
    if (status >= 200 && status < 400) {
      if (waiting.length || !player.hasPromised) return;
      player.keepPromises(true); // what was promised changed nothing
      return player.refresh();
    }
    player.release(false); // what was held is not the plan's, nor is what was promised or a fader that was moved ahead
    player.keepPromises(!waiting.length);
    player.refresh();
  });
}
