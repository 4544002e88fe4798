// Fields: arrow keys step, Enter takes, Escape lets go, focus selects and survives a swap.

import { stepped } from "./steps.js";

const SETTLE_MS = 180;
let settling = null;
let focused = null;

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
  // A swap replaces the field that has focus: give it back to the one in the same place.
  document.addEventListener("htmx:beforeSwap", () => {
    const held = document.activeElement;
    const cell = held?.closest?.("[data-cell]");
    focused = held?.id ? `#${CSS.escape(held.id)}` : cell ? `#${CSS.escape(cell.id)} ${held.matches("input") ? "input" : held.matches("[data-tap]") ? "[data-tap]" : "button"}` : null;
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (!focused || (document.activeElement && document.activeElement !== document.body)) return;
    document.querySelector(focused)?.focus({ preventScroll: true });
  });
}
