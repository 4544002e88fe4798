// Tracks: chosen one by one or by range, dragged to another place or into a group, all of it by keyboard.

import { setChosenTracks } from "../../common/js/chosentracks.js";
import { edit } from "../../common/js/requests.js";

const LEAST_PX = 4;
let chosen = new Set();
let last = null;
let dragged = null;

const boxes = () => [...document.querySelectorAll("[data-choose]")];
const rowOf = (element) => element.closest?.("tr[data-track]");

function show() {
  const all = boxes();
  const count = all.filter((box) => box.checked).length;
  const bar = document.querySelector("[data-group-bar]");
  if (!bar) return;
  bar.classList.toggle("is-choosing", count > 0);
  bar.querySelector("[data-chosen-count]").textContent = count ? `${count} track${count > 1 ? "s" : ""}` : "";
  for (const box of all) rowOf(box).classList.toggle("is-chosen", box.checked);
  const whole = document.querySelector("[data-choose-all]");
  whole.checked = count === all.length;
  whole.indeterminate = count > 0 && count < all.length;
}

function choose(ids) {
  for (const box of boxes()) box.checked = ids.includes(box.value);
  remember();
}

function remember() {
  chosen = new Set(boxes().filter((box) => box.checked).map((box) => box.value));
  setChosenTracks(chosen);
  show();
}

function onChoose(box, isRange) {
  const all = boxes();
  const from = all.findIndex((other) => other.value === last);
  if (isRange && from >= 0) {
    const ends = [from, all.indexOf(box)].sort((a, b) => a - b);
    for (const other of all.slice(ends[0], ends[1] + 1)) other.checked = box.checked;
  }
  last = box.value;
  remember();
}

/** The tracks that a gesture on one of them means: all that are chosen, if it is. */
function meant(id) {
  return chosen.has(id) ? [...chosen] : [id];
}

function onDrag(event) {
  if (Math.abs(event.clientY - dragged.y) < LEAST_PX && !dragged.isMoved) return;
  dragged.isMoved = true;
  document.querySelector("[data-tracks]").classList.add("is-dragging");
  document.querySelectorAll(".is-target").forEach((element) => element.classList.remove("is-target"));
  const under = document.elementFromPoint(event.clientX, event.clientY);
  (under?.closest("[data-group]") ?? rowOf(under ?? document.body))?.classList.add("is-target");
}

function onDrop(event) {
  const { id, isMoved } = dragged;
  dragged = null;
  const table = document.querySelector("[data-tracks]");
  table.classList.remove("is-dragging");
  document.querySelectorAll(".is-target").forEach((element) => element.classList.remove("is-target"));
  if (!isMoved) return;
  const under = document.elementFromPoint(event.clientX, event.clientY);
  const group = under?.closest("[data-group]");
  if (group) return edit(table.dataset.setUrl, { track: meant(id), field: "group", value: group.dataset.group });
  const row = under && rowOf(under);
  if (row) edit(table.dataset.placeUrl, { track: meant(id), before: row.dataset.track });
  else if (under?.closest("[data-stem-drop]")) edit(table.dataset.placeUrl, { track: meant(id), before: "" });
}

function onKey(event) {
  const row = rowOf(event.target);
  if (!row) return;
  const id = row.dataset.track;
  if (event.altKey && ["ArrowUp", "ArrowDown"].includes(event.key)) {
    event.preventDefault();
    edit(document.querySelector("[data-tracks]").dataset.placeUrl, { track: meant(id), step: event.key === "ArrowUp" ? "up" : "down" });
  }
  if (event.altKey || event.ctrlKey || event.metaKey || event.target.matches("input:not([type=checkbox]), select")) return;
  if (event.key.toLowerCase() === "m") row.querySelector("[data-mute]").click();
  else if (event.key.toLowerCase() === "s") row.querySelector("[data-solo-track]").dispatchEvent(new MouseEvent("click", { bubbles: true, shiftKey: event.shiftKey }));
}

function onClick(event) {
  const { target } = event;
  if (target.matches("[data-choose]")) onChoose(target, event.shiftKey);
  else if (target.matches("[data-choose-all]")) choose(target.checked ? boxes().map((box) => box.value) : []);
  else if (target.closest("[data-choose-none]")) choose([]);
  else if (target.closest("[data-choose-group]")) choose(target.closest("[data-choose-group]").dataset.chooseGroup.split(" "));
  else if (target.closest("[data-close-details]")) closeDetails(target.closest("tr"));
}

function closeDetails(row) {
  const opener = document.getElementById(row.id.replace("details-", "more-"));
  opener?.setAttribute("aria-expanded", "false");
  row.remove();
  opener?.focus();
}

export function chosenTracks() {
  return [...chosen];
}

export function bindTracks() {
  document.addEventListener("click", onClick);
  document.addEventListener("keydown", onKey);
  document.addEventListener("pointerdown", (event) => {
    const row = event.target.closest?.("[data-grip]") && rowOf(event.target);
    if (!row) return;
    event.preventDefault();
    dragged = { id: row.dataset.track, y: event.clientY, isMoved: false };
  });
  document.addEventListener("pointermove", (event) => dragged && onDrag(event));
  document.addEventListener("pointerup", (event) => dragged && onDrop(event));
  // A second press on "more" closes what the first has opened.
  document.addEventListener("htmx:confirm", (event) => {
    const id = event.target.dataset?.details;
    const open = id && document.getElementById(`details-${id}`);
    if (!open) return event.target.dataset?.details && event.target.setAttribute("aria-expanded", "true");
    event.preventDefault();
    closeDetails(open);
  });
  document.addEventListener("htmx:afterSettle", () => {
    for (const box of boxes()) box.checked = chosen.has(box.value);
    remember();
  });
}
