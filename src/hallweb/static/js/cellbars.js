// Dragging the bar of a send: the level follows in steps of half a decibel, with Alt of a tenth; letting go is the edit.

const LOW_DB = -36;
const SPAN_DB = 42;
const MINUS = "\u2212";
let hold = null;

function levelAt(event) {
  const box = hold.bar.getBoundingClientRect();
  const share = Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1);
  const step = event.altKey ? 0.1 : 0.5;
  return Math.round((LOW_DB + share * SPAN_DB) / step) * step;
}

function show(level) {
  const width = ((level - LOW_DB) / SPAN_DB) * hold.bar.getBoundingClientRect().width;
  for (const rect of hold.bar.querySelectorAll("rect")) rect.setAttribute("width", String(width));
  hold.bar.querySelector(".cell-end").setAttribute("d", `M${width} 0v12`);
  hold.field.value = level.toFixed(1).replace("-", MINUS);
}

export function bindCellBars() {
  document.addEventListener("pointerdown", (event) => {
    const bar = event.target.closest?.("[data-send-bar]");
    if (!bar || event.button) return;
    event.preventDefault();
    hold = { bar, field: bar.closest("[data-cell]").querySelector(".cell-level") };
    show(levelAt(event));
  });
  document.addEventListener("pointermove", (event) => {
    if (hold) show(levelAt(event));
  });
  document.addEventListener("pointerup", () => {
    if (!hold) return;
    const { field } = hold;
    hold = null;
    if (field.value !== field.dataset.initial) field.dispatchEvent(new Event("change", { bubbles: true }));
  });
  document.addEventListener("keydown", (event) => {
    if (!hold || event.key !== "Escape") return;
    hold.field.value = hold.field.dataset.initial;
    hold = null;
  });
}
