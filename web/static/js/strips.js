// Strips as a table to work in; its parts are in strips/: here are the side panel, answers and the start.

import { offer } from "./commands.js";
import { table as loaded } from "./data.js";
import { move } from "./strips/active.js";
import { rearrange } from "./strips/arranging.js";
import "./strips/clipboard.js";
import { filterNames, readAddress, view } from "./strips/columns.js";
import { filters } from "./strips/filters.js";
import { at, redraw } from "./strips/grid.js";
import "./strips/keyboard.js";
import "./strips/pointer.js";
import "./strips/printing.js";
import { record, refresh, remember, rows } from "./strips/rows.js";
import { clearSelected, countAll, panel } from "./strips/selecting.js";
import "./strips/sending.js";
import "./completing.js";
import "./shared.js";

// ---- the side panel

document.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  if (button.dataset.do === "release") clearSelected();
  if (button.dataset.do === "help") document.getElementById("help").showModal();
  if (button.dataset.choose) find(button.dataset.choose);
});
// ---- answers

function renew() {
  refresh();
  redraw();
  countAll();
}
for (const name of ["lattice:changed", "lattice:table"]) document.addEventListener(name, renew);
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target === panel) panel.querySelector("[autofocus]")?.focus();
});

// ---- the quick-open, and the start

function find(id) {
  if (!rows.shown.includes(id)) {
    for (const name of filterNames) view.filters[name] = "";
    rearrange();
  }
  move(rows.shown.indexOf(id), at.col);
}

offer(find, [
  { name: "Choose columns", run: () => document.getElementById("columns-button").click() },
  { name: "Search the table", run: () => filters.elements.q.focus() },
  { name: "Select all rows shown", run: () => document.getElementById("select-found").click() },
]);

async function start() {
  await Promise.all([loaded("cells"), loaded("strips")]);
  readAddress();
  remember();
  const wanted = new URLSearchParams(location.search).get("strips") ?? "";
  for (const id of wanted.split(" ")) if (record(id)) rows.selected.add(id);
  rearrange({ isNew: false });
  document.body.dataset.ready = "true";
}
start();
