// A cell being changed: a field over it, with what completes the typed text. Enter and Tab keep it, Escape leaves it.

import { now, sent } from "../data.js";
import { kindsBetween } from "../chooser.js";
import { Listbox, MOST } from "../listbox.js";
import { ranked } from "../ranking.js";
import { at, cellAt, columnAt, goTo, idAt, refused, ROW, table } from "./grid.js";
import { expect, isWaiting, record, textOf } from "./rows.js";

const WORDS = sent("words-data");
const OPEN_ENDED = new Set(["section", "state", "tags", "inserts"]); // may have words that no list has
const ENDS = { to: ["feed", "midi", "tie"], sends: ["send"], keys: ["key"], plays: ["midi"] };

let open = null; // { id, column, input, list, holder, before }
export const isOpen = () => open !== null;

export function edit(text = null, { sentence = "" } = {}) {
  const [id, column] = [idAt(at.row), columnAt(at.col)];
  const cell = cellAt(at.row, at.col);
  if (!cell || at.row < 0 || !column.typed) return false;
  const wrong = refused.get(`${id} ${column.name}`);
  const input = element("input", { className: `cell-input${column.figure ? " num" : ""}`, autocomplete: "off" });
  input.value = text ?? wrong?.text ?? record(id)?.[column.name] ?? "";
  input.setAttribute("aria-label", `${record(id)?.name}, ${column.label}`);
  input.setAttribute("role", "combobox");
  input.setAttribute("aria-expanded", "false");
  input.setAttribute("aria-controls", "cell-list");
  const list = element("ul", { className: "cell-list", id: "cell-list", hidden: true });
  list.role = "listbox";
  const words = element("p", { className: "cell-sentence", id: "cell-sentence" });
  words.role = "alert";
  words.textContent = sentence || wrong?.sentence || "";
  words.hidden = !words.textContent;
  if (!words.hidden) {
    input.setAttribute("aria-invalid", "true");
    input.setAttribute("aria-describedby", "cell-sentence");
  }
  const holder = element("div", { className: "cell-editor" });
  holder.append(input, list, words);
  table.append(holder);
  put(holder, cell);
  open = { id, column, input, list: new Listbox(input, list, take), holder, before: input.value };
  input.addEventListener("input", complete);
  input.addEventListener("keydown", press);
  input.addEventListener("blur", () => open?.input === input && close(true));
  input.focus({ preventScroll: true });
  if (text === null) input.setSelectionRange(input.value.length, input.value.length);
  if (text !== null) complete();
  return true;
}

const element = (name, fields) => Object.assign(document.createElement(name), fields);

// Over its cell, and as wide as the text wants.
function put(holder, cell) {
  const row = cell.parentElement;
  for (const [name, value] of [
    ["--left", cell.offsetLeft],
    ["--top", (Number(row.dataset.row) + 1) * ROW],
    ["--width", cell.offsetWidth],
  ])
    holder.style.setProperty(name, `${value}px`);
}

// ---- what completes the text: the part behind the last semicolon, before its level

function parts() {
  const { value } = open.input;
  const start = value.lastIndexOf(";") + 1;
  const part = value.slice(start);
  const [place, ...levels] = part.split("@");
  const outlet = place.lastIndexOf(">") + 1;
  return {
    before: value.slice(0, start),
    prefix: place.slice(0, outlet).trim(),
    fragment: place.slice(outlet).trim(),
    level: levels.length ? `@${levels.join("@")}` : "",
  };
}

function candidates() {
  const { column, id } = open;
  const kinds = ENDS[column.name];
  if (!kinds) return (WORDS[column.name] ?? []).map((name) => ({ name, text: name }));
  const from = now("strips").get(id);
  const ends = [...now("strips").values()].filter(
    (to) => from && to.id !== id && kindsBetween(from, to).some((kind) => kinds.includes(kind)),
  );
  return column.name === "keys" ? ends.flatMap(keyed) : ends.map(asEnd);
}

// A strip as a cell names it: by its name, or by its id where others have the name or signs are in it.
const isPlain = (name) => !/[;/@>\t]|=/.test(name) && !/\s(pre|post|disabled|automated)/.test(name);
function asEnd(to) {
  const isAlone = [...now("strips").values()].filter((one) => same(one.name, to.name)).length === 1;
  return { ...to, text: isAlone && isPlain(to.name) ? to.name : to.id };
}
const keyed = (to) =>
  to.keyable.map(([insert, name]) => ({ name: `${to.name}/${name}`, text: `${asEnd(to).text}/${insert}` }));
const same = (a, b) => a.toLowerCase() === b.toLowerCase();

function complete() {
  const { fragment } = parts();
  const { column } = open;
  const found = fragment || !ENDS[column.name] ? ranked(candidates(), fragment).slice(0, MOST) : [];
  const isWhole = found.some((one) => same(one.text, fragment));
  const shown = isWhole || !fragment ? [] : found;
  open.list.show(shown, shown.length && !OPEN_ENDED.has(column.name) ? 0 : -1);
}

// The level that was typed behind an @ stays.
function take({ text }) {
  const { before, prefix, level } = parts();
  open.input.value = `${before}${before ? " " : ""}${prefix}${text}${level}`;
  open.list.close();
}

// ---- keys

const GO_ON = { Enter: [1, 0], Tab: [0, 1] };

function press(event) {
  event.stopPropagation();
  const { key } = event;
  if ((key === "ArrowDown" || key === "ArrowUp") && open.list.found.length)
    open.list.walk(key === "ArrowDown" ? 1 : -1);
  else if (key === "ArrowDown" || key === "ArrowUp") {
    leave(true, [key === "ArrowDown" ? 1 : -1, 0]);
  } else if (key in GO_ON) {
    if (open.list.entry) take(open.list.entry);
    const [down, right] = GO_ON[key];
    leave(true, event.shiftKey ? [-down, -right] : [down, right], key === "Tab");
  } else if (key === "Escape") {
    refused.delete(`${open.id} ${open.column.name}`);
    leave(false, [0, 0]);
  } else return;
  event.preventDefault();
}

function leave(isKept, [down, right], goesOn = false) {
  close(isKept);
  goTo(at.row + down, at.col + right);
  if (goesOn) edit();
}

let post = () => {};
export const whenTyped = (deed) => (post = deed);

function close(isKept) {
  const { id, column, input, holder, before } = open;
  const key = `${id} ${column.name}`;
  open = null; // before the field goes: its blur is no second end
  holder.remove();
  const text = input.value;
  const isNew = text !== before || refused.has(key);
  if (isKept && isNew && record(id)) {
    refused.delete(key);
    const cells = [{ id, name: column.name, text }];
    if (text !== textOf(id, column.name) || isWaiting(id, column.name)) {
      expect(cells);
      post(cells);
    }
  }
}

export function closeEditor() {
  if (open) close(true);
}
