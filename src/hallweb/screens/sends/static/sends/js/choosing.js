// Choosing many sends: by click, Shift-click, Ctrl-click and drag, by row, column and group; and the bar that changes
// them all as one edit. What is chosen is kept by name, so that it outlasts the page being drawn anew.

import { around, cellAt, offsetsOf } from "../../common/js/cells.js";
import { edit } from "../../common/js/requests.js";
import { Selection } from "../../common/js/selection.js";

const selection = new Selection("sends");
let anchor = null;
let pressed = null;
let isDragging = false;
let isSpent = false; // the press was used for choosing: the click that follows it is none
let copied = null;

export function chosen() {
  return selection.names.map((name) => document.querySelector(`[data-cell="${name}"]`)).filter(Boolean);
}

export function choose(cells, { isAdded = false } = {}) {
  selection.choose(cells.filter((cell) => !("refused" in cell.dataset)).map((cell) => cell.dataset.cell), { isAdded });
  show();
}

export function chooseNothing() {
  choose([]);
}

/** Change all chosen sends, or one cell, by what the bar offers. */
export function change(what, value = "", cell = null, more = {}) {
  const cells = cell ? [cell] : chosen();
  if (!cells.length) return;
  const url = document.querySelector("[data-edit-bar]").dataset.url;
  edit(url, { cell: cells.map((each) => each.dataset.cell), do: what, value: String(value), ...more });
}

export function copy(cell) {
  const cells = chosen().length ? chosen() : [cell];
  copied = offsetsOf(cells).map((offset, index) => ({ offset, level: cells[index].dataset.level })).filter(({ level }) => level !== undefined);
}

export function paste(cell) {
  if (!copied?.length) return;
  const start = chosen()[0] ?? cell;
  const pairs = copied.map(({ offset: [down, across], level }) => [cellAt(start, across, down), level]).filter(([to]) => to && !("refused" in to.dataset));
  if (!pairs.length) return;
  const url = document.querySelector("[data-edit-bar]").dataset.url;
  edit(url, { cell: pairs.map(([to]) => to.dataset.cell), level: pairs.map(([, level]) => level), do: "paste" });
}

function show() {
  for (const cell of document.querySelectorAll("[data-cell]")) cell.classList.toggle("is-chosen", selection.has(cell.dataset.cell));
  const bar = document.querySelector("[data-edit-bar]");
  const cells = chosen();
  if (!bar) return;
  bar.hidden = !cells.length;
  document.querySelector("[data-sends-hint]").hidden = !bar.hidden;
  if (bar.hidden) return;
  bar.querySelector("[data-chosen-sends]").textContent = `${cells.length} send${cells.length === 1 ? "" : "s"}`;
  showPan(bar.querySelector("[data-many=pan]"), cells.length === 1 ? cells[0] : null);
}

// The pan of one send is shown, and heard as it is dragged; that of many is only set.
function showPan(field, cell) {
  const pan = cell?.dataset.pan ?? "";
  if (field !== document.activeElement && !field.classList.contains("is-dragged")) field.value = pan;
  if (pan) Object.assign(field.dataset, { held: `send/${cell.dataset.cell}`, initial: pan });
  else for (const name of ["held", "initial"]) delete field.dataset[name];
}

function cellsOf(selector) {
  return [...document.querySelectorAll(selector)].filter((cell) => cell.offsetParent !== null);
}

/** Return all cells of a rectangle but those of groups, which have rows of their own; from a group on only those of groups. */
export function between(one, other) {
  const isOfGroup = (cell) => Boolean(cell.closest(".group-row"));
  return around(one, other).filter((cell) => isOfGroup(cell) === isOfGroup(one));
}

// A press on a cell's free ground chooses it; on a button it may still become a drag over cells, which is no click then.
function onDown(event) {
  const cell = event.target.closest?.("[data-cell]");
  isSpent = false;
  if (!cell || event.button || event.target.closest("input, [data-send-bar]")) return;
  const isOnButton = Boolean(event.target.closest("button"));
  const isAdded = event.ctrlKey || event.metaKey;
  pressed = cell;
  if (isOnButton && !isAdded && !event.shiftKey) return;
  event.preventDefault();
  isSpent = isOnButton;
  if (event.shiftKey && anchor && document.contains(anchor)) return choose(between(anchor, cell));
  anchor = cell;
  cell.querySelector("[data-switch]")?.focus({ preventScroll: true });
  if ("refused" in cell.dataset) return;
  selection.press(cell.dataset.cell, { isAdded });
  show();
}

function onMove(event) {
  const cell = pressed && event.target.closest?.("[data-cell]");
  if (!cell || (cell === pressed && !isDragging)) return;
  isDragging = true;
  isSpent = true;
  anchor = pressed;
  cell.closest("[data-matrix]").classList.add("is-choosing");
  choose(between(pressed, cell));
}

function onUp() {
  if (isDragging) pressed.querySelector("[data-switch]")?.focus({ preventScroll: true });
  pressed = null;
  if (isDragging) {
    isDragging = false;
    show();
  }
  document.querySelector(".matrix.is-choosing")?.classList.remove("is-choosing");
}

function onClick(event) {
  const { target } = event;
  const isAdded = event.ctrlKey || event.metaKey || event.shiftKey;
  if (target.closest("[data-row-name]")) choose(cellsOf(`tr[data-row="${target.closest("tr").dataset.row}"] [data-cell]`), { isAdded });
  else if (target.closest("[data-column]") && !target.closest("a")) choose(cellsOf(`[data-cell$="/${target.closest("[data-column]").dataset.column}"]`), { isAdded });
  else if (target.closest("[data-many]:is(button)")) change(target.closest("[data-many]").dataset.many);
  else if (target.closest("[data-copy]")) copy();
  else if (target.closest("[data-paste]")) paste();
  else if (target.closest("[data-choose-nothing]")) chooseNothing();
  else if (target.closest("[data-fold]")) fold(target.closest("[data-fold]").dataset.fold);
}

const folded = new Set();

function fold(group) {
  if (!folded.delete(group)) folded.add(group);
  showFolds();
}

function showFolds() {
  for (const button of document.querySelectorAll("[data-fold]")) {
    const isFolded = folded.has(button.dataset.fold);
    button.setAttribute("aria-expanded", String(!isFolded));
    button.closest("tbody").classList.toggle("is-folded", isFolded);
  }
}

export function bindChoosing() {
  document.addEventListener("pointerdown", onDown);
  document.addEventListener("pointermove", onMove);
  document.addEventListener("pointerup", onUp);
  document.addEventListener("click", (event) => {
    if (!isSpent || !event.target.closest?.("[data-cell]")) return;
    event.preventDefault();
    event.stopPropagation();
  }, true);
  document.addEventListener("click", onClick);
  document.addEventListener("change", (event) => {
    const field = event.target.closest?.("[data-many]:is(input, select)");
    if (!field?.value) return;
    change(field.dataset.many, field.dataset.many === "return" ? "" : field.value, null, field.dataset.many === "return" ? { start: field.value } : {});
    field.value = "";
  });
  document.addEventListener("submit", (event) => {
    if (event.target.matches("[data-edit-bar]")) event.preventDefault();
  });
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && event.target.closest?.("[data-edit-bar]")) chooseNothing();
  });
  document.addEventListener("htmx:afterSettle", () => {
    showFolds();
    show();
  });
}
