// The keyboard map; single letters are off while a field has focus.

const VIEWS = ["song", "returns", "sends", "moves", "hand-off"];
const LISTEN = { f: "full", d: "dry", r: "returns" };

function isTyping(target) {
  return target.matches?.("input:not([type=checkbox]), select, textarea");
}

export function bindKeys(player) {
  document.addEventListener("keydown", (event) => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      document.getElementById(event.shiftKey ? "redo" : "undo").click();
      return;
    }
    if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
    const key = event.key.toLowerCase();
    if (key === " " && !event.target.closest("button, [role=button], summary, input")) {
      event.preventDefault();
      player.toggle();
    } else if (key === "home") {
      event.preventDefault();
      document.querySelector("[data-to-section-start]").click();
    } else if (key === "l") document.querySelector("[data-loop]").click();
    else if (key in LISTEN) document.querySelector(`[data-listen=${LISTEN[key]}]`).click();
    else if (key === "t") document.querySelector("[data-tail]").click();
    else if (key === "c") document.querySelector("[data-plain]:enabled")?.click();
    else if (key === "x") document.querySelector("[data-cut-sends]").click();
    else if (key === "backspace" && !event.target.closest("[data-cell], [data-track]")) document.querySelector("[data-again]").click();
    else if (key === "a" || key === "b") document.querySelector(`[data-comparing]:not([hidden]) [data-side=${key}]`)?.click();
    else if (key === "v") document.querySelector("a[data-view=versions]").click();
    else if (key === "?") window.bootstrap.Modal.getOrCreateInstance("#keys").toggle();
    else if (VIEWS[Number(key) - 1]) document.querySelector(`a[data-view=${VIEWS[Number(key) - 1]}]`).click();
  });
}
