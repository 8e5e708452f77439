// The rows of the table: the records of the strips, narrowed by the filters and sorted.

import { now } from "../data.js";
import { column, view } from "./columns.js";

const SEVERITIES = ["blocker", "warning", "note"];
const inOrder = new Intl.Collator("en", { numeric: true, sensitivity: "base" }).compare;

export const rows = { shown: [], selected: new Set() };
const waiting = new Map(); // “id column” → text that the server has not answered yet, or that a preview shows

export const record = (id) => now("cells").get(id);
export const typed = (id, name) => record(id)?.[name] ?? "";
const keyOf = (id, name) => `${id} ${name}`;

export const isWaiting = (id, name) => waiting.has(keyOf(id, name));
// The text of a cell as it is typed and copied, and as it is read in the table.
export const textOf = (id, name) => waiting.get(keyOf(id, name)) ?? plainText(record(id), name);
export function lookOf(id, name) {
  const text = textOf(id, name);
  return name === "inserts" ? insertNames(text) : column(name).figure ? text.replace(/^-/, "−") : text;
}
export const expect = (cells) => cells.forEach(({ id, name, text }) => waiting.set(keyOf(id, name), text));
export const settle = (cells) => cells.forEach(({ id, name }) => waiting.delete(keyOf(id, name)));
export const settleAll = () => waiting.clear();

// Inserts by their names; settings are for the cell being changed.
const insertNames = (text) => text.split(";").map(nameOf).join("; ");

function nameOf(entry) {
  const [said, names = ""] = entry.split("=");
  const name = names.split("|")[0].trim() || said.trim().split(/[\s:]/)[0];
  const state = /\b(bypassed|unloaded)\b/.exec(said)?.[0];
  return state ? `${name} (${state})` : name;
}

function plainText(one, name) {
  if (!one) return "";
  if (name === "likely") return (one.rests ? "~ " : "") + one.likely;
  if (name === "arrives") return one.arrives === null ? "" : String(one.arrives);
  if (name === "findings") return one.findings ? `${one.worst} ${one.findings}` : "";
  return one[name];
}

// ---- filters

const tagsOf = (one) => one.tags.split(/[;\s]+/).filter(Boolean);
const FILTERS = {
  q: (one, value) => {
    const text = `${one.name} ${one.kind} ${one.layout} ${one.section} ${one.to} ${one.tags}`.toLowerCase();
    return value
      .toLowerCase()
      .split(/\s+/)
      .every((word) => text.includes(word));
  },
  kind: (one, value) => one.kind === value,
  section: (one, value) => one.section === (value === "-" ? "" : value),
  machine: (one, value) => one.machine === value,
  tag: (one, value) => tagsOf(one).includes(value),
  finding: (one, value) =>
    value === "none" ? !one.findings : value === "any" ? Boolean(one.findings) : one.worst === value,
};

const admits = (one) => Object.entries(view.filters).every(([name, value]) => !value || FILTERS[name](one, value));

export function choicesOf(name) {
  const all = [...now("cells").values()];
  const values = name === "tag" ? all.flatMap(tagsOf) : all.map((one) => one[name]).filter(Boolean);
  return [...new Set(values)];
}

// ---- order

function valueOf(one, name) {
  if (name === "findings") return one.findings ? (3 - SEVERITIES.indexOf(one.worst)) * 1e6 + one.findings : -1;
  if (!column(name).figure) return one[name];
  const number = Number.parseFloat(String(one[name] ?? "").replace("−", "-"));
  return Number.isNaN(number) ? -Infinity : number;
}

function byColumn(a, b) {
  const [one, other] = [valueOf(a, view.sort), valueOf(b, view.sort)];
  const way = view.way === "down" ? -1 : 1;
  return way * (typeof one === "string" ? inOrder(one, other) : one === other ? 0 : one < other ? -1 : 1);
}

// Narrow and sort anew, as after a change of the filters.
export function arrange() {
  const found = [...now("cells").values()].filter(admits);
  if (view.sort) found.sort(byColumn);
  rows.shown = found.map((one) => one.id);
}

// After an answer the rows keep their places, so that a cell just typed does not jump away; removed ones go, new ones
// come where they are in the session.
export function refresh() {
  const all = now("cells");
  const kept = rows.shown.filter((id) => all.has(id));
  const there = new Set(rows.shown);
  const isNew = [...all.keys()].some((id) => !there.has(id) && admits(all.get(id)) && !known.has(id));
  for (const id of all.keys()) known.add(id);
  if (isNew) arrange();
  else rows.shown = kept;
  for (const id of rows.selected) if (!all.has(id)) rows.selected.delete(id);
}
const known = new Set();
export const remember = () => {
  for (const id of now("cells").keys()) known.add(id);
};
