// The Sends matrix by keyboard: arrows move among cells, O and P act on the one under focus.

function cellAt(cell, across, down) {
  const row = cell.closest("tr");
  const column = [...row.querySelectorAll("[data-cell]")].indexOf(cell);
  if (across) return row.querySelectorAll("[data-cell]")[column + across];
  const rows = [...cell.closest("[data-matrix]").querySelectorAll("tr")].filter((r) => r.querySelector("[data-cell]"));
  return rows[rows.indexOf(row) + down]?.querySelectorAll("[data-cell]")[column];
}

const MOVES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export function bindMatrix() {
  document.addEventListener("keydown", (event) => {
    const cell = event.target.closest?.("[data-cell]");
    if (!cell || event.ctrlKey || event.metaKey || event.altKey) return;
    const inField = event.target.matches("input");
    if (event.key in MOVES && !inField) {
      event.preventDefault();
      cellAt(cell, ...MOVES[event.key])?.querySelector("[data-switch]").focus();
    } else if (event.key === "Enter" && inField) {
      event.preventDefault(); // else the same key would press the switch that gets focus
      event.target.blur();
      cell.querySelector("[data-switch]")?.focus();
    } else if (!inField && event.key.toLowerCase() === "o") {
      cell.querySelector("[data-switch]").click();
    } else if (!inField && event.key.toLowerCase() === "p") {
      cell.querySelector("[data-tap]")?.click();
    }
  });
}
