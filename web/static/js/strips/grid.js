// The table drawn: only the rows in sight, and the one with the active cell, are elements; they are used again for other
// rows while the table scrolls. Roles and keys follow the ARIA grid pattern.

import { shownColumns, view } from "./columns.js";
import { isWaiting, lookOf, record, rows } from "./rows.js";

export const ROW = 26; // px, as in table.css
const SPARE = 3; // rows above and below those in sight
const NUMBER = 44; // px, of the row numbers
const [NARROW, WIDE, LETTER] = [52, 190, 6.9];

export const place = document.getElementById("table-scroll");
export const table = document.getElementById("table");
const drawn = new Map(); // row → its element
const spare = [];
let columns = [];
let head = null;

// The active cell (row −1 is the head), the other corner of the range, cells that were refused with their sentence.
export const at = { row: 0, col: 0, anchor: null };
export const refused = new Map(); // “id column” → { text, sentence }

export const idAt = (row) => rows.shown[row];
export const columnAt = (col) => columns[col];
export const lastRow = () => rows.shown.length - 1;
export const lastColumn = () => columns.length - 1;
export const cellAt = (row, col) => (row < 0 ? head : drawn.get(row))?.children[col + 1];

export function corners() {
  const other = at.anchor ?? at;
  return {
    top: Math.max(0, Math.min(at.row, other.row)),
    bottom: Math.max(at.row, other.row),
    left: Math.min(at.col, other.col),
    right: Math.max(at.col, other.col),
  };
}

// ---- the whole table anew, as after a choice of columns

export function build() {
  height = place.clientHeight;
  columns = shownColumns();
  drawn.clear();
  spare.length = 0;
  table.replaceChildren();
  table.style.setProperty("--columns", `${NUMBER}px ${widths().join(" ")}`);
  table.setAttribute("aria-colcount", columns.length + 1);
  head = rowElement("columnheader");
  head.className = "cells-head";
  head.setAttribute("aria-rowindex", 1);
  head.firstChild.textContent = "";
  head.firstChild.setAttribute("aria-label", "Row");
  columns.forEach((column, n) => {
    const cell = head.children[n + 1];
    cell.textContent = column.label;
    cell.title = column.label;
    const isSorted = view.sort === column.name;
    cell.setAttribute("aria-sort", isSorted ? (view.way === "down" ? "descending" : "ascending") : "none");
  });
  table.append(head);
  at.col = Math.min(at.col, lastColumn());
  redraw();
}

// As wide as the longest of its texts, within bounds.
function widths() {
  const sample = rows.shown.slice(0, 400);
  return columns.map((column) => {
    const heads = column.label.length * 0.92 + 2;
    const longest = Math.max(heads, ...sample.map((id) => lookOf(id, column.name).length));
    return `${Math.round(Math.min(WIDE, Math.max(NARROW, longest * LETTER + 16)))}px`;
  });
}

function rowElement(role) {
  const row = document.createElement("div");
  row.role = "row";
  row.append(...[null, ...columns].map((column, n) => cellElement(column, n, role)));
  return row;
}

function cellElement(column, n, role) {
  const cell = document.createElement("div");
  cell.role = role === "columnheader" ? role : n <= 1 ? "rowheader" : role;
  cell.tabIndex = -1;
  cell.setAttribute("aria-colindex", n + 1);
  cell.dataset.col = n - 1;
  if (n === 0) cell.className = "number";
  else if (column.figure) cell.className = "num";
  if (role === "gridcell" && column && !column.typed) cell.setAttribute("aria-readonly", "true");
  return cell;
}

// ---- the rows in sight

export function redraw() {
  table.style.setProperty("--height", `${(rows.shown.length + 1) * ROW}px`);
  table.setAttribute("aria-rowcount", rows.shown.length + 1);
  at.row = Math.min(at.row, lastRow());
  for (const [row, element] of drawn) fill(element, row);
  draw();
  mark();
}

let height = 0; // px, of the place: reading it while rows are written would lay the page out each time

function inSight() {
  const { scrollTop } = place;
  const first = Math.floor(scrollTop / ROW) - SPARE;
  const last = Math.ceil((scrollTop + height) / ROW) + SPARE;
  return [Math.max(0, first), Math.min(lastRow(), last)];
}

export function draw() {
  const [first, last] = inSight();
  const isNeeded = (row) => (row >= first && row <= last) || (row === at.row && row <= lastRow());
  for (const [row, element] of drawn)
    if (!isNeeded(row)) {
      drawn.delete(row);
      spare.push(element);
    }
  for (let row = first; row <= last; row += 1) if (!drawn.has(row)) take(row);
  if (at.row >= 0 && at.row <= lastRow() && !drawn.has(at.row)) take(at.row);
  for (const element of spare) element.hidden = true;
}

