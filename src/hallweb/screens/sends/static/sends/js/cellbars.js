// Dragging the bar of a send: the level follows in steps of half a decibel, with Alt of a tenth, and is heard as it
// does: what the send adds to its return is played alone, by as much as the level has changed. Letting go is the edit.

import { editsAhead } from "../../common/js/edits.js";
import { written } from "../../common/js/figures.js";
import { gainOf, levelOnScale, shareOfScale } from "../../common/js/levels.js";

let hold = null;

function levelAt(event) {
  const box = hold.bar.getBoundingClientRect();
  return levelOnScale((event.clientX - box.left) / box.width, event.altKey ? 0.1 : 0.5);
}

function show(level) {
  const width = shareOfScale(level) * hold.bar.getBoundingClientRect().width;
  for (const rect of hold.bar.querySelectorAll("rect")) rect.setAttribute("width", String(width));
  hold.bar.querySelector(".cell-end").setAttribute("d", `M${width} 0v12`);
  hold.field.value = written(level.toFixed(1));
}

export function bindCellBars(player) {
  function move(event) {
    show(levelAt(event));
    if (hold.isOn) player.setHeld([gainOf(hold.field.value) - gainOf(hold.field.dataset.initial)]);
  }

  function release(isChanged) {
    if (hold.isOn) player.release(isChanged, editsAhead());
    hold = null;
  }

  document.addEventListener("pointerdown", (event) => {
    const bar = event.target.closest?.("[data-send-bar]");
    if (!bar || event.button) return;
    event.preventDefault();
    const cell = bar.closest("[data-cell]");
    hold = { bar, field: cell.querySelector(".cell-level"), isOn: !cell.classList.contains("is-off") };
    const section = document.querySelector("#screen-state [name=section]")?.value;
    if (hold.isOn) player.hold(`send/${cell.dataset.cell}`, { section });
    move(event);
  });
  document.addEventListener("pointermove", (event) => {
    if (hold) move(event);
  });
  document.addEventListener("pointerup", () => {
    if (!hold) return;
    const { field } = hold;
    const isChanged = field.value !== field.dataset.initial;
    release(isChanged);
    if (isChanged) field.dispatchEvent(new Event("change", { bubbles: true }));
  });
  document.addEventListener("keydown", (event) => {
    if (!hold || event.key !== "Escape") return;
    hold.field.value = hold.field.dataset.initial;
    release(false);
  });
}
