// What is held in a picture: it follows the hand at once, the server draws the picture as it would be and it is heard so, and
// letting go is the edit. The pictures are the server's alone, so that what is seen while dragging is what will be there.

import { textAt } from "./drags.js";
import { showPanelOf } from "./panels.js";
import { stepField } from "../../common/js/fields.js";
import { giveUp, rehearse } from "../../common/js/rehearsals.js";
import { stripState, token } from "../../common/js/requests.js";

const MOVES = { ArrowLeft: ["across", -1], ArrowRight: ["across", 1], ArrowUp: ["upward", 1], ArrowDown: ["upward", -1], PageUp: ["upward", 1], PageDown: ["upward", -1] };

let hold = null;

function dragsOf(handle) {
  const read = (text) => (text ? JSON.parse(text) : null);
  return { across: read(handle.dataset.across), upward: read(handle.dataset.upward) };
}

function fieldOf(owner, path) {
  return document.querySelector(`input[id^="field-${owner}-"][data-path="${path}"]`);
}

function take(handle, event) {
  const picture = handle.closest("[data-preview]");
  const { across, upward } = dragsOf(handle);
  const box = handle.ownerSVGElement.getBoundingClientRect();
  hold = {
    id: handle.id, picture, across, upward, scale: handle.ownerSVGElement.viewBox.baseVal.width / box.width,
    from: { x: event.clientX, y: event.clientY }, at: { x: Number(handle.dataset.x), y: Number(handle.dataset.y) }, values: null,
  };
  handle.classList.add("is-held");
  handle.focus({ preventScroll: true });
}

function valuesAt(event) {
  const dx = (event.clientX - hold.from.x) * hold.scale;
  const dy = (event.clientY - hold.from.y) * hold.scale;
  const values = new Map();
  if (hold.across && Math.abs(dx) >= 0.5) values.set(hold.across.path, textAt(hold.across, hold.at.x + dx, event.altKey));
  if (hold.upward && Math.abs(dy) >= (hold.across ? 3 : 0.5)) values.set(hold.upward.path, textAt(hold.upward, hold.at.y + dy, event.altKey));
  return values;
}

function follow(event, player) {
  const values = valuesAt(event);
  if (!values.size) return;
  hold.values = values;
  const handle = document.getElementById(hold.id);
  const x = hold.at.x + (hold.across ? (event.clientX - hold.from.x) * hold.scale : 0);
  const y = hold.at.y + (hold.upward ? (event.clientY - hold.from.y) * hold.scale : 0);
  handle?.setAttribute("transform", `translate(${x} ${y})`);
  preview(hold.picture, values, hold.across?.path ?? hold.upward.path);
  rehearse(player, hold.picture.closest(".strip"), hold.picture.dataset.set, posted(hold.picture, values), true);
}

// One preview at a time: while one is under way, only the newest of what follows is asked for next.
let isAsking = false;
let wanted = null;
let posts = 0;

export async function preview(picture, values, held) {
  wanted = { picture, values, held };
  if (isAsking) return;
  isAsking = true;
  while (wanted) {
    const asked = wanted;
    wanted = null;
    await ask(asked);
  }
  isAsking = false;
}

async function ask({ picture, values, held }) {
  const form = new FormData();
  for (const [path, text] of values) {
    form.append("path", path);
    form.append("value", text);
  }
  form.append("held", held);
  for (const [name, value] of Object.entries(stripState())) form.append(name, value);
  const before = posts;
  const response = await fetch(picture.dataset.preview, { method: "POST", body: form, headers: { "X-CSRFToken": token() } });
  if (!response.ok || before !== posts || !document.contains(picture)) return;
  show(await response.text());
}

