// The filters above the table: choices of what its strips have.

import { sent } from "../data.js";
import { view } from "./columns.js";
import { choicesOf } from "./rows.js";

export const filters = document.getElementById("table-filters");

export function showFilters() {
  const isAny = Object.values(view.filters).some(Boolean);
  filters.querySelector("[type=reset]").hidden = !isAny;
  for (const [name, [none, values]] of Object.entries(choices())) {
    const select = filters.elements[name];
    select.replaceChildren(new Option(none, ""), ...values.map(([value, words]) => new Option(words, value)));
    select.value = view.filters[name];
    select.hidden = values.length < 2 && !view.filters[name];
  }
  if (document.activeElement !== filters.elements.q) filters.elements.q.value = view.filters.q;
}
const plain = (values) => values.map((value) => [value, value]);
const choices = () => ({
  kind: ["any kind", plain(sent("words-data").kind.filter((kind) => choicesOf("kind").includes(kind)))],
  section: ["any section", [...plain(choicesOf("section")), ["-", "no section"]]],
  machine: ["any machine", plain(choicesOf("machine"))],
  tag: ["any tag", plain(choicesOf("tag"))],
  finding: ["any findings", FOUND],
});
const FOUND = [
  ["any", "with findings"],
  ["blocker", "worst a blocker"],
  ["warning", "worst a warning"],
  ["note", "worst a note"],
  ["none", "without findings"],
];
