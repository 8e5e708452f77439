// The crosspoints: a grid drawn from plain data, edited by keyboard and by dragging.

import { offer } from "./commands.js";
import { write } from "./server.js";
import "./shared.js";

const place = document.getElementById("grid");
const filter = document.getElementById("grid-filter");
const kindChoice = document.getElementById("put-kind");
const tapChoice = document.getElementById("put-tap");
const url = document.getElementById("state").dataset.base.replace(/map\/$/, "write/put_cells/");
const FOLD_ABOVE = 400; // rows
let data, rows, folded;
let at = [0, 0];
let anchor = null; // other corner of a range
let typed = "";

const minus = (level) => (level === null ? "off" : `${Math.round(level * 10) / 10}`.replace("-", "−"));

function mark(routes) {
  if (!routes) return ["", ""];
  const first = routes[0];
  const classes = [first.k, first.t !== "post-fader" ? "pre" : "", routes.some((route) => route.e) ? "" : "off"].join(
    " ",
  );
  const text =
    first.k === "midi"
      ? first.p
      : first.k === "send" || (first.k === "feed" && first.g)
        ? minus(first.g)
        : first.k === "key"
          ? "◆"
          : "●";
  return [routes.length > 1 ? `${text}+` : text, classes];
}

// What an answer changes: single cells where the heads are the same, else the whole grid.
function update() {
  const next = JSON.parse(document.getElementById("grid-data").textContent);
  const heads = (grid) => JSON.stringify([grid.rows, grid.cols]);
  if (heads(next) !== heads(data)) {
    const [top, left] = [place.scrollTop, place.scrollLeft];
    read();
    return place.scrollTo(left, top);
  }
  const before = data;
  data = next;
  const line = new Map(rows.map((row, n) => [row.i, n]));
  const column = new Map(data.cols.map((col, n) => [col.i, n]));
  for (const key of new Set([...Object.keys(before.cells), ...Object.keys(data.cells)])) {
    if (JSON.stringify(before.cells[key]) === JSON.stringify(data.cells[key])) continue;
    const [row, col] = key.split("|");
    const td = cell(line.get(row), column.get(col));
    if (!td) continue;
    const first = td.classList.contains("first");
    [td.textContent, td.className] = mark(data.cells[key]);
    td.classList.toggle("first", first);
  }
  count();
}

function count() {
  document.getElementById("grid-size").textContent =
    `${data.rows.length} sources, ${data.cols.length} destinations, ${Object.keys(data.cells).length} crosspoints`;
}

function read() {
  data = JSON.parse(document.getElementById("grid-data").textContent);
  folded ??= new Set(data.rows.length > FOLD_ABOVE ? data.rows.map((row) => row.s) : []);
  draw();
}

