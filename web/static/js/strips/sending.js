// What is sent: cells of one strip at once, of several strips with a preview. Refused cells open again.

import { write } from "../server.js";
import { column, view } from "./columns.js";
import { edit, isOpen, whenTyped } from "./editing.js";
import { goTo, redraw, refused, table } from "./grid.js";
import { expect, record, rows, settle, settleAll } from "./rows.js";
import { panel, showSelected } from "./selecting.js";
import { tell } from "./words.js";

const base = document.getElementById("state").dataset.base.replace(/map\/$/, "");

const lines = (cells) =>
  cells.map(({ id, name, text }) => `${id}\t${name}\t${text.replace(/\s*\n\s*/g, "⏎")}`).join("\n");
let sentCells = []; // of the write under way
let isPreview = false; // the side panel shows one

export function change(cells) {
  if (!cells.length) return;
  const strips = new Set(cells.map((one) => one.id));
  if (strips.size > 1) return preview(cells, strips);
  expect(cells);
  redraw();
  send(cells);
}

function send(cells) {
  write(`${base}write/set_cells/`, { cells: lines(cells) }).then(() => {
    settle(cells.filter(({ id, name, text }) => !isSentAgain(id, name, text)));
    sentCells = sentCells.filter((one) => !cells.includes(one));
    redraw();
  });
  sentCells.push(...cells);
}
const isSentAgain = (id, name, text) =>
  sentCells.filter((one) => one.id === id && one.name === name).some((one) => one.text !== text);

function preview(cells, strips) {
  settleAll();
  expect(cells);
  redraw();
  panel.replaceChildren();
  panel.hidden = false;
  isPreview = true;
  write(`${base}panel/preview/set_cells/`, { cells: lines(cells), strips: [...rows.selected].join(" ") }).then(() => {
    if (!panel.querySelector("#do-it")) endPreview(); // refused: the reason is in a note
  });
  tell(`Preview of ${cells.length} cells of ${strips.size} strips`);
}

function endPreview() {
  isPreview = false;
  settleAll();
  showSelected();
  redraw();
  table.querySelector('[tabindex="0"]')?.focus({ preventScroll: true });
}

whenTyped(send);

// A refused cell opens again with its sentence; if another is being changed meanwhile, it is marked.
document.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr, requestConfig } = event.detail;
  if (xhr.status !== 422 || !requestConfig.path.endsWith("/write/set_cells/")) return;
  const [cell, ...others] = sentCells.filter((one) => lines([one]) === requestConfig.parameters.cells);
  if (!cell || others.length || !column(cell.name).typed || !record(cell.id)) return;
  const page = new DOMParser().parseFromString(xhr.responseText, "text/html");
  const sentence = [...page.querySelectorAll("li")].map((one) => one.textContent.trim()).join(" ");
  event.detail.shouldSwap = false;
  refused.set(`${cell.id} ${cell.name}`, { text: cell.text, sentence });
  settle([cell]);
  reopen(cell, sentence);
});

function reopen({ id, name }, sentence) {
  const [row, col] = [rows.shown.indexOf(id), view.columns.indexOf(name)];
  redraw();
  if (isOpen() || isPreview || row < 0 || col < 0) return tell(sentence);
  goTo(row, col);
  edit(null, { sentence });
}

// A preview without a selection behind it closes with Cancel.
panel.addEventListener(
  "click",
  (event) => {
    const button = event.target.closest("button");
    if (!isPreview || !button?.dataset.get) return;
    event.stopPropagation();
    endPreview();
  },
  true,
);

document.addEventListener("htmx:afterRequest", (event) => {
  const isDone = event.detail.requestConfig.path.endsWith("/write/planned/") && event.detail.xhr.status === 200;
  if (isPreview && isDone) endPreview();
});
