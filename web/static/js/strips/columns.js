// Columns of the table of strips: those shown, their order, the sort and the filters. All of it stands in the address;
// columns and sort are remembered for the next visit.

import { sent } from "../data.js";

const REMEMBERED = "lattice.strips.columns";
const FILTERS = ["q", "kind", "section", "machine", "tag", "finding"];
const ALL = sent("columns-data");
const known = new Map(ALL.map((column) => [column.name, column]));
const usual = () => ALL.filter((column) => column.shown).map((column) => column.name);

export const view = { columns: [], sort: "", way: "up", filters: {} };
export const filterNames = FILTERS;
export const all = () => ALL;
export const column = (name) => known.get(name);
export const shownColumns = () => view.columns.map(column);

export function readAddress() {
  const address = new URLSearchParams(location.search);
  const kept = JSON.parse(localStorage.getItem(REMEMBERED) || "{}");
  const asked = address.get("columns")?.split(",") ?? kept.columns ?? usual();
  const there = asked.filter((name) => known.has(name));
  view.columns = withName(there.length ? there : usual());
  view.sort = known.has(address.get("sort")) ? address.get("sort") : (kept.sort ?? "");
  view.way = address.get("way") ?? kept.way ?? "up";
  view.filters = Object.fromEntries(FILTERS.map((name) => [name, address.get(name) ?? ""]));
}

// The name stays first: it says which strip a row is.
const withName = (names) => ["name", ...names.filter((name) => name !== "name")];

export function writeAddress() {
  const address = new URL(location);
  const isUsual = view.columns.join() === usual().join();
  const said = { ...view.filters, columns: isUsual ? "" : view.columns.join(), sort: view.sort };
  said.way = view.sort && view.way === "down" ? "down" : "";
  for (const [name, value] of Object.entries(said))
    if (value) address.searchParams.set(name, value);
    else address.searchParams.delete(name);
  history.replaceState(null, "", address);
  const { columns, sort, way } = view;
  localStorage.setItem(REMEMBERED, JSON.stringify({ columns, sort, way }));
}

// First press sorts, the second in reverse, the third gives the order of the session again.
export function turnSort(name) {
  if (view.sort !== name) [view.sort, view.way] = [name, column(name).figure ? "down" : "up"];
  else if (view.way === (column(name).figure ? "down" : "up")) view.way = view.way === "up" ? "down" : "up";
  else [view.sort, view.way] = ["", "up"];
}

// ---- the dialog: a tick and two arrows a column

const dialog = document.getElementById("columns");
const list = document.getElementById("column-list");

export function chooseColumns(whenChanged) {
  const change = (columns) => {
    view.columns = withName(columns);
    whenChanged();
    draw(change);
  };
  draw(change);
  dialog.returnValue = "";
  dialog.addEventListener("close", () => dialog.returnValue === "usual" && change(usual()), { once: true });
  dialog.showModal();
}

function draw(change) {
  const hidden = ALL.map((one) => one.name).filter((name) => !view.columns.includes(name));
  list.replaceChildren(...[...view.columns, ...hidden].map((name) => line(name, change)));
}

function line(name, change) {
  const item = document.createElement("li");
  const at = view.columns.indexOf(name);
  const label = document.createElement("label");
  const tick = document.createElement("input");
  Object.assign(tick, { type: "checkbox", checked: at >= 0, disabled: name === "name", id: `column-${name}` });
  tick.addEventListener("change", () => {
    change(tick.checked ? [...view.columns, name] : view.columns.filter((one) => one !== name));
    document.getElementById(tick.id).focus();
  });
  label.append(tick, ` ${column(name).label}`);
  item.append(label, mover(name, at, -1, change), mover(name, at, 1, change));
  return item;
}

function mover(name, at, step, change) {
  const button = document.createElement("button");
  const words = step < 0 ? "left" : "right";
  Object.assign(button, {
    type: "button",
    className: "btn plain small",
    id: `column-${name}-${words}`,
    textContent: step < 0 ? "←" : "→",
    ariaLabel: `${column(name).label} to the ${words}`,
    disabled: at < 1 || at + step < 1 || at + step >= view.columns.length,
  });
  button.addEventListener("click", () => {
    const columns = view.columns.toSpliced(at, 1).toSpliced(at + step, 0, name);
    change(columns);
    document.getElementById(button.id).focus();
  });
  return button;
}
