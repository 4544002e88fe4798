// Throws: a flag is held and changed in its form, one is added at the end of a phrase; comma and full stop go through them.

import { edit } from "../../common/js/requests.js";
import { stepThrough } from "../../common/js/selection.js";
import { change, choose, newThrow, show } from "./moves.js";

const form = () => document.querySelector("[data-throw-form]");
const flags = () => [...document.querySelectorAll("[data-flag]")];
let held = null; // the throw that the form shows, { at, target }

function rowOf(element) {
  return element.closest("[data-move-row]");
}

function isHeld(flag) {
  return Boolean(held) && flag.dataset.flag === held.at && rowOf(flag).dataset.moveRow === held.target;
}

/** Show the throw of a flag in the form; null lets it go. */
function hold(flag) {
  held = flag && { at: flag.dataset.flag, target: rowOf(flag).dataset.moveRow };
  for (const each of flags()) each.classList.toggle("is-held", isHeld(each));
  form().hidden = !held;
  show(Boolean(held));
  if (!flag) return;
  const { throwValue, throwLength, throwIn, throwOut } = flag.dataset;
  const texts = { value: throwValue, start: flag.dataset.place, length: throwLength, ramp_in: throwIn, ramp_out: throwOut };
  for (const [name, text] of Object.entries(texts)) Object.assign(form().querySelector(`[name=${name}]`), { value: text, defaultValue: text });
  document.querySelector("[data-throw-name]").textContent = `Throw, ${rowOf(flag).querySelector("b").textContent}`;
}

/** Whether a field says something: the reach always, a text where it is not as the flag has it. */
function isTyped({ name, value, defaultValue }) {
  return name === "reach" || (Boolean(name) && value !== defaultValue);
}

function changeThrow(what) {
  const values = Object.fromEntries([...form().elements].filter(isTyped).map(({ name, value }) => [name, value]));
  const { at, target } = held;
  if (what === "remove") held = null;
  edit(document.querySelector("[data-moves]").dataset.throwsUrl, { ...values, at, target, do: what });
}

// The last word of the phrase whose end is pressed, or with Shift those of all phrases of its section.
function throwPhrase(mark, isSection) {
  const row = rowOf(mark);
  const url = document.querySelector("[data-moves]").dataset.throwUrl;
  if (!isSection) return edit(url, { target: row.dataset.moveRow, phrase: mark.dataset.phraseEnd, ...newThrow() });
  const x = Number(mark.getAttribute("x")) - 1;
  choose([[...row.querySelectorAll("[data-move-cell]")].findLast((each) => Number(each.getAttribute("x")) <= x)]);
  change("throw", newThrow());
}

function onKey(event) {
  if (!document.querySelector("[data-moves]") || event.target.matches?.("input, select, textarea")) return;
  const flag = event.target.closest?.("[data-flag]");
  if (flag && event.key === "Enter") {
    event.preventDefault();
    hold(flag);
    form().querySelector("[name=value]").focus();
  } else if (flag && event.key === "Delete") {
    hold(flag);
    changeThrow("remove");
  } else if ((event.key === "." || event.key === ",") && !event.ctrlKey) {
    const all = flags();
    const next = stepThrough(all, flag ?? all.find(isHeld), event.key === "." ? 1 : -1);
    if (!next) return;
    next.focus();
    hold(next);
  }
}

export function bindThrows() {
  document.addEventListener("keydown", onKey);
  document.addEventListener("cells-chosen", () => hold(null));
  document.addEventListener("click", (event) => {
    const { target } = event;
    if (event.altKey) return;
    const mark = target.closest("[data-phrase-end]");
    if (mark) return throwPhrase(mark, event.shiftKey);
    const flag = target.closest("[data-flag]");
    if (flag) return hold(flag);
    if (target.closest("[data-throw-remove]")) changeThrow("remove");
    if (target.closest("[data-throw-close]")) hold(null);
  });
  document.addEventListener("submit", (event) => {
    if (!event.target.matches("[data-throw-form]")) return;
    event.preventDefault();
    changeThrow("change");
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (document.querySelector("[data-moves]")) hold(flags().find(isHeld) ?? null);
  });
}
