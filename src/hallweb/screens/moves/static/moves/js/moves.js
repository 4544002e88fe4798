// The Moves screen: cells chosen by pointer and keyboard and changed as one edit, flags, phrase ends, points and rides.

import { around, cellAt } from "../../common/js/cells.js";
import { gainOf } from "../../common/js/levels.js";
import { edit } from "../../common/js/requests.js";
import { isHeld, levelAt } from "./stepdrags.js";
import { sectionAt } from "../../common/js/strip.js";
import { beatAt } from "../../common/js/timeline.js";

const RIDE_MS = 50;
const $ = (selector) => document.querySelector(selector);
const $$ = (selector) => [...document.querySelectorAll(selector)];

const names = new Set();
let anchor = null;
let pressed = null;
let held = null; // the throw that the bar shows
let copied = null;

function cells() {
  return $$("[data-move-cell]");
}

function chosen() {
  return cells().filter((cell) => names.has(cell.dataset.moveCell));
}

function rowOf(element) {
  return element.closest("[data-move-row]");
}

function choose(some, isAdded = false) {
  if (!isAdded) names.clear();
  for (const cell of some) names.add(cell.dataset.moveCell);
  holdThrow(null);
}

function show() {
  if (!$("[data-moves]")) return;
  for (const cell of cells()) cell.setAttribute("aria-pressed", String(names.has(cell.dataset.moveCell)));
  for (const flag of $$("[data-flag]")) flag.classList.toggle("is-held", Boolean(held) && flag.dataset.flag === held.at && rowOf(flag).dataset.moveRow === held.target);
  const count = chosen().length;
  $("[data-cells-form]").hidden = !count || Boolean(held);
  $("[data-throw-form]").hidden = !held;
  $("[data-moves-hint]").hidden = Boolean(count || held);
  $("[data-cells-count]").textContent = `${count} value${count === 1 ? "" : "s"}`;
}

function change(what, more = {}) {
  const some = chosen();
  if (some.length) edit($("[data-moves]").dataset.cellsUrl, { cell: some.map((cell) => cell.dataset.moveCell), do: what, ...more });
}

function field(name) {
  return $(`[data-cells-form] [name=${name}]`);
}

function newThrow() {
  const values = Object.fromEntries(["throw", "length", "ramp_in", "ramp_out", "every"].map((name) => [name, field(name).value]));
  return field("until").checked ? { ...values, until: "next" } : values;
}

// A throw's form shows the flag that was pressed.
function holdThrow(flag) {
  held = flag && { at: flag.dataset.flag, target: rowOf(flag).dataset.moveRow };
  show();
  if (!flag) return;
  const form = $("[data-throw-form]");
  const { throwValue, throwLength, throwIn, throwOut } = flag.dataset;
  for (const [name, text] of Object.entries({ value: throwValue, start: held.at, length: throwLength, ramp_in: throwIn, ramp_out: throwOut })) form.querySelector(`[name=${name}]`).value = text;
  $("[data-throw-name]").textContent = `Throw, ${rowOf(flag).querySelector("b").textContent}`;
}

function changeThrow(what) {
  const form = $("[data-throw-form]");
  const values = Object.fromEntries(new FormData(form));
  const { at, target } = held;
  if (what === "remove") held = null;
  edit($("[data-moves]").dataset.throwsUrl, { ...values, at, target, do: what });
}

function throwPhrase(mark, isSection) {
  const row = rowOf(mark);
  if (!isSection) return edit($("[data-moves]").dataset.throwUrl, { target: row.dataset.moveRow, phrase: mark.dataset.phraseEnd, ...newThrow() });
  const x = Number(mark.getAttribute("x")) - 1;
  const cell = [...row.querySelectorAll("[data-move-cell]")].findLast((each) => Number(each.getAttribute("x")) <= x);
  choose([cell]);
  change("throw", newThrow());
}

// A point where one Alt-clicks: on the next eighth, at the height's level.
function addPoint(event, player) {
  const picture = event.target.closest("[data-move-picture]");
  const row = rowOf(picture);
  if (!("level" in row.dataset)) return;
  const box = picture.getBoundingClientRect();
  const sample = ((event.clientX - box.left) / box.width) * player.manifest.endSample;
  const level = levelAt(event.clientY - box.top, 0.5);
  edit($("[data-moves]").dataset.pointsUrl, { target: row.dataset.moveRow, do: "add", at: eighthAt(sample, player), value: String(level) });
}

