// Sort, filters and columns of the table.

import { filled } from "./blocks.js";
import { chooseColumns, filterNames, turnSort, view, writeAddress } from "./columns.js";
import { filters, showFilters } from "./filters.js";
import { at, build, columnAt, idAt, lastRow, place } from "./grid.js";
import { arrange, rows } from "./rows.js";
import { countAll, selectRows } from "./selecting.js";
import { change } from "./sending.js";

export function sortBy(col) {
  turnSort(columnAt(col).name);
  rearrange();
}

export function rearrange({ isNew = true } = {}) {
  const id = idAt(at.row);
  arrange();
  at.anchor = null;
  if (at.row >= 0) at.row = Math.max(0, rows.shown.indexOf(id));
  if (isNew) writeAddress();
  build();
  showFilters();
  countAll();
}

filters.addEventListener("input", () => {
  for (const name of filterNames) view.filters[name] = filters.elements[name].value;
  place.scrollTop = 0;
  rearrange();
});
filters.addEventListener("submit", (event) => event.preventDefault());
filters.addEventListener("reset", () => {
  for (const name of filterNames) view.filters[name] = "";
  setTimeout(rearrange);
});

document.getElementById("columns-button").addEventListener("click", () =>
  chooseColumns(() => {
    writeAddress();
    build();
  }),
);
document
  .getElementById("select-found")
  .addEventListener("click", () => selectRows({ top: 0, bottom: lastRow() }, true));
document.getElementById("fill-down").addEventListener("click", () => change(filled()));