function show(html) {
  const parts = document.createElement("template");
  parts.innerHTML = html;
  const focus = document.activeElement?.id;
  for (const part of parts.content.querySelectorAll("[data-name]")) {
    const now = document.querySelector(`[data-name="${part.dataset.name}"]`);
    if (now && part.matches("svg")) now.replaceWith(part);
    else if (now) now.innerHTML = part.innerHTML;
  }
  for (const figure of parts.content.querySelectorAll("[data-field]")) {
    const field = document.getElementById(figure.dataset.field);
    if (!field) continue;
    if (field.value === field.dataset.initial) field.value = field.dataset.initial = figure.value; // else something is being typed there
    const hint = field.closest(".field").querySelector("[data-hint]");
    if (hint) hint.textContent = figure.textContent;
  }
  if (focus && document.activeElement?.id !== focus) document.getElementById(focus)?.focus({ preventScroll: true });
}

/** Return what is posted of held values. */
function posted(picture, values) {
  const linked = picture.closest(".strip").querySelector("#linked-state")?.value;
  return { path: [...values.keys()], value: [...values.values()], ...(linked ? { linked } : {}) };
}

function post(picture, values) {
  wanted = null;
  posts++;
  const strip = picture.closest(".strip");
  window.htmx.ajax("POST", picture.dataset.set, { source: strip, target: strip, swap: "outerHTML", values: posted(picture, values) });
}

function letGo() {
  const { picture, values } = hold;
  hold = null;
  if (values) post(picture, values);
  else document.querySelector(".handle.is-held")?.classList.remove("is-held");
}

function drop(player) {
  const { picture } = hold;
  hold = null;
  giveUp(player);
  preview(picture, new Map(), "");
}

function reset(handle) {
  const picture = handle.closest("[data-preview]");
  const { across, upward } = dragsOf(handle);
  const values = new Map();
  for (const drag of [across, upward]) {
    const field = drag && fieldOf(picture.dataset.owner, drag.path);
    if (field?.dataset.reset) values.set(drag.path, field.dataset.reset);
  }
  if (values.size) post(picture, values);
}

function step(handle, event) {
  const [wantedAxis, direction] = MOVES[event.key];
  const drags = dragsOf(handle);
  const drag = drags[wantedAxis] ?? drags.across ?? drags.upward;
  const field = fieldOf(handle.closest("[data-preview]").dataset.owner, drag.path);
  if (field) stepField(field, direction, event);
}

// What the handle stands for is typed in its field.
function type(handle) {
  const { across, upward } = dragsOf(handle);
  const field = fieldOf(handle.closest("[data-preview]").dataset.owner, (across ?? upward).path);
  if (!field) return;
  showPanelOf(field);
  field.focus();
}

export function bindHandles(player) {
  document.addEventListener("pointerdown", (event) => {
    const handle = event.target.closest?.("[data-handle]");
    if (!handle || event.button) return;
    event.preventDefault();
    take(handle, event);
  });
  document.addEventListener("pointermove", (event) => {
    if (hold) follow(event, player);
  });
  document.addEventListener("pointerup", () => {
    if (hold) letGo();
  });
  document.addEventListener("pointercancel", () => {
    if (hold) drop(player);
  });
  document.addEventListener("dblclick", (event) => {
    const handle = event.target.closest?.("[data-handle]");
    if (handle) reset(handle);
  });
  document.addEventListener("keydown", (event) => {
    if (hold && event.key === "Escape") return drop(player);
    const handle = event.target.closest?.("[data-handle]");
    if (!handle || event.ctrlKey || event.metaKey) return;
    if (event.key in MOVES) step(handle, event);
    else if (event.key === "Delete" || event.key === "Backspace") reset(handle);
    else if (event.key === "Enter") type(handle);
    else return;
    event.preventDefault();
  });
  // A field that is stepped shows in the pictures at once, before it is stored.
  document.addEventListener("field-stepped", (event) => {
    const field = event.target;
    const picture = field.closest(".strip")?.querySelector("[data-preview]");
    if (picture && field.dataset.path && !field.dataset.path.endsWith("/repeats")) preview(picture, new Map([[field.dataset.path, field.value]]), field.dataset.path);
  });
}
