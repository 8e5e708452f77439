// The crosspoints as a table: built whole from plain data, and cell by cell where only routes change.

import { records, sent } from "../data.js";

const FOLD_ABOVE = 400; // rows: a table with more cells than this many sources give is slow to lay out

export const place = document.getElementById("grid");
const filter = document.getElementById("grid-filter");

// The data from the server, and its rows that are in the table now.
export const grid = { kind: "", rows: [], cols: [], cells: new Map(), shown: [], folded: null };

export const keyOf = (row, col) => `${grid.shown[row].id}|${grid.cols[col].id}`;
export const routesAt = (row, col) => grid.cells.get(keyOf(row, col));
export const cellAt = (row, col) => place.querySelector(`td[data-row="${row}"][data-col="${col}"]`);

// A level as text: a real minus, and no figure for a send that is off.
export const level = (gain) => (gain === null ? "off" : `${Math.round(gain * 10) / 10}`.replace("-", "−"));
const carriesLevel = (route) => route.kind === "send" || (route.kind === "feed" && route.gain_db);

export function words(routes) {
  if (!routes) return "not connected";
  return routes.map(wordsOf).join("; ");
}

function wordsOf(route) {
  const figure = route.kind === "feed" && !route.gain_db ? "" : ` ${route.port || `${level(route.gain_db)} dB`}`;
  return `${route.kind}${figure} ${route.tap}${route.is_listed ? ", channels listed" : ""}${route.enabled ? "" : ", not on"}`;
}

// Text and classes of a cell.
function mark(routes) {
  if (!routes) return ["", ""];
  const [first] = routes;
  const isOn = routes.some((route) => route.enabled);
  const classes = [first.kind, first.tap === "post-fader" ? "" : "pre", isOn ? "" : "off"].join(" ");
  return [routes.length > 1 ? `${sign(first)}+` : sign(first), classes];
}

function sign(route) {
  if (route.kind === "midi") return route.port;
  if (carriesLevel(route)) return level(route.gain_db);
  return route.kind === "key" ? "◆" : "●";
}

function load() {
  const data = sent("grid-data");
  grid.kind = data.kind;
  grid.rows = records(data.rows);
  grid.cols = records(data.cols);
  grid.cells = Map.groupBy(records(data.cells), (route) => `${route.row}|${route.col}`);
}

export function read() {
  load();
  grid.folded ??= new Set(grid.rows.length > FOLD_ABOVE ? grid.rows.map((row) => row.section) : []);
  draw();
}

// The changes of an answer: single cells if the heads are the same, else the whole table.
export function update() {
  const [heads, cells] = [JSON.stringify([grid.rows, grid.cols]), grid.cells];
  load();
  if (JSON.stringify([grid.rows, grid.cols]) === heads) changeCells(cells);
  else {
    const [top, left] = [place.scrollTop, place.scrollLeft];
    draw();
    place.scrollTo(left, top);
  }
}

function changeCells(before) {
  const lines = new Map(grid.shown.map((row, n) => [row.id, n]));
  const columns = new Map(grid.cols.map((col, n) => [col.id, n]));
  grid.shown = grid.rows.filter(isShown);
  for (const key of new Set([...before.keys(), ...grid.cells.keys()])) {
    if (JSON.stringify(before.get(key)) === JSON.stringify(grid.cells.get(key))) continue;
    const [row, col] = key.split("|");
    const td = cellAt(lines.get(row), columns.get(col));
    if (!td) continue;
    const beginsGroup = td.classList.contains("first");
    [td.textContent, td.className] = mark(grid.cells.get(key));
    td.classList.toggle("first", beginsGroup);
  }
  countAll();
}

function countAll() {
  document.getElementById("grid-size").textContent =
    `${grid.rows.length} sources, ${grid.cols.length} destinations, ${grid.cells.size} crosspoints`;
}

const isShown = (row) => !grid.folded.has(row.section) && row.name.toLowerCase().includes(filter.value.toLowerCase());

export function draw() {
  grid.shown = grid.rows.filter(isShown);
  place.innerHTML = grid.cols.length && grid.rows.length ? table() : EMPTY;
  place.querySelector(".grid")?.style.setProperty("--columns", grid.cols.length);
  countAll();
}

// ---- the table's text

const EMPTY = '<p class="empty">Nothing of this kind can be connected yet.</p>';
const ENTITIES = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" };
const escaped = (text) => text.replace(/[&<>"]/g, (character) => ENTITIES[character]);
const beginsGroup = (n) => n === 0 || grid.cols[n - 1].group !== grid.cols[n].group;
// A piece of drawing: the page's policy permits no inline styles.
const band = (row) =>
  row.colour
    ? `<svg class="band-edge" width="4" height="100%" aria-hidden="true">
      <rect width="4" height="100%" fill="${escaped(row.colour)}" /></svg>`
    : "";

const table = () => `
  <table class="grid" role="grid" aria-label="Crosspoints">
    <thead role="rowgroup">
      <tr role="row">
        <th class="corner" role="columnheader"><span class="visually-hidden">Source</span></th>
        ${grid.cols.map(columnHead).join("")}
      </tr>
    </thead>
    <tbody role="rowgroup">${body()}</tbody>
  </table>`;

function columnHead(col, n) {
  const group = beginsGroup(n) ? `<b class="group">${escaped(col.group)}</b>` : "";
  return `<th scope="col" role="columnheader" class="${group ? "first" : ""}" data-col="${n}">
    <span class="turn">${group}<span>${escaped(col.name)}</span></span></th>`;
}

function body() {
  const sizes = Map.groupBy(grid.rows, (row) => row.section);
  const shown = new Map(grid.shown.map((row, line) => [row, line]));
  const lines = [];
  let section = null;
  for (const row of grid.rows) {
    if (row.section !== section && !filter.value) {
      section = row.section;
      lines.push(sectionHead(row, sizes.get(section).length));
    }
    if (shown.has(row)) lines.push(bodyRow(row, shown.get(row)));
  }
  return lines.join("");
}

function sectionHead(row, size) {
  const isFolded = grid.folded.has(row.section);
  return `<tr class="section" role="row"><th scope="rowgroup" role="rowheader">${band(row)}
    <button type="button" data-fold="${escaped(row.section)}" aria-expanded="${!isFolded}">
      ${isFolded ? "▸" : "▾"} ${escaped(row.section_name)} <span class="figure">${size}</span></button></th></tr>`;
}

function bodyRow(row, line) {
  const cells = grid.cols.map((col, n) => {
    const [text, classes] = mark(grid.cells.get(`${row.id}|${col.id}`));
    const first = beginsGroup(n) ? " first" : "";
    return `<td role="gridcell" tabindex="-1" data-row="${line}" data-col="${n}" class="${classes}${first}">${text}</td>`;
  });
  const name = escaped(row.name);
  return `<tr role="row" data-line="${line}">
    <th scope="row" role="rowheader" title="${name}">${band(row)}${name}</th>${cells.join("")}</tr>`;
}
