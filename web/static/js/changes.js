// Answers to edits bring the changed pieces of a page in templates: their list, the ids of all of its pieces if they
// or their order changed, and the page's new version of the list (data-shown).

import { patchTable } from "./data.js";

function put(template) {
  const { into, token, keys, size, table, drawing } = template.dataset;
  const list = document.getElementById(into);
  if (table) {
    const change = JSON.parse(template.content.textContent);
    return patchTable(into, token, change);
  }
  if (!list) return null;
  const inside = drawing ? template.content.firstElementChild : template.content;
  const fresh = new Map([...inside.children].map((piece) => [piece.id, piece]));
  if (keys === undefined) for (const piece of fresh.values()) document.getElementById(piece.id)?.replaceWith(piece);
  else reorder(list, keys.split(" ").filter(Boolean), fresh);
  if (size) resize(list.ownerSVGElement, size);
  list.dataset.shown = token;
  for (const piece of fresh.values()) htmx.process(piece);
  return null;
}

// Unchanged pieces keep their place in the page, with focus and expanded content.
function reorder(list, keys, fresh) {
  const kept = new Map([...list.children].map((piece) => [piece.id, piece]));
  const wanted = new Set(keys);
  for (const [id, piece] of kept) if (!wanted.has(id)) piece.remove();
  let at = list.firstElementChild;
  for (const key of keys) {
    const old = kept.get(key);
    const piece = fresh.get(key) ?? old;
    if (!piece) continue;
    if (old && piece !== old) {
      if (at === old) at = piece;
      old.replaceWith(piece);
    }
    if (piece === at) at = at.nextElementSibling;
    else list.insertBefore(piece, at);
  }
}

// An issue keeps its first number for as long as the page is open: added and removed issues renumber nothing. A new
// one gets its current number, or the next free one.
const marks = new Map();
const taken = new Set();
let highest = 0;

function numberOf(key, given) {
  if (!marks.has(key)) {
    const mark = taken.has(given) ? highest + 1 : given;
    marks.set(key, mark);
    taken.add(mark);
    highest = Math.max(highest, mark);
  }
  return marks.get(key);
}

function number() {
  for (const one of document.querySelectorAll("[data-no]")) {
    const kept = numberOf(one.dataset.no, Number(one.textContent));
    if (Number(one.textContent) !== kept) one.textContent = kept;
    one.classList.toggle("long", kept > 99);
  }
}
number();
for (const name of ["htmx:afterSwap", "htmx:oobAfterSwap", "lattice:changed"]) document.addEventListener(name, number);

function resize(svg, size) {
  const [width, height] = size.split(" ");
  svg.setAttribute("width", width);
  svg.setAttribute("height", height);
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
}

// The versions of the page's lists, so that the server can answer with less.
export const shown = () =>
  [...document.querySelectorAll("[data-shown]")].map((one) => `${one.id}:${one.dataset.shown}`).join(" ");

document.addEventListener("htmx:oobAfterSwap", (event) => {
  const holder = event.detail.target;
  if (holder?.id !== "changes") return;
  for (const template of holder.querySelectorAll("template")) put(template);
  holder.replaceChildren();
  if (isTold) return;
  isTold = true;
  queueMicrotask(tell);
});

// The event of a swap comes for each of its parts; the page is told once of all of them.
let isTold = false;
function tell() {
  isTold = false;
  document.dispatchEvent(new CustomEvent("lattice:changed"));
}
