// Pointer on the table: a cell, a range, a row by its number, the sort by its head.

import { begin, describe, move } from "./active.js";
import { sortBy } from "./arranging.js";
import { closeEditor, isOpen } from "./editing.js";
import { idAt, table } from "./grid.js";
import { rows } from "./rows.js";
import { selectRows } from "./selecting.js";

const cellOf = (event) => event.target.closest("[data-col]");
const placeOf = (cell) => [
  cell.parentElement.dataset.row === undefined ? -1 : Number(cell.parentElement.dataset.row),
  Number(cell.dataset.col),
];
let dragging = false;
let lastNumber = 0;

table.addEventListener("pointerdown", (event) => {
  const cell = cellOf(event);
  if (!cell || event.button || event.target.closest(".cell-editor")) return;
  closeEditor();
  const [row, col] = placeOf(cell);
  event.preventDefault();
  if (row < 0) return;
  if (col < 0) return pressNumber(row, event);
  dragging = true;
  move(row, col, { extend: event.shiftKey });
});

function pressNumber(row, event) {
  move(row, 0);
  const [top, bottom] = event.shiftKey ? [Math.min(row, lastNumber), Math.max(row, lastNumber)] : [row, row];
  if (event.shiftKey) rows.selected.delete(idAt(row));
  lastNumber = row;
  selectRows({ top, bottom });
}

table.addEventListener("pointerover", (event) => {
  const cell = cellOf(event);
  if (!dragging || !cell || placeOf(cell)[0] < 0 || placeOf(cell)[1] < 0) return;
  move(...placeOf(cell), { extend: true, focus: false });
});
addEventListener("pointerup", () => (dragging = false));
table.addEventListener("dblclick", (event) => {
  const cell = cellOf(event);
  if (cell && placeOf(cell)[0] >= 0 && placeOf(cell)[1] >= 0) begin();
});
table.addEventListener("click", (event) => {
  const cell = cellOf(event);
  if (cell && placeOf(cell)[0] < 0 && placeOf(cell)[1] >= 0) sortBy(placeOf(cell)[1]);
});
table.addEventListener("focusin", (event) => {
  const cell = cellOf(event);
  if (cell && !isOpen() && placeOf(cell)[1] >= 0) describe();
});
