// Where cells of the matrix lie.

function rows(matrix) {
  return [...matrix.querySelectorAll("tr[data-row]")].filter((row) => row.offsetParent !== null);
}

function columnOf(cell) {
  return [...cell.closest("tr").querySelectorAll("[data-cell]")].indexOf(cell);
}

/** Return the cell so many columns and rows on; folded rows are passed over. */
export function cellAt(cell, across, down) {
  const all = rows(cell.closest("[data-matrix]"));
  const row = all[all.indexOf(cell.closest("tr")) + down];
  return row?.querySelectorAll("[data-cell]")[columnOf(cell) + across];
}

/** Return all cells in the rectangle of which two cells are corners. */
export function around(one, other) {
  const all = rows(one.closest("[data-matrix]"));
  const [top, bottom] = [one, other].map((cell) => all.indexOf(cell.closest("tr"))).sort((a, b) => a - b);
  const [left, right] = [columnOf(one), columnOf(other)].sort((a, b) => a - b);
  return all.slice(top, bottom + 1).flatMap((row) => [...row.querySelectorAll("[data-cell]")].slice(left, right + 1));
}

/** Return where cells lie against the first of them, as [down, across], and the other way round. */
export function offsetsOf(cells) {
  const all = rows(cells[0].closest("[data-matrix]"));
  const places = cells.map((cell) => [all.indexOf(cell.closest("tr")), columnOf(cell)]);
  const [top, left] = [Math.min(...places.map(([row]) => row)), Math.min(...places.map(([, column]) => column))];
  return places.map(([row, column]) => [row - top, column - left]);
}
