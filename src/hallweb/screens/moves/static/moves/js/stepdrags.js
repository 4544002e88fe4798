// Dragging in the Moves pictures: a level up and down in half decibels (with Alt in tenths), a ramp's diamond sideways by
// note values, with Alt up and down to bend the ramp. What is held is drawn in the hand's colour; letting go is the edit, Escape lets go unchanged.

import { facts } from "../../common/js/facts.js";
import { written } from "../../common/js/figures.js";
import { gainOf, levelOnScale } from "../../common/js/levels.js";
import { edit } from "../../common/js/requests.js";

const NEAR_PX = 8;
const TOP = 14;
const FLOOR = 83;
const BEND_STEP = 5;
const MOST_BEND = 90;
let hold = null;
let wasHeld = false;

/** Return the level at a height of a row's picture. */
export function levelAt(y, step) {
  return levelOnScale(1 - (y - TOP) / (FLOOR - TOP), step);
}

/** Return the note value, triplets aside, that comes nearest to a share of a whole note; none where nothing does. */
export function nearestNote(wholes) {
  const lengths = [["", 0], ...facts.notes.filter(([note]) => !note.endsWith("T"))];
  return lengths.reduce((best, note) => (Math.abs(note[1] - wholes) < Math.abs(best[1] - wholes) ? note : best))[0];
}

/** Return a bend in per cent, moved so many pixels up. */
export function bentBy(bend, up) {
  return Math.min(Math.max(Math.round((bend + up) / BEND_STEP) * BEND_STEP, -MOST_BEND), MOST_BEND);
}

/** Whether a level or a ramp is held. */
export function isHeld() {
  return hold !== null;
}

/** Whether the press that ends now was a drag: the click that follows means nothing more. */
export function wasDrag() {
  return wasHeld;
}

function inPicture(event, picture) {
  const box = picture.getBoundingClientRect();
  return [event.clientX - box.left, event.clientY - box.top];
}

function isAtLine(event, cell) {
  const row = cell.closest("[data-move-row]");
  const [, y] = inPicture(event, cell.closest("[data-move-picture]"));
  return "level" in row.dataset && gainOf(cell.dataset.text) > 0 && Math.abs(y - Number(cell.dataset.y)) <= NEAR_PX;
}

function begin(event) {
  const { target } = event;
  wasHeld = false;
  if (event.button || event.shiftKey || event.ctrlKey) return;
  const isBending = event.altKey;
  const diamond = target.closest?.(isBending ? "[data-bend]" : "[data-ramp-end]");
  const cell = isBending ? null : target.closest?.("[data-move-cell]");
  if (!diamond && !(cell && isAtLine(event, cell))) return;
  if (diamond) event.stopImmediatePropagation(); // a cell is chosen, too
  const picture = target.closest("[data-move-picture]");
  const line = document.createElementNS("http://www.w3.org/2000/svg", "path");
  line.setAttribute("class", "move-held");
  const words = document.createElementNS("http://www.w3.org/2000/svg", "text");
  words.setAttribute("class", "move-figure");
  picture.append(line, words);
  hold = { diamond, isBending, cell, picture, line, words, name: (diamond ?? cell).dataset[diamond ? "rampEnd" : "moveCell"], said: null };
}

function move(event, player) {
  if (!hold) {
    const cell = event.target.closest?.("[data-move-cell]");
    if (cell) cell.classList.toggle("is-at-line", isAtLine(event, cell));
    return;
  }
  const [x, y] = inPicture(event, hold.picture);
  if (hold.cell) {
    const level = levelAt(y, event.altKey ? 0.1 : 0.5);
    hold.said = { do: "set", value: level.toFixed(1) };
    const [left, width] = ["x", "width"].map((name) => Number(hold.cell.getAttribute(name)));
    draw(`M${left} ${y}h${width}`, left + 7, y - 5, written(level.toFixed(1)));
  } else if (hold.isBending) {
    const diamond = hold.diamond.getBoundingClientRect();
    const bend = bentBy(Number(hold.diamond.dataset.bend), diamond.top + diamond.height / 2 - event.clientY);
    hold.said = { do: "bend", value: bend };
    draw("", x, y - 5, bend ? `bent by ${written(String(bend))} %` : "straight");
  } else {
    const start = Number(hold.diamond.dataset.x);
    const seconds = ((x - start) / 1000) * (player.manifest.endSample / player.manifest.sampleRate);
    const note = nearestNote(Math.abs(seconds) / Number(hold.diamond.dataset.wholeS));
    hold.said = { do: "ramp", value: note, side: seconds < 0 ? "before" : "after" };
    draw(`M${start} ${y}H${x}`, Math.min(start, x), y - 5, note ? `${note} ${hold.said.side}` : "a jump");
  }
}

function draw(path, x, y, text) {
  hold.line.setAttribute("d", path);
  hold.words.setAttribute("x", String(x));
  hold.words.setAttribute("y", String(y));
  hold.words.textContent = text;
}

function end() {
  const { line, words, said, name } = hold;
  hold = null;
  line.remove();
  words.remove();
  return said && { cell: name, ...said };
}

export function bindStepDrags(player) {
  document.addEventListener("pointerdown", begin, { capture: true });
  document.addEventListener("pointermove", (event) => move(event, player));
  document.addEventListener("pointerup", () => {
    if (!hold) return;
    wasHeld = true;
    const values = end();
    if (values) edit(document.querySelector("[data-moves]").dataset.cellsUrl, values);
  });
  document.addEventListener("keydown", (event) => {
    if (hold && event.key === "Escape") end();
  });
}
