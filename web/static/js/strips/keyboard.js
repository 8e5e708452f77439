// Keys of the table, as the ARIA grid pattern has them.

import { begin, move, openDetails } from "./active.js";
import { sortBy } from "./arranging.js";
import { emptied, filled } from "./blocks.js";
import { isOpen } from "./editing.js";
import { at, lastColumn, lastRow, place, ROW, table } from "./grid.js";
import { clearSelected, selectRows } from "./selecting.js";
import { change } from "./sending.js";

const PAGE = () => Math.max(1, Math.floor(place.clientHeight / ROW) - 2);
const STEPS = {
  ArrowUp: () => [-1, 0],
  ArrowDown: () => [1, 0],
  ArrowLeft: () => [0, -1],
  ArrowRight: () => [0, 1],
  PageUp: () => [-PAGE(), 0],
  PageDown: () => [PAGE(), 0],
};

function jump(event) {
  const isFar = event.ctrlKey || event.metaKey;
  if (event.key === "Home") return [isFar ? 0 : at.row, 0];
  if (event.key === "End") return [isFar ? lastRow() : at.row, lastColumn()];
  const [down, right] = STEPS[event.key]();
  if (isFar && down) return [down < 0 ? 0 : lastRow(), at.col];
  if (isFar) return [at.row, right < 0 ? 0 : lastColumn()];
  return [at.row + down, at.col + right];
}

const isMove = (event) => event.key in STEPS || event.key === "Home" || event.key === "End";

const WITH_CONTROL = {
  a: () => move(0, 0) ?? move(lastRow(), lastColumn(), { extend: true }),
  d: () => change(filled()),
};

const PLAIN = {
  Enter: () => (at.row < 0 ? sortBy(at.col) : begin()),
  F2: () => begin(),
  Delete: () => change(emptied()),
  Backspace: () => change(emptied()),
  " ": () => (at.row < 0 ? sortBy(at.col) : selectRows()),
  Escape: () => (at.anchor ? move(at.row, at.col) : clearSelected()),
};

function press(event) {
  const { key } = event;
  if (isMove(event)) move(...jump(event), { extend: event.shiftKey });
  else if (event.altKey && key === "Enter") openDetails();
  else if (event.ctrlKey || event.metaKey || event.altKey) {
    if (!WITH_CONTROL[key]) return;
    WITH_CONTROL[key]();
  } else if (PLAIN[key]) PLAIN[key]();
  else if (key.length === 1 && key !== "/" && key !== "?" && at.row >= 0) begin(key);
  else return;
  event.preventDefault();
  event.stopPropagation();
}

table.addEventListener("keydown", (event) => !isOpen() && press(event));
