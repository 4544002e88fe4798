// The cells of the Moves screen: chosen by pointer and keyboard, and changed as one edit.

import { around, cellAt } from "../../common/js/cells.js";
import { eachFrame } from "../../common/js/frames.js";
import { edit } from "../../common/js/requests.js";
import { Selection } from "../../common/js/selection.js";
import { isHeld } from "./stepdrags.js";

const $ = (selector) => document.querySelector(selector);
const $$ = (selector) => [...document.querySelectorAll(selector)];

const selection = new Selection("moves");
let anchor = null;
let pressed = null;
let copied = null;

/** Return the cells that are chosen. */
export function chosen() {
  return $$("[data-move-cell]").filter((cell) => selection.has(cell.dataset.moveCell));
}

/** Choose cells; a throw that is held is let go. */
export function choose(cells) {
  selection.choose(cells.map((cell) => cell.dataset.moveCell));
  document.dispatchEvent(new Event("cells-chosen"));
}

/** Show what is chosen, and its form unless the bar shows a throw. */
export function show(isThrowHeld) {
  for (const cell of $$("[data-move-cell]")) cell.setAttribute("aria-pressed", String(selection.has(cell.dataset.moveCell)));
  const count = chosen().length;
  $("[data-cells-form]").hidden = !count || isThrowHeld;
  $("[data-moves-hint]").hidden = Boolean(count || isThrowHeld);
  $("[data-cells-count]").textContent = `${count} value${count === 1 ? "" : "s"}`;
}

/** Change all chosen cells, as one edit. */
export function change(what, more = {}) {
  const cells = chosen();
  if (cells.length) edit($("[data-moves]").dataset.cellsUrl, { cell: cells.map((cell) => cell.dataset.moveCell), do: what, ...more });
}

function field(name) {
  return $(`[data-cells-form] [name=${name}]`);
}

/** Return what the form says of new throws. */
export function newThrow() {
  const values = Object.fromEntries(["throw", "length", "ramp_in", "ramp_out", "every"].map((name) => [name, field(name).value]));
  return field("until").checked ? { ...values, until: "next" } : values;
}

function onPointerDown(event) {
  const cell = event.target.closest?.("[data-move-cell]");
  if (!cell || event.button || event.altKey) return;
  if (event.shiftKey && anchor && document.contains(anchor)) return choose(around(anchor, cell));
  anchor = pressed = cell;
  selection.press(cell.dataset.moveCell, { isAdded: event.ctrlKey || event.metaKey });
  document.dispatchEvent(new Event("cells-chosen"));
}

function onPointerMove(event) {
  if (!pressed || isHeld()) return;
  const over = document.elementFromPoint(event.clientX, event.clientY)?.closest?.("[data-move-cell]");
  if (over && over !== pressed) choose(around(anchor, over));
}

const MOVES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

function goTo(next, cell, isExtended) {
  if (!next) return;
  if (isExtended) {
    anchor = anchor && document.contains(anchor) ? anchor : cell;
    choose(around(anchor, next));
  } else anchor = null;
  next.focus();
}

function paste(cell) {
  choose(copied.map((_, index) => cellAt(cell, index, 0)).filter(Boolean));
  change("paste", { level: copied });
}

function type(cell) {
  if (!selection.has(cell.dataset.moveCell)) choose([cell]);
  field("set").value = cell.dataset.text;
  field("set").focus();
  field("set").select();
}

function changeAt(cell, what, more) {
  if (!selection.has(cell.dataset.moveCell)) choose([cell]);
  change(what, more);
}

function onCellKey(event, cell) {
  const key = event.key.toLowerCase();
  const isCommand = event.ctrlKey || event.metaKey;
  if (event.key in MOVES) goTo(cellAt(cell, ...MOVES[event.key]), cell, event.shiftKey);
  else if (isCommand && key === "c") copied = (chosen().length ? chosen() : [cell]).map((each) => each.dataset.text);
  else if (isCommand && key === "v" && copied) paste(cell);
  else if (isCommand) return;
  else if (key === "enter") type(cell);
  else if (key === "escape") choose([]);
  else if (key === "delete" || key === "backspace") changeAt(cell, "clear");
  else if ("[]{}".includes(key)) changeAt(cell, "nudge", { value: ("]}".includes(key) ? 1 : -1) * (event.shiftKey ? 0.1 : 0.5) });
  else return;
  event.preventDefault();
}

function onKey(event) {
  if (event.target.matches?.("input, select, textarea")) {
    if (event.key === "Escape" && event.target.closest("[data-moves-bar]")) event.target.blur();
    return;
  }
  const cell = event.target.closest?.("[data-move-cell]");
  if (cell && !event.altKey) onCellKey(event, cell);
}

function onChange({ target }) {
  const what = target.dataset?.cellsDo;
  if (what) change(what, what === "ramp" ? { value: target.value, side: field("side").value } : { value: target.value });
  if (target.matches?.("[data-cells-form] [name=side]")) change("ramp", { value: field("ramp").value, side: target.value });
  if (target.matches?.("[data-cells-swap]") && target.value) change("swap", { like: target.value });
  if (target.matches?.("[data-more-rows]") && target.value) showMore(target.value);
}

// A value that does not move yet gets a row of its own, until it does.
function showMore(key) {
  const state = $("#screen-state [name=show]");
  const values = { by: $("#screen-state [name=by]").value, show: `${state.value} ${key}`.trim() };
  window.htmx.ajax("GET", window.location.pathname, { source: "#edits", target: "#page", swap: "innerHTML", values });
}

function drawPlay(player) {
  const line = $("[data-moves-play]");
  if (!line || !player.manifest) return;
  line.style.transform = `translateX(${Math.min(player.sample / player.manifest.endSample, 1) * 1000}px)`;
}

export function bindMoves(player) {
  document.addEventListener("pointerdown", onPointerDown);
  document.addEventListener("pointermove", onPointerMove);
  document.addEventListener("pointerup", () => (pressed = null));
  document.addEventListener("keydown", onKey);
  document.addEventListener("change", onChange);
  document.addEventListener("click", ({ target, altKey }) => {
    if (altKey) return;
    const button = target.closest("[data-cells-button]")?.dataset.cellsButton;
    if (button) change(button, newThrow());
    if (target.closest("[data-cells-like]")) change("like", { like: field("like").value, value: field("plus").value });
  });
  document.addEventListener("submit", (event) => {
    if (event.target.matches("[data-cells-form]")) event.preventDefault();
  });
  eachFrame(player, () => drawPlay(player));
}
