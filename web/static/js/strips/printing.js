// Printed: every row as a plain table, since rows out of sight are no elements.

import { column, view } from "./columns.js";
import { lookOf, rows } from "./rows.js";

addEventListener("beforeprint", () => document.body.append(printed()));
addEventListener("afterprint", () => document.getElementById("printed")?.remove());

const element = (name, fields, ...inside) => {
  const made = Object.assign(document.createElement(name), fields);
  made.append(...inside);
  return made;
};
const line = (name, texts) => element("tr", {}, ...texts.map((textContent) => element(name, { textContent })));

function printed() {
  const heads = view.columns.map((name) => column(name).label);
  const lines = rows.shown.map((id) => view.columns.map((name) => lookOf(id, name)));
  return element(
    "table",
    { id: "printed", className: "table ruled printed" },
    element("thead", {}, line("th", heads)),
    element("tbody", {}, ...lines.map((texts) => line("td", texts))),
  );
}