function eighthAt(sample, player) {
  const snaps = JSON.parse($("[data-moves]").dataset.snaps);
  let nearest = snaps[0];
  for (const snap of snaps) if (Math.abs(snap[1] - sample) < Math.abs(nearest[1] - sample)) nearest = snap;
  return nearest?.[0] ?? beatAt(player.manifest.beats, sample).slice(1).join("|");
}

function onPointerDown(event) {
  const cell = event.target.closest?.("[data-move-cell]");
  if (!cell || event.button || event.altKey) return;
  if (event.shiftKey && anchor && document.contains(anchor)) return choose(around(anchor, cell));
  anchor = pressed = cell;
  if (!(event.ctrlKey || event.metaKey)) names.clear();
  if (!names.delete(cell.dataset.moveCell)) names.add(cell.dataset.moveCell);
  holdThrow(null);
}

function onPointerMove(event) {
  if (!pressed || isHeld()) return;
  const over = document.elementFromPoint(event.clientX, event.clientY)?.closest?.("[data-move-cell]");
  if (over && over !== pressed) choose(around(anchor, over));
}

const MOVES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

function onCellKey(event, cell) {
  const key = event.key.toLowerCase();
  if (event.key in MOVES) {
    const next = cellAt(cell, ...MOVES[event.key]);
    if (next) {
      if (event.shiftKey) {
        anchor = anchor && document.contains(anchor) ? anchor : cell;
        choose(around(anchor, next));
      } else anchor = null;
      next.focus();
    }
  } else if (event.ctrlKey || event.metaKey) {
    if (key === "c") copied = (chosen().length ? chosen() : [cell]).map((each) => each.dataset.text);
    else if (key === "v" && copied) {
      choose(copied.map((_, index) => cellAt(cell, index, 0)).filter(Boolean));
      change("paste", { level: copied });
    } else return;
  } else if (event.key === "Enter" || event.key === " ") {
    if (!names.has(cell.dataset.moveCell)) choose([cell]);
    field("set").value = cell.dataset.text;
    field("set").focus();
    field("set").select();
  } else if (event.key === "Escape") choose([]);
  else if (event.key === "Delete" || event.key === "Backspace") ensured(cell, () => change("clear"));
  else if ("[]{}".includes(event.key)) ensured(cell, () => change("nudge", { value: ("]}".includes(event.key) ? 1 : -1) * (event.shiftKey ? 0.1 : 0.5) }));
  else return;
  event.preventDefault();
}

function ensured(cell, act) {
  if (!names.has(cell.dataset.moveCell)) choose([cell]);
  act();
}

function onKey(event) {
  if (!$("[data-moves]")) return;
  const isTyping = event.target.matches?.("input, select, textarea");
  if (isTyping && event.key === "Escape" && event.target.closest("[data-moves-bar]")) return event.target.blur();
  if (isTyping) return;
  const cell = event.target.closest?.("[data-move-cell]");
  const flag = event.target.closest?.("[data-flag]");
  const dot = event.target.closest?.("[data-dot]");
  if (cell && !event.altKey) onCellKey(event, cell);
  else if (flag && (event.key === "Enter" || event.key === " ")) {
    event.preventDefault();
    holdThrow(flag);
    $("[data-throw-form] [name=value]").focus();
  } else if (flag && event.key === "Delete") {
    holdThrow(flag);
    changeThrow("remove");
  } else if (dot && event.key === "Delete") removeDot(dot);
  if ((event.key === "." || event.key === ",") && !event.ctrlKey) {
    const flags = $$("[data-flag]");
    const now = flags.indexOf(flag ?? flags.find((each) => each.classList.contains("is-held")));
    const next = flags[(now + (event.key === "." ? 1 : now < 0 ? 0 : -1) + flags.length) % flags.length];
    if (next) {
      next.focus();
      holdThrow(next);
    }
  }
}

function removeDot(dot) {
  edit($("[data-moves]").dataset.pointsUrl, { target: rowOf(dot).dataset.moveRow, do: "remove", at: dot.dataset.dot });
}

