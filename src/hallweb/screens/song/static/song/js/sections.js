// Sections on the ruler over the tracks: held by click, walls dragged onto bars (Alt: beats), all of it by keyboard.

import { edit } from "../../common/js/requests.js";
import { nearest, stepBar } from "./bars.js";

const LEAST_PX = 4;
let held = null;

function xIn(ruler, event) {
  return event.clientX - ruler.getBoundingClientRect().left;
}

function snap(ruler, event) {
  return nearest(JSON.parse(event.altKey ? ruler.dataset.beats : ruler.dataset.bars), xIn(ruler, event));
}

function draw(ruler, from, to) {
  const ghost = ruler.querySelector("[data-ghost]");
  ghost.setAttribute("visibility", "visible");
  ghost.setAttribute("d", from === null ? `M${to} 12v30` : `M${from} 14H${to}V40H${from}z`);
}

function onDown(event) {
  const ruler = event.target.closest?.("[data-time-ruler]");
  if (!ruler || event.button !== 0) return;
  const room = event.target.closest("[data-room]");
  const edge = event.target.closest("[data-edge]")?.dataset.edge;
  held = { ruler, room, edge, x: event.clientX, start: snap(ruler, event), isMoved: false };
  ruler.setPointerCapture(event.pointerId);
}

function onMove(event) {
  if (!held) return;
  held.isMoved ||= Math.abs(event.clientX - held.x) > LEAST_PX;
  if (!held.isMoved) return;
  const [, x] = snap(held.ruler, event);
  if (held.edge || held.room) draw(held.ruler, null, x);
  else draw(held.ruler, held.start[1], x);
}

function onUp(event) {
  if (!held) return;
  const { ruler, room, edge, start, isMoved } = held;
  held = null;
  ruler.querySelector("[data-ghost]").setAttribute("visibility", "hidden");
  const [position] = snap(ruler, event);
  if (!isMoved) {
    if (room) window.htmx.trigger(room, "hold");
  } else if (edge) {
    if (position !== room.dataset[edge]) edit(room.dataset.setUrl, { field: edge, value: position, section: room.dataset.room });
  } else if (room) {
    const by = parseInt(position, 10) - parseInt(start[0], 10);
    if (by) edit(room.dataset.setUrl, { field: "place", value: stepBar(room.dataset.start, by), section: room.dataset.room });
  } else if (position !== start[0]) {
    const ends = [start, snap(ruler, event)].sort((a, b) => a[1] - b[1]);
    edit(ruler.dataset.addUrl, { name: ruler.dataset.nextName, start: ends[0][0], end: ends[1][0] });
  }
}

function neighbour(room, direction) {
  const rooms = [...room.closest("[data-time-ruler]").querySelectorAll("[data-room]")];
  return rooms[rooms.indexOf(room) + direction];
}

function onRoomKey(event, room) {
  const { setUrl, removeUrl, start, end } = room.dataset;
  const direction = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (direction && event.altKey) {
    const field = event.shiftKey ? "start" : "end";
    edit(setUrl, { field, value: stepBar(event.shiftKey ? start : end, direction), section: room.dataset.room });
  } else if (direction) neighbour(room, direction)?.focus();
  else if (event.key === "Enter") window.htmx.trigger(room, "hold");
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