function take(row) {
  const known = spare.pop();
  const element = known ?? rowElement("gridcell");
  element.hidden = false;
  drawn.set(row, element);
  fill(element, row);
  markRow(element, row, corners());
  if (!known) table.append(element);
}

// Of an element only what differs is written: most of a table is alike from row to row.
function fill(element, row) {
  const id = idAt(row);
  if (id === undefined) return;
  element.style.transform = `translateY(${(row + 1) * ROW}px)`; // a property of one's own would restyle every cell
  element.dataset.row = row;
  element.setAttribute("aria-rowindex", row + 2);
  const { worst } = record(id) ?? {};
  put(element.firstChild, String(row + 1));
  let cell = element.firstChild;
  for (const column of columns) {
    cell = cell.nextSibling;
    const wrong = refused.get(`${id} ${column.name}`);
    put(cell, wrong ? wrong.text : lookOf(id, column.name));
    turn(cell, "waiting", isWaiting(id, column.name));
    if (turn(cell, "wrong", Boolean(wrong))) cell.setAttribute("aria-invalid", Boolean(wrong));
    if (column.name === "findings" && cell.dataset.worst !== worst) cell.dataset.worst = worst;
  }
}

// The text of a cell; its title has what is cut off.
function put(cell, text) {
  const known = cell.firstChild;
  if (known ? known.data === text : !text) return;
  if (known) known.data = text;
  else cell.append(text);
  if (text.length > 12) cell.title = text;
  else if (cell.title) cell.removeAttribute("title");
}

function turn(cell, name, isOn) {
  if (cell.classList.contains(name) === isOn) return false;
  cell.classList.toggle(name, isOn);
  return true;
}

// ---- the active cell, the range and the selected rows

export function mark() {
  const range = corners();
  for (const [row, element] of drawn) markRow(element, row, range);
  [...head.children].forEach((cell, n) => focusable(cell, at.row < 0 && n === at.col + 1));
}

function markRow(element, row, { top, bottom, left, right }) {
  const isSelected = rows.selected.has(idAt(row));
  const isInRange = at.anchor !== null && row >= top && row <= bottom;
  if (turn(element, "selected", isSelected) || !element.ariaSelected) {
    element.ariaSelected = isSelected;
    element.firstChild.ariaLabel = isSelected ? `Row ${row + 1}, selected` : null;
  }
  let [cell, col] = [element.firstChild.nextSibling, 0];
  for (; cell; [cell, col] = [cell.nextSibling, col + 1]) {
    const isIn = isInRange && col >= left && col <= right;
    const isHere = row === at.row && col === at.col;
    if (turn(cell, "range", isIn)) cell.ariaSelected = isIn;
    if (turn(cell, "here", isHere)) focusable(cell, isHere);
  }
}

function focusable(cell, isOn) {
  const index = isOn ? 0 : -1;
  if (cell.tabIndex !== index) cell.tabIndex = index;
}

// Moves the active cell, into sight and with focus.
export function goTo(row, col, { extend = false, focus = true } = {}) {
  const lowest = extend ? 0 : -1;
  at.anchor = extend ? (at.anchor ?? { row: at.row, col: at.col }) : null;
  at.row = Math.max(lowest, Math.min(lastRow(), row));
  at.col = Math.max(0, Math.min(lastColumn(), col));
  showRow();
  draw();
  mark();
  const cell = cellAt(at.row, at.col);
  showColumn(cell);
  if (focus) cell?.focus({ preventScroll: true });
}

function showRow() {
  if (at.row < 0) return;
  const [top, bottom] = [at.row * ROW, (at.row + 2) * ROW];
  if (top < place.scrollTop) place.scrollTop = top;
  else if (bottom > place.scrollTop + height - 12) place.scrollTop = bottom - height + 12;
}

function showColumn(cell) {
  if (!cell) return;
  const fixed = NUMBER + (head.children[1]?.offsetWidth ?? 0); // row number and name stay
  if (at.col === 0) return;
  const [left, right] = [cell.offsetLeft, cell.offsetLeft + cell.offsetWidth];
  if (left - fixed < place.scrollLeft) place.scrollLeft = left - fixed;
  else if (right > place.scrollLeft + place.clientWidth) place.scrollLeft = right - place.clientWidth;
}

let frame = 0;
place.addEventListener("scroll", () => {
  frame ||= requestAnimationFrame(() => {
    frame = 0;
    draw();
  });
});
new ResizeObserver(() => {
  height = place.clientHeight;
  if (head) draw();
}).observe(place);