const esc = (text) =>
  text.replace(/[&<>"]/g, (sign) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[sign]);

function draw() {
  const words = filter.value.toLowerCase();
  rows = data.rows.filter((row) => !folded.has(row.s) && row.n.toLowerCase().includes(words));
  const heads = data.cols.map((col, n) => {
    const first = n === 0 || data.cols[n - 1].g !== col.g;
    return `<th scope="col" role="columnheader" class="${first ? "first" : ""}" data-col="${n}"><span class="turn">${first ? `<b class="group">${esc(col.g)}</b>` : ""}<span>${esc(col.n)}</span></span></th>`;
  });
  const body = [];
  let section = null;
  let line = 0;
  for (const row of data.rows) {
    if (row.s !== section && !words) {
      section = row.s;
      const count = data.rows.filter((other) => other.s === section).length;
      body.push(
        `<tr class="section" role="row"><th scope="rowgroup" role="rowheader" style="--band:${row.c || "transparent"}"><button type="button" data-fold="${esc(section)}" aria-expanded="${!folded.has(section)}">${folded.has(section) ? "▸" : "▾"} ${esc(row.z)} <span class="figure">${count}</span></button></th></tr>`,
      );
    }
    if (rows[line] !== row) continue;
    const cells = data.cols.map((col, n) => {
      const [text, classes] = mark(data.cells[`${row.i}|${col.i}`]);
      const first = n === 0 || data.cols[n - 1].g !== col.g ? " first" : "";
      return `<td role="gridcell" tabindex="-1" data-row="${line}" data-col="${n}" class="${classes}${first}">${text}</td>`;
    });
    body.push(
      `<tr role="row" data-line="${line}"><th scope="row" role="rowheader" style="--band:${row.c || "transparent"}" title="${esc(row.n)}">${esc(row.n)}</th>${cells.join("")}</tr>`,
    );
    line += 1;
  }
  place.innerHTML =
    data.cols.length && data.rows.length
      ? `<table class="grid" role="grid" aria-label="Crosspoints" style="--columns:${data.cols.length}"><thead role="rowgroup"><tr role="row"><th class="corner" role="columnheader"><span class="visually-hidden">Source</span></th>${heads.join("")}</tr></thead><tbody role="rowgroup">${body.join("")}</tbody></table>`
      : '<p class="empty" style="padding:24px">Nothing of this kind can be connected yet.</p>';
  count();
  at = [Math.min(at[0], rows.length - 1), Math.min(at[1], data.cols.length - 1)];
  show(false);
}

const cell = (row, col) => place.querySelector(`td[data-row="${row}"][data-col="${col}"]`);

function range() {
  const [a, b] = anchor || at;
  const found = [];
  for (let row = Math.min(a, at[0]); row <= Math.max(a, at[0]); row += 1)
    for (let col = Math.min(b, at[1]); col <= Math.max(b, at[1]); col += 1) found.push([row, col]);
  return found;
}

// The row's strip is the one chosen in the other places too.
function choose(row) {
  const address = new URL(location);
  address.searchParams.delete("strips");
  address.searchParams.set("strip", row.i.split("/")[0]);
  history.replaceState(null, "", address);
}

function show(focus = true) {
  for (const one of place.querySelectorAll(".range, .here")) one.classList.remove("range", "here");
  const here = cell(...at);
  if (!here) return;
  if (anchor) for (const [row, col] of range()) cell(row, col)?.classList.add("range");
  if (here.tabIndex !== 0) {
    for (const one of place.querySelectorAll('td[tabindex="0"]')) one.tabIndex = -1;
    here.tabIndex = 0;
  }
  here.parentElement.classList.add("here");
  place.querySelector(`th[data-col="${at[1]}"]`).classList.add("here");
  if (focus && document.activeElement !== here) here.focus();
  const [row, col] = [rows[at[0]], data.cols[at[1]]];
  if (focus) choose(row);
  const routes = data.cells[`${row.i}|${col.i}`];
  const what = routes
    ? routes
        .map(
          (route) =>
            `${route.k}${route.k === "feed" && !route.g ? "" : ` ${route.p || `${minus(route.g)} dB`}`} ${route.t}${route.e ? "" : ", not on"}`,
        )
        .join("; ")
    : "not connected";
  document.getElementById("grid-here").textContent =
    `${row.n} → ${col.n}: ${typed ? `${typed} dB, Enter sets it` : what}`;
}

function send(action, values = {}) {
  const cells = range()
    .map(([row, col]) => `${rows[row].i}|${data.cols[col].i}`)
    .join(" ");
  write(url, { do: action, cells, kind: kindChoice.value, tap: tapChoice.value, grid: data.kind, ...values });
}

function toggle() {
  const has = range().every(([row, col]) => data.cells[`${rows[row].i}|${data.cols[col].i}`]);
  send(has ? "take" : "put");
}

place.addEventListener("keydown", (event) => {
  if (!event.target.matches("td") || event.ctrlKey || event.metaKey || event.altKey) return;
  const steps = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    PageUp: [-10, 0],
    PageDown: [10, 0],
    Home: [0, -999],
    End: [0, 999],
  };
  const step = steps[event.key];
  if (step) {
    anchor = event.shiftKey ? anchor || at : null;
    typed = "";
    at = [
      Math.max(0, Math.min(rows.length - 1, at[0] + step[0])),
      Math.max(0, Math.min(data.cols.length - 1, at[1] + step[1])),
    ];
    show();
  } else if (event.key === " ") toggle();
  else if (event.key === "Delete" || event.key === "Backspace") {
    if (typed) typed = typed.slice(0, -1);
    else send("take");
    show();
  } else if (/^[-0-9.,]$/.test(event.key)) {
    typed += event.key;
    show();
  } else if (event.key === "Enter" && typed) {
    send("level", { gain_db: typed });
    typed = "";
  } else if (event.key === "Escape") {
    [anchor, typed] = [null, ""];
    show();
  } else if (event.key === "f") fold(rows[at[0]].s);
  else return;
  event.preventDefault();
});

let dragging = false;
place.addEventListener("pointerdown", (event) => {
  const td = event.target.closest("td[data-row]");
  if (!td || event.button) return;
  anchor = event.shiftKey ? anchor || at : null;
  at = [Number(td.dataset.row), Number(td.dataset.col)];
  dragging = true;
  show();
});
place.addEventListener("pointerover", (event) => {
  const td = dragging && event.target.closest("td[data-row]");
  if (!td) return;
  anchor ??= at;
  at = [Number(td.dataset.row), Number(td.dataset.col)];
  show(false);
});
addEventListener("pointerup", () => (dragging = false));
place.addEventListener("dblclick", (event) => event.target.closest("td[data-row]") && toggle());

function fold(section) {
  if (!folded.delete(section)) folded.add(section);
  anchor = null;
  draw();
}
place.addEventListener("click", (event) => {
  const button = event.target.closest("button[data-fold]");
  if (button) fold(button.dataset.fold);
});
filter.addEventListener("input", draw);

document.addEventListener("htmx:afterSwap", (event) => {
  if (event.target.id !== "notice") return;
  const had = document.activeElement?.matches("#grid td, body");
  update();
  show(had);
});

function goTo(strip) {
  const row = data.rows.find((one) => one.i === strip || one.i.startsWith(`${strip}/`));
  if (!row) return;
  if (folded.delete(row.s) || filter.value) {
    filter.value = "";
    draw();
  }
  at = [rows.indexOf(row), at[1]];
  anchor = null;
  show();
  cell(...at)?.scrollIntoView({ block: "center" });
}

read();
offer(goTo, [
  { n: "Fold all rows", run: () => ((folded = new Set(data.rows.map((row) => row.s))), draw()) },
  { n: "Open all rows", run: () => ((folded = new Set()), draw()) },
  { n: "Filter the rows", run: () => filter.focus() },
]);
goTo(new URLSearchParams(location.search).get("strip"));
document.body.dataset.ready = "true";
