// Where cells lie in a grid: in that of the sends, or that of the moves.

const GRID = "[data-matrix], [data-moves]";
const ROW = "tr[data-row], [data-move-row]";
const CELL = "[data-cell], [data-move-cell]";

function rowsAround(cell) {
  return [...cell.closest(GRID).querySelectorAll(ROW)].filter((row) => row.offsetParent !== null);
}

function cellsOf(row) {
  return [...row.querySelectorAll(CELL)];
}

function columnOf(cell) {
  return cellsOf(cell.closest(ROW)).indexOf(cell);
}

/** Return the cell so many columns and rows on; folded rows are passed over. */
export function cellAt(cell, across, down) {
  const rows = rowsAround(cell);
  const row = rows[rows.indexOf(cell.closest(ROW)) + down];
  return row && cellsOf(row)[columnOf(cell) + across];
}

/** Return all cells in the rectangle of which two cells are corners. */
export function around(one, other) {
  const rows = rowsAround(one);
  const [top, bottom] = [one, other].map((cell) => rows.indexOf(cell.closest(ROW))).sort((a, b) => a - b);
  const [left, right] = [columnOf(one), columnOf(other)].sort((a, b) => a - b);
  return rows.slice(top, bottom + 1).flatMap((row) => cellsOf(row).slice(left, right + 1));
}

/** Return where cells lie against the first of them, as [down, across]. */
export function offsetsOf(cells) {
  const rows = rowsAround(cells[0]);
  const places = cells.map((cell) => [rows.indexOf(cell.closest(ROW)), columnOf(cell)]);
  const [top, left] = [Math.min(...places.map(([row]) => row)), Math.min(...places.map(([, column]) => column))];
  return places.map(([row, column]) => [row - top, column - left]);
}