// A ride: what the control says while it is held and the song plays; a level is heard at once.
function bindRide(player) {
  let ride = null;
  document.addEventListener("pointerdown", ({ target }) => {
    if (!target.matches?.("[data-ride]") || !player.isPlaying) return;
    const cell = chosen()[0];
    const [kind, ...whose] = rowOf(cell).dataset.moveRow.split(":");
    const param = whose.pop();
    const here = rowOf(cell).querySelector(`[data-move-cell$="|${sectionAt(player.sample)?.dataset.id}"]`) ?? cell;
    ride = { target: rowOf(cell).dataset.moveRow, points: [], base: gainOf(here.dataset.text), isHeard: kind !== "step" && param === "level_db" };
    const section = here.parentElement.classList.contains("is-set") ? here.dataset.moveCell.split("|")[1] : "";
    if (ride.isHeard) player.hold([kind, ...whose].join("/"), { section });
    const control = target;
    ride.timer = setInterval(() => {
      const sample = player.sample;
      if (sample > (ride.points.at(-1)?.[0] ?? -1)) ride.points.push([sample, Number(control.value)]);
      if (ride.isHeard) player.setHeld([gainOf(control.value) - ride.base]);
    }, RIDE_MS);
  });
  document.addEventListener("pointerup", () => {
    if (!ride) return;
    const { target, points, timer, isHeard } = ride;
    ride = null;
    clearInterval(timer);
    if (isHeard) player.release(true);
    edit($("[data-moves]").dataset.pointsUrl, { target, do: "ride", ride: JSON.stringify(points) });
  });
}

export function bindMoves(player) {
  bindRide(player);
  document.addEventListener("pointerdown", onPointerDown);
  document.addEventListener("pointermove", onPointerMove);
  document.addEventListener("pointerup", () => (pressed = null));
  document.addEventListener("keydown", onKey);
  document.addEventListener("click", (event) => {
    const { target } = event;
    if (!$("[data-moves]")) return;
    if (event.altKey && target.closest("[data-move-picture]")) return addPoint(event, player);
    const mark = target.closest("[data-phrase-end]");
    if (mark) return throwPhrase(mark, event.shiftKey);
    const flag = target.closest("[data-flag]");
    if (flag) return holdThrow(flag);
    const button = target.closest("[data-cells-button]")?.dataset.cellsButton;
    if (button) change(button, newThrow());
    if (target.closest("[data-cells-like]")) change("like", { like: field("like").value, value: field("plus").value });
    if (target.closest("[data-throw-remove]")) changeThrow("remove");
    if (target.closest("[data-throw-close]")) holdThrow(null);
  });
  document.addEventListener("change", ({ target }) => {
    const what = target.dataset?.cellsDo;
    if (what) change(what, what === "ramp" ? { value: target.value, side: field("side").value } : { value: target.value });
    if (target.matches?.("[data-cells-form] [name=side]")) change("ramp", { value: field("ramp").value, side: target.value });
    if (target.matches?.("[data-cells-swap]") && target.value) change("swap", { like: target.value });
    if (target.matches?.("[data-more-rows]") && target.value) showMore(target.value);
  });
  document.addEventListener("submit", (event) => {
    if (event.target.matches("[data-throw-form]")) {
      event.preventDefault();
      changeThrow("change");
    } else if (event.target.matches("[data-cells-form]")) event.preventDefault();
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (!$("[data-moves]")) return;
    const flag = held && $$("[data-flag]").find((each) => each.dataset.flag === held.at && rowOf(each).dataset.moveRow === held.target);
    if (flag) holdThrow(flag);
    else {
      held = null;
      show();
    }
  });
  function drawPlay() {
    requestAnimationFrame(drawPlay);
    const line = $("[data-moves-play]");
    if (!line || !player.manifest) return;
    line.style.transform = `translateX(${Math.min(player.sample / player.manifest.endSample, 1) * 1000}px)`;
  }
  drawPlay();
}

// A value that does not move yet gets a row of its own, until it does.
function showMore(key) {
  const state = $("#screen-state [name=show]");
  const values = { by: $("#screen-state [name=by]").value, show: `${state.value} ${key}`.trim() };
  window.htmx.ajax("GET", window.location.pathname, { source: "#edits", target: "#sheet", swap: "innerHTML", values });
}
