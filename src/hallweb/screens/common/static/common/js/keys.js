// The keyboard map. Space plays and stops everywhere but in text fields, also where it would press a button: Enter presses
// buttons, and boxes too. Other single letters are off while a field has focus.

const VIEWS = ["song", "returns", "sends", "moves", "hall", "findings", "hand-off"];
const LISTEN = { f: "full", d: "dry", r: "returns" };
const NO_TEXT = "[type=checkbox], [type=radio], [type=range], [type=file], [type=button], [type=submit]";

function isText(target) {
  return target.matches?.(`input:not(${NO_TEXT}), textarea`);
}

function isField(target) {
  return isText(target) || target.matches?.("select, [type=range]");
}

// Before anything under focus hears of it: a button would be pressed when the key is let go.
function onSpace(event, player) {
  if (event.key !== " " || event.ctrlKey || event.metaKey || event.altKey || isText(event.target)) return;
  event.preventDefault();
  event.stopPropagation();
  if (event.type === "keydown" && !event.repeat) player.toggle();
}

function onLetter(event) {
  const press = (selector) => document.querySelector(selector)?.click();
  const key = event.key.toLowerCase();
  if (key === "home") {
    event.preventDefault();
    press("[data-to-section-start]");
  } else if (key === "enter" && event.target.matches("[type=checkbox]")) {
    event.preventDefault(); // else the form that it is in would be sent as well
    event.target.click();
  } else if (key === "l") press("[data-loop]");
  else if (key in LISTEN) press(`[data-listen=${LISTEN[key]}]`);
  else if (key === "t") press("[data-tail]");
  else if (key === "c") press("[data-plain]:enabled");
  else if (key === "x") press("[data-cut-sends]");
  else if (key === "n") press("[data-mono]");
  else if (key === "backspace" && !event.target.closest("[data-cell], [data-track]")) press("[data-again]");
  else if (key === "a" || key === "b") press(`[data-comparing]:not([hidden]) [data-side=${key}]`);
  else if (key === "v") press("a[data-view=versions]");
  else if (key === "?") window.bootstrap.Modal.getOrCreateInstance("#keys").toggle();
  else if (VIEWS[Number(key) - 1]) press(`a[data-view=${VIEWS[Number(key) - 1]}]`);
}

export function bindKeys(player) {
  for (const type of ["keydown", "keyup"]) document.addEventListener(type, (event) => onSpace(event, player), { capture: true });
  document.addEventListener("keydown", (event) => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      document.getElementById(event.shiftKey ? "redo" : "undo").click();
    } else if (!isField(event.target) && !event.ctrlKey && !event.metaKey && !event.altKey) onLetter(event);
  });
}
