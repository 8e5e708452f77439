// The crosspoints: a grid of routes, edited by keyboard and by dragging over cells.

import { offer } from "./commands.js";
import { cellAt, draw, grid, keyOf, place, read, routesAt, update, words } from "./crosspoints/grid.js";
import { openChannels } from "./crosspoints/channels.js";
import { write } from "./server.js";
import "./shared.js";

const filter = document.getElementById("grid-filter");
const kindChoice = document.getElementById("put-kind");
const tapChoice = document.getElementById("put-tap");
const url = document.getElementById("state").dataset.base.replace(/map\/$/, "write/put_cells/");
const STEPS = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  PageUp: [-10, 0],
  PageDown: [10, 0],
  Home: [0, -Infinity],
  End: [0, Infinity],
};
let at = [0, 0]; // row and column of the focused cell
let anchor = null; // the other corner of a range
let typed = ""; // a level during typing

// ---- the selected cell, and the range from the anchor to it

const within = (value, size) => Math.max(0, Math.min(size - 1, value));

function goTo(row, col, { extend = false, focus = true } = {}) {
  anchor = extend ? anchor || at : null;
  at = [within(row, grid.shown.length), within(col, grid.cols.length)];
  show(focus);
}

function range() {
  const [row, col] = anchor || at;
  const cells = [];
  for (let r = Math.min(row, at[0]); r <= Math.max(row, at[0]); r += 1)
    for (let c = Math.min(col, at[1]); c <= Math.max(col, at[1]); c += 1) cells.push([r, c]);
  return cells;
}

function redraw() {
  draw();
  goTo(...at, { focus: false });
}

function show(focus = true) {
  for (const one of place.querySelectorAll(".range, .here")) one.classList.remove("range", "here");
  const here = cellAt(...at);
  if (!here) return;
  if (anchor) for (const cell of range()) cellAt(...cell)?.classList.add("range");
  if (here.tabIndex !== 0) {
    for (const one of place.querySelectorAll('td[tabindex="0"]')) one.tabIndex = -1;
    here.tabIndex = 0;
  }
  here.parentElement.classList.add("here");
  place.querySelector(`th[data-col="${at[1]}"]`).classList.add("here");
  if (focus && document.activeElement !== here) here.focus();
  const [row, col] = [grid.shown[at[0]], grid.cols[at[1]]];
  if (focus) choose(row);
  const what = typed ? `${typed} dB, Enter to set` : words(routesAt(...at));
  document.getElementById("grid-here").textContent = `${row.name} → ${col.name}: ${what}`;
}

// The row's strip is selected on the other pages too.
function choose(row) {
  const address = new URL(location);
  address.searchParams.delete("strips");
  address.searchParams.set("strip", row.id.split("/")[0]);
  history.replaceState(null, "", address);
}

// ---- actions on the range

function send(action, values = {}) {
  const cells = range()
    .map((cell) => keyOf(...cell))
    .join(" ");
  write(url, { do: action, cells, kind: kindChoice.value, tap: tapChoice.value, grid: grid.kind, ...values });
}

const toggle = () => send(range().every((cell) => routesAt(...cell)) ? "take" : "put");

// The feed or send of the cell, to its channel pairs.
function openRoute() {
  const [route] = routesAt(...at) || [];
  if (route && grid.kind === "sound") openChannels(route.id);
}

function type(character) {
  typed = character ? typed + character : typed.slice(0, -1);
  show();
}

function fold(section) {
  if (!grid.folded.delete(section)) grid.folded.add(section);
  anchor = null;
  redraw();
}

function leave() {
  [anchor, typed] = [null, ""];
  show();
}

// ---- keyboard and pointer

function press(event) {
  const step = STEPS[event.key];
  if (step) {
    typed = "";
    goTo(at[0] + step[0], at[1] + step[1], { extend: event.shiftKey });
  } else if (event.key === " ") toggle();
  else if (event.key === "Delete" || event.key === "Backspace") {
    if (typed) type("");
    else send("take");
  } else if (/^[-0-9.,]$/.test(event.key)) type(event.key);
  else if (event.key === "Enter" && typed) {
    send("level", { gain_db: typed });
    typed = "";
  } else if (event.key === "Enter") openRoute();
  else if (event.key === "Escape") leave();
  else if (event.key === "f") fold(grid.shown[at[0]].section);
  else return;
  event.preventDefault();
}

place.addEventListener("keydown", (event) => {
  if (event.target.matches("td") && !event.ctrlKey && !event.metaKey && !event.altKey) press(event);
});

let dragging = false;
const cellOf = (event) => event.target.closest("td[data-row]");
const placeOf = (td) => [Number(td.dataset.row), Number(td.dataset.col)];

place.addEventListener("pointerdown", (event) => {
  if (!cellOf(event) || event.button) return;
  dragging = true;
  goTo(...placeOf(cellOf(event)), { extend: event.shiftKey });
});
place.addEventListener("pointerover", (event) => {
  if (dragging && cellOf(event)) goTo(...placeOf(cellOf(event)), { extend: true, focus: false });
});
addEventListener("pointerup", () => (dragging = false));
place.addEventListener("dblclick", (event) => cellOf(event) && toggle());
place.addEventListener("click", (event) => {
  const button = event.target.closest("button[data-fold]");
  if (button) fold(button.dataset.fold);
});
filter.addEventListener("input", redraw);

document.addEventListener("htmx:afterSwap", (event) => {
  if (event.target.id !== "answer") return;
  const had = document.activeElement?.matches("#grid td, body");
  update();
  at = [within(at[0], grid.shown.length), within(at[1], grid.cols.length)];
  show(had);
});

// ---- the quick-open, and the start

function find(strip) {
  const row = grid.rows.find((one) => one.id === strip || one.id.startsWith(`${strip}/`));
  if (!row) return;
  if (grid.folded.delete(row.section) || filter.value) {
    filter.value = "";
    draw();
  }
  goTo(grid.shown.indexOf(row), at[1]);
  cellAt(...at)?.scrollIntoView({ block: "center" });
}

function foldAll(sections) {
  grid.folded = new Set(sections);
  redraw();
}

read();
show(false);
offer(find, [
  { name: "Collapse all rows", run: () => foldAll(grid.rows.map((row) => row.section)) },
  { name: "Expand all rows", run: () => foldAll([]) },
  { name: "Filter the rows", run: () => filter.focus() },
]);
find(new URLSearchParams(location.search).get("strip"));
document.body.dataset.ready = "true";
