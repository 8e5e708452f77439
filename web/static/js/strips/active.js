// The active cell: moved, said in words below the table, opened for typing.

import { isOfOneCell } from "./blocks.js";
import { edit } from "./editing.js";
import { at, cellAt, columnAt, corners, goTo, idAt, refused } from "./grid.js";
import { record } from "./rows.js";
import { tell } from "./words.js";

const base = document.getElementById("state").dataset.base.replace(/map\/$/, "");
const details = document.getElementById("cell-details");
const fill = document.getElementById("fill-down");

export function describe() {
  const { top, bottom, left, right } = corners();
  const id = idAt(at.row);
  const one = record(id);
  details.hidden = !one;
  if (one) details.href = `?strip=${encodeURIComponent(id)}`;
  fill.hidden = bottom === top;
  if (!one) return tell("");
  if (!isOfOneCell()) return tell(`${bottom - top + 1} × ${right - left + 1} cells`);
  const wrong = refused.get(`${id} ${columnAt(at.col).name}`);
  return tell(
    wrong ? wrong.sentence : `${one.name}, ${columnAt(at.col).label}: ${cellAt(at.row, at.col).textContent || "empty"}`,
  );
}

export function move(row, col, how) {
  goTo(row, col, how);
  describe();
}

export const openDetails = () => idAt(at.row) && location.assign(`?strip=${encodeURIComponent(idAt(at.row))}`);

export function begin(text = null) {
  if (!columnAt(at.col)?.typed) {
    if (columnAt(at.col)?.name === "findings" && record(idAt(at.row))?.findings) openFindings();
    else tell(`${columnAt(at.col)?.label} is computed and cannot be typed`);
  } else edit(text);
}
const openFindings = () => {
  const id = encodeURIComponent(idAt(at.row));
  location.assign(`${base}findings/?about=${id}&strip=${id}`);
};
