// The Sends matrix by keyboard: arrows move among cells, with Shift they choose as they go; letters act on the cell
// under focus, or on all that are chosen.

import { between, change, chosen, choose, chooseNothing, copy, paste } from "./choosing.js";
import { cellAt } from "../../common/js/cells.js";

const MOVES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
let anchor = null;
let cameFrom = null;

function control(cell) {
  return cell?.querySelector("[data-switch]") ?? cell;
}

function step(event, cell) {
  event.preventDefault();
  const next = cellAt(cell, ...MOVES[event.key]);
  if (!next) return;
  if (event.shiftKey) {
    anchor = anchor && document.contains(anchor) ? anchor : cell;
    choose(between(anchor, next));
  } else anchor = null;
  if (!next.querySelector("[data-switch]")) next.tabIndex = -1;
  control(next).focus();
}

function act(event, cell) {
  const key = event.key.toLowerCase();
  const many = chosen().length > 1;
  if (key === "[" || key === "]") return change("nudge", (key === "]" ? 1 : -1) * (event.shiftKey ? 0.1 : 0.5), many ? null : cell);
  if (key === "{" || key === "}") return change("nudge", key === "}" ? 0.1 : -0.1, many ? null : cell);
  if (key === "u") return change("unity", "", many ? null : cell);
  if (key === "delete" || key === "backspace") return change("clear", "", many ? null : cell);
  if (key === "o" && many) return change(cell.classList.contains("is-off") ? "on" : "off");
  if (key === "o") return cell.querySelector("[data-switch]")?.click();
  if (key === "p" && many) return change(cell.querySelector("[data-send-point]")?.classList.contains("is-pre") ? "post" : "pre");
  if (key === "p") return cell.querySelector("[data-send-point]")?.click();
  if (key === "enter" && event.shiftKey) return toPan(cell);
  if (key === "enter" && cell.querySelector(".cell-level")) return cell.querySelector(".cell-level").focus();
  if (key === "e") return toReturn(cell);
  return false;
}

function toPan(cell) {
  choose([cell]);
  document.querySelector("[data-edit-bar] [data-many=pan]").focus();
}

// From a cell to its return, and with the same key back to the cell.
function toReturn(cell) {
  cameFrom = cell.id;
  const column = cell.dataset.cell.split("/")[1];
  document.querySelector(`[data-column="${column}"] a`).click();
}

function back() {
  document.querySelector("a[data-view=sends]").click();
  const settled = () => {
    const cell = document.getElementById(cameFrom);
    if (!cell) return; // something else has settled; the matrix is still to come
    document.removeEventListener("htmx:afterSettle", settled);
    control(cell).focus();
  };
  document.addEventListener("htmx:afterSettle", settled);
}

export function bindMatrix() {
  document.addEventListener("keydown", (event) => {
    const inField = event.target.matches?.("input, select, textarea");
    if (event.key.toLowerCase() === "e" && !inField && cameFrom && !event.ctrlKey && document.getElementById("screen-state")?.dataset.view === "returns") return back();
    const cell = event.target.closest?.("[data-cell]");
    if (!cell || event.altKey) return;
    if (event.key === "Enter" && inField) {
      event.preventDefault(); // else the same key would press the switch that gets focus
      event.target.blur();
      control(cell).focus();
    } else if (inField) return;
    else if (event.ctrlKey || event.metaKey) {
      if (event.key.toLowerCase() === "c") copy(cell);
      if (event.key.toLowerCase() === "v") paste(cell);
    } else if (event.key in MOVES) step(event, cell);
    else if (event.key === "Escape") chooseNothing();
    else if (act(event, cell) !== false) event.preventDefault();
  });
}
