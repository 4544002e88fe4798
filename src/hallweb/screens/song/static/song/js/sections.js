// Sections on the band over the tracks: held by click, walls dragged onto bars (Alt: beats), all of it by keyboard.

import { edit } from "../../common/js/requests.js";
import { nearest, stepBar } from "./bars.js";

const LEAST_PX = 4;
let held = null;

function xIn(band, event) {
  return event.clientX - band.getBoundingClientRect().left;
}

function snap(band, event) {
  return nearest(JSON.parse(event.altKey ? band.dataset.beats : band.dataset.bars), xIn(band, event));
}

function draw(band, from, to) {
  const ghost = band.querySelector("[data-ghost]");
  ghost.setAttribute("visibility", "visible");
  ghost.setAttribute("d", from === null ? `M${to} 12v30` : `M${from} 14H${to}V40H${from}z`);
}

function onDown(event) {
  const band = event.target.closest?.("[data-time-band]");
  if (!band || event.button !== 0) return;
  const room = event.target.closest("[data-room]");
  const edge = event.target.closest("[data-edge]")?.dataset.edge;
  held = { band, room, edge, x: event.clientX, start: snap(band, event), isMoved: false };
  band.setPointerCapture(event.pointerId);
}

function onMove(event) {
  if (!held) return;
  held.isMoved ||= Math.abs(event.clientX - held.x) > LEAST_PX;
  if (!held.isMoved) return;
  const [, x] = snap(held.band, event);
  if (held.edge || held.room) draw(held.band, null, x);
  else draw(held.band, held.start[1], x);
}

function onUp(event) {
  if (!held) return;
  const { band, room, edge, start, isMoved } = held;
  held = null;
  band.querySelector("[data-ghost]").setAttribute("visibility", "hidden");
  const [position] = snap(band, event);
  if (!isMoved) {
    if (room) window.htmx.trigger(room, "hold");
  } else if (edge) {
    if (position !== room.dataset[edge]) edit(room.dataset.setUrl, { field: edge, value: position, section: room.dataset.room });
  } else if (room) {
    const by = parseInt(position, 10) - parseInt(start[0], 10);
    if (by) edit(room.dataset.setUrl, { field: "place", value: stepBar(room.dataset.start, by), section: room.dataset.room });
  } else if (position !== start[0]) {
    const ends = [start, snap(band, event)].sort((a, b) => a[1] - b[1]);
    edit(band.dataset.addUrl, { name: band.dataset.nextName, start: ends[0][0], end: ends[1][0] });
  }
}

function neighbour(room, direction) {
  const rooms = [...room.closest("[data-time-band]").querySelectorAll("[data-room]")];
  return rooms[rooms.indexOf(room) + direction];
}

function onRoomKey(event, room) {
  const { setUrl, removeUrl, start, end } = room.dataset;
  const direction = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (direction && event.altKey) {
    const field = event.shiftKey ? "start" : "end";
    edit(setUrl, { field, value: stepBar(event.shiftKey ? start : end, direction), section: room.dataset.room });
  } else if (direction) neighbour(room, direction)?.focus();
  else if (event.key === "Enter" || event.key === " ") window.htmx.trigger(room, "hold");
  else if (event.key === "Delete") edit(removeUrl, {});
  else return;
  event.preventDefault();
  event.stopPropagation();
}

export function bindSections() {
  document.addEventListener("pointerdown", onDown);
  document.addEventListener("pointermove", onMove);
  document.addEventListener("pointerup", onUp);
  document.addEventListener("keydown", (event) => {
    const room = event.target.closest?.("[data-room]");
    if (room) return onRoomKey(event, room);
    if (!event.target.matches?.("input[data-bar-step]") || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    event.target.value = stepBar(event.target.value, event.key === "ArrowUp" ? 1 : -1);
  });
}
