// An edit is rehearsed while it is typed, stepped or dragged: the server has its sound got ready and stores nothing, so that
// it is heard as it is made; what is dragged is heard where the hand pauses.

import { isEditing } from "./edits.js";
import { token } from "./requests.js";

const PAUSE_MS = 30;
const HELD_MS = 150; // while a hand moves, the processor is left to the picture that follows it
const TYPED_MS = 150; // a pause as long is no pause between two digits any more
const AGAIN_MS = 500; // what was got ready is passed after some seconds
const NOT_THE_EDIT = ["at"]; // told with it: where the song is played

let pause = null;
let rest = null;
let touchedAt = 0;
let isAsking = false;
let wanted = null; // the newest that is to be rehearsed
let ready = null; // the last that was
let isHeard = false; // of what is held
let made = 0; // edits that were made, or given up, since the page is open

/** Return what tells one edit, or rehearsal, from another: its address and all that is sent. */
export function signature(url, values) {
  const said = Object.entries(values).filter(([name]) => !NOT_THE_EDIT.includes(name));
  return JSON.stringify([url, said.map(([name, value]) => [name, [value].flat().map(String)]).toSorted()]);
}

const revision = () => document.querySelector("#history [name=revision]").value;

async function ask({ url, values, isHeld }, player) {
  const before = made;
  const body = new URLSearchParams(Object.entries(values).flatMap(([name, value]) => [value].flat().map((each) => [name, each])));
  const headers = { "X-CSRFToken": token(), Rehearse: "yes", "Play-Sample": String(Math.round(player.sample)), "Play-As": player.heardAs ?? "" };
  const response = await fetch(url, { method: "POST", body, headers }).catch(() => null);
  const ahead = response?.status === 200 ? await response.json().catch(() => null) : null; // of a page to sign in none
  if (!ahead || before !== made) return;
  ready = { signature: signature(url, values), ahead };
  isHeard ||= isHeld;
  clearTimeout(rest);
  if (isHeld) player.hearRehearsed(ahead);
  else rest = setTimeout(prepareRested, Math.ceil(touchedAt + TYPED_MS - performance.now()) + 1, player);
}

// Between two digits nothing is fetched: it would be given up.
function prepareRested(player) {
  if (ready && performance.now() - touchedAt >= TYPED_MS) player.prepare(ready.ahead);
}

// One at a time: while one is under way, only the newest of what follows is next.
async function askNewest(player) {
  if (isAsking) return;
  isAsking = true;
  while (wanted) {
    const asked = wanted;
    wanted = null;
    if (player.hearsPlan && !isEditing()) await ask(asked, player);
  }
  isAsking = false;
}

/** Rehearse an edit that an element would post, with more values than its own, when the hand pauses; what is held is heard then. */
export function rehearse(player, element, url, values = {}, isHeld = false) {
  if (!player.hearsPlan) return;
  clearTimeout(pause);
  touchedAt = performance.now();
  const own = JSON.parse(element.getAttribute("hx-vals") ?? "{}");
  const begin = () => {
    wanted = { url, isHeld, values: { ...window.htmx.values(element, "post"), ...own, ...values, revision: revision() } };
    askNewest(player);
  };
  pause = setTimeout(begin, isHeld ? HELD_MS : PAUSE_MS);
}

function forget() {
  clearTimeout(pause);
  made++;
  ready = wanted = null;
  isHeard = false;
}

/** Give up what was rehearsed: what was heard of it is taken back. */
export function giveUp(player) {
  const wasHeard = isHeard;
  forget();
  if (wasHeard) player.refresh();
}

const isTyped = (field) => field?.matches?.("input[data-step][hx-post]") && field.value !== field.dataset.initial;

export function bindRehearsals(player) {
  const onField = (field) => isTyped(field) && rehearse(player, field, field.getAttribute("hx-post"));
  document.addEventListener("input", ({ target }) => onField(target));
  document.addEventListener("field-stepped", ({ target }) => onField(target));
  setInterval(() => {
    if (ready && player.hearsPlan && !player.isPrepared(ready.ahead)) onField(document.activeElement);
  }, AGAIN_MS);
  document.addEventListener("htmx:configRequest", ({ detail: { verb, path, parameters } }) => {
    if (verb !== "post") return;
    const rehearsed = ready;
    forget();
    if (rehearsed?.signature === signature(path, { ...parameters })) player.hearRehearsed(rehearsed.ahead);
  });
}
