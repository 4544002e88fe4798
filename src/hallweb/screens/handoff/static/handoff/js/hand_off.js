// Hand-off: how many parts are chosen, choosing those that changed, the loop as a range, and turning the leaves of the sheet by key.

const form = () => document.querySelector("[data-print-form]");
const boxes = () => [...form().querySelectorAll("[name=part]")];

/** Return what the button says for some number of chosen parts. */
export function printWords(count) {
  if (count === 0) return "Nothing chosen";
  return count === 1 ? "Print 1 part" : `Print ${count} parts`;
}

function count() {
  if (!form()) return;
  const chosen = boxes().filter((box) => box.checked).length;
  const button = form().querySelector("[data-print-button]");
  button.textContent = printWords(chosen);
  button.disabled = chosen === 0;
}

function chooseChanged() {
  for (const box of boxes()) box.checked = box.dataset.partState !== "printed";
  count();
}

// The dock's loop can be printed as long as there is one.
function offerLoop() {
  if (!form()) return;
  const loop = JSON.parse(document.querySelector("[data-loop]").dataset.loop || "null");
  const option = form().querySelector("[data-loop-range]");
  option.textContent = loop ? `Loop: ${loop.name}` : "Loop: none is set";
  option.disabled = !loop;
  if (!loop && option.selected) option.parentElement.value = "";
  const { name, start, end } = loop ?? { name: "", start: "", end: "" };
  for (const [field, value] of Object.entries({ loop_name: name, loop_start: start, loop_end: end })) form().elements[field].value = value;
}

function turn(event) {
  const by = { PageDown: 1, PageUp: -1 }[event.key];
  const button = by && document.querySelector(`[data-sheet-turn="${by}"]:not(:disabled)`);
  if (!button || event.target.matches("input, select, textarea")) return;
  event.preventDefault();
  button.click();
}

export function bindHandOff() {
  document.addEventListener("change", ({ target }) => target.matches?.("[data-print-form] [name=part]") && count());
  document.addEventListener("click", ({ target }) => target.closest?.("[data-choose-changed]") && chooseChanged());
  document.addEventListener("keydown", turn);
  document.addEventListener("loop-set", offerLoop);
  document.addEventListener("htmx:afterSettle", () => {
    count();
    offerLoop();
  });
  count();
  offerLoop();
}
