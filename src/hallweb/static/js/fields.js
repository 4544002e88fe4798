// Fields: arrow keys step, Enter takes, Escape lets go, focus selects and survives a swap.

import { stepped } from "./steps.js";

const SETTLE_MS = 180;
let settling = null;
let focused = null;
let typed = [];

function send(field) {
  clearTimeout(settling);
  settling = null;
  if (field.value === field.dataset.initial) return;
  field.dispatchEvent(new Event("change", { bubbles: true }));
}

function onKey(event) {
  const field = event.target.closest("input[data-step]");
  if (!field) return;
  if (event.key === "ArrowUp" || event.key === "ArrowDown") {
    event.preventDefault();
    field.value = stepped(field.value, field.dataset.step, event.key === "ArrowUp" ? 1 : -1, event.shiftKey);
    clearTimeout(settling);
    settling = setTimeout(() => send(field), SETTLE_MS);
  } else if (event.key === "Escape") {
    clearTimeout(settling);
    field.value = field.dataset.initial;
    field.blur();
  }
}

export function bindFields() {
  document.addEventListener("keydown", onKey);
  document.addEventListener("focusin", (event) => {
    if (event.target.matches("input[data-step]")) event.target.select();
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches("input[data-initial]")) event.target.dataset.taken = "";
  });
  document.addEventListener("htmx:beforeSwap", remember);
  document.addEventListener("htmx:afterSettle", giveBack);
}

// A swap replaces fields: the one with focus gets it back, and what was typed into others meanwhile stays.
function remember(event) {
  const held = document.activeElement;
  const cell = held?.closest?.("[data-cell]");
  focused = null;
  if (held?.id) focused = `#${CSS.escape(held.id)}`;
  else if (cell) focused = `#${CSS.escape(cell.id)} ${held.matches("[data-tap]") ? "[data-tap]" : "button"}`;
  const sender = event.detail.requestConfig?.elt;
  const others = [...document.querySelectorAll("input[data-initial]")].filter((field) => field !== sender && field.id !== sender?.id);
  const changed = others.filter((field) => field.value !== field.dataset.initial);
  typed = changed.map(({ id, value, dataset }) => ({ id, value, isTaken: "taken" in dataset }));
}

function giveBack() {
  if (focused && (!document.activeElement || document.activeElement === document.body)) {
    document.querySelector(focused)?.focus({ preventScroll: true });
  }
  for (const { id, value, isTaken } of typed.splice(0)) {
    const field = document.getElementById(id);
    if (!field || field.value === value) continue;
    field.value = value;
    if (isTaken || field !== document.activeElement) field.dispatchEvent(new Event("change", { bubbles: true }));
  }
}
