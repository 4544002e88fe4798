// Fields: arrow keys step, Enter takes, Escape lets go, a double-click on the name resets, focus selects and survives
// a swap.

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

/** Step a field up (1) or down (-1), finely with Shift, coarsely with Alt or by page; it is sent when it rests. */
export function stepField(field, direction, event) {
  const isCoarse = event.altKey || event.key.startsWith("Page");
  field.value = stepped(field.value, field.dataset.step, direction, { isFine: event.shiftKey, isCoarse });
  field.dispatchEvent(new CustomEvent("field-stepped", { bubbles: true }));
  clearTimeout(settling);
  settling = setTimeout(() => send(field), SETTLE_MS);
}

const STEPS = { ArrowUp: 1, ArrowDown: -1, PageUp: 1, PageDown: -1 };

function onKey(event) {
  const field = event.target.closest("input[data-step]");
  if (!field) return;
  if (event.key in STEPS) {
    event.preventDefault();
    stepField(field, STEPS[event.key], event);
  } else if (event.key === "Delete" && event.ctrlKey) {
    event.preventDefault();
    reset(field);
  } else if (event.key === "Escape") {
    clearTimeout(settling);
    field.value = field.dataset.initial;
    letGo(field);
  }
}

// Focus goes from a field to what it is part of, so that the keys of the screen work from there on, and never to the page.
function letGo(field) {
  const whole = field.closest("[data-cell], tr, .strip, form, section");
  const control = whole?.querySelector("[data-switch]") ?? whole;
  if (control && control === whole && !control.hasAttribute("tabindex")) control.tabIndex = -1;
  if (control) control.focus({ preventScroll: true });
  else field.blur();
}

function reset(field) {
  if (!field.dataset.reset) return;
  field.value = field.dataset.reset;
  send(field);
}

// Buttons in a list of choices to listen through: arrows go from one to the next and press it.
function stepList(event) {
  const list = event.target.closest?.("[data-stepped-list]");
  if (!list || !["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"].includes(event.key)) return;
  event.preventDefault();
  const buttons = [...list.querySelectorAll("button")];
  const next = buttons[buttons.indexOf(event.target) + (event.key === "ArrowUp" || event.key === "ArrowLeft" ? -1 : 1)];
  next?.focus();
  next?.click();
}

export function bindFields() {
  document.addEventListener("keydown", onKey);
  document.addEventListener("keydown", stepList);
  document.addEventListener("dblclick", (event) => {
    const field = event.target.closest?.("[data-resets]")?.closest(".field").querySelector("input[data-reset]");
    if (field) reset(field);
  });
  document.addEventListener("focusin", (event) => {
    if (event.target.matches("input[data-step]")) event.target.select();
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches("input[data-initial]")) event.target.dataset.taken = "";
    if (event.target.matches("[data-link]")) event.target.closest("legend").querySelector("input[name=linked]").value = event.target.checked ? "yes" : "no";
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
  else if (cell) focused = `#${CSS.escape(cell.id)} ${held.matches("[data-send-point]") ? "[data-send-point]" : "button"}`;
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
