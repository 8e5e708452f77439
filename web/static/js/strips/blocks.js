// Blocks of cells: copied and pasted as tabs and lines, emptied, filled down. One edit each; of more than one strip with
// a preview first.

import { at, columnAt, corners, idAt, lastColumn, lastRow } from "./grid.js";
import { record, textOf } from "./rows.js";

export function isOfOneCell() {
  const { top, bottom, left, right } = corners();
  return top === bottom && left === right;
}

function* cells() {
  const { top, bottom, left, right } = corners();
  for (let row = top; row <= bottom; row += 1) for (let col = left; col <= right; col += 1) yield [row, col];
}

// ---- copy

export function copied() {
  const { top, bottom, left, right } = corners();
  const lines = [];
  for (let row = top; row <= bottom; row += 1) {
    const line = [];
    for (let col = left; col <= right; col += 1) line.push(quoted(textOf(idAt(row), columnAt(col).name)));
    lines.push(line.join("\t"));
  }
  return lines.join("\n");
}

const quoted = (text) => (/[\t\n"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

// ---- paste

// Lines and tabs; a spreadsheet quotes cells that have either of them in them.
export function parsed(text) {
  const [lines, plain] = [[[]], text.replaceAll("\r\n", "\n").replace(/\n$/, "")];
  let [cell, isQuoted] = ["", false];
  for (let n = 0; n < plain.length; n += 1) {
    const sign = plain[n];
    if (isQuoted && sign === '"' && plain[n + 1] === '"') [cell, n] = [`${cell}"`, n + 1];
    else if (sign === '"' && (isQuoted || cell === "")) isQuoted = !isQuoted;
    else if (!isQuoted && (sign === "\t" || sign === "\n")) {
      lines.at(-1).push(cell);
      cell = "";
      if (sign === "\n") lines.push([]);
    } else cell += sign === "\n" ? "⏎" : sign;
  }
  lines.at(-1).push(cell);
  return lines;
}

// The cells that a pasted block changes; a sentence where it does not fit.
export function pasted(text) {
  const block = parsed(text);
  const { top, bottom, left, right } = corners();
  const [height, width] = [block.length, Math.max(...block.map((line) => line.length))];
  const isOneLine = height === 1;
  const [tall, wide] = [isOneLine ? bottom - top + 1 : height, isOneLine && width === 1 ? right - left + 1 : width];
  const tooWide = left + wide - 1 - lastColumn();
  if (tooWide > 0)
    return { problem: `The block is ${count(tooWide, "column")} wider than the table from here. Nothing was pasted.` };
  const tooTall = top + tall - 1 - lastRow();
  if (tooTall > 0)
    return {
      problem: `The block is ${count(tooTall, "row")} longer than the table from here. Nothing was pasted. Add strips takes rows as new strips.`,
    };
  const changed = [];
  for (let row = 0; row < tall; row += 1)
    for (let col = 0; col < wide; col += 1) {
      const line = block[isOneLine ? 0 : row];
      const said = isOneLine && width === 1 ? line[0] : line[col];
      if (said !== undefined) changed.push(cell(top + row, left + col, said));
    }
  return { cells: changed.filter(isOther) };
}

const count = (number, word) => `${number} ${word}${number === 1 ? "" : "s"}`;
const cell = (row, col, text) => ({ id: idAt(row), name: columnAt(col).name, text: text.trim() });
const isOther = ({ id, name, text }) => text !== (record(id)?.[name] ?? "") || !columnTyped(name);
const columnTyped = (name) => {
  for (let col = 0; col <= lastColumn(); col += 1) if (columnAt(col).name === name) return columnAt(col).typed;
  return false;
};

// ---- emptied, filled

export const emptied = () =>
  [...cells()]
    .filter(([, col]) => columnAt(col).typed && !["name", "kind", "layout"].includes(columnAt(col).name))
    .map(([row, col]) => cell(row, col, ""))
    .filter(isOther);

export function filled() {
  const { top } = corners();
  return [...cells()]
    .filter(([row, col]) => row > top && columnAt(col).typed)
    .map(([row, col]) => cell(row, col, record(idAt(top))[columnAt(col).name]))
    .filter(isOther);
}

export const selectAllCells = () => {
  at.anchor = { row: 0, col: 0 };
  [at.row, at.col] = [lastRow(), lastColumn()];
};
