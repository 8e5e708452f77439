// Pages of text: the selected strip, side-chains, drag of inserts, routes from strip details.

import { Chooser, endsOf } from "./chooser.js";
import { finder, offer } from "./commands.js";
import { now } from "./data.js";
import { keepPasted, whenPasted } from "./forms.js";
import { openMatter } from "./matters.js";
import { write } from "./server.js";
import "./panners.js";
import "./shared.js";

const body = document.getElementById("place-body");
const state = document.getElementById("state");
const base = state.dataset.base.replace(/map\/$/, "");
const onSheet = () => document.getElementById("state").dataset.place === "strips";
const chosen = () => new URLSearchParams(location.search).get("strip");
const chooser = new Chooser((edit, values) => write(`${base}write/${edit}/`, values));

// ---- rows pasted on Strips are added on the map

if (onSheet())
  whenPasted((text) => {
    keepPasted(text);
    location.assign(`${base}map/?open=add`);
  });

// ---- the selected strip: marked wherever it is named, and part of the address

function choose(id) {
  const address = new URL(location);
  address.searchParams.delete("strips");
  address.searchParams.set("strip", id);
  if (onSheet()) location.assign(address);
  else {
    history.replaceState(null, "", address);
    mark(true);
  }
}

function mark(show = false) {
  const id = chosen();
  for (const one of body.querySelectorAll(".chosen-row")) one.classList.remove("chosen-row");
  const named = id ? [...body.querySelectorAll(`[data-names~="${id}"]`)] : [];
  for (const one of named) one.classList.add("chosen-row");
  if (show && named.length && !named.some(inSight)) named[0].scrollIntoView({ block: "center" });
}

function inSight(element) {
  const rect = element.getBoundingClientRect();
  return rect.bottom > 60 && rect.top < innerHeight;
}

// ---- routes from strip details

function askConnect() {
  if (!onSheet() || !chosen()) return;
  const froms = () => [now("strips").get(chosen())].filter(Boolean);
  finder.ask(
    `${froms()[0]?.name ?? "This strip"} → destination`,
    (to, end) => chooser.open(froms(), now("strips").get(to) ?? end, null, [innerWidth / 2, 120]),
    endsOf(froms),
  );
}

// ---- inserts: dragged by the grip, or moved with the arrow keys when it has focus

const rungs = () => [...body.querySelectorAll(".rung[data-insert]")];
let drag = null;

function placeAt(y) {
  const at = rungs().findIndex((rung) => {
    const rect = rung.getBoundingClientRect();
    return y < rect.top + rect.height / 2;
  });
  return at < 0 ? rungs().length : at;
}

function moveTo(insert, from, to) {
  if (to !== from && to >= 0 && to < rungs().length) write(`${base}write/move_insert/`, { insert, to });
}

body.addEventListener("pointerdown", (event) => {
  const grip = event.target.closest(".grip");
  if (!grip || event.button) return;
  const rung = grip.closest(".rung");
  drag = { rung, from: rungs().indexOf(rung) };
  grip.setPointerCapture(event.pointerId);
  rung.classList.add("dragged");
  event.preventDefault();
  grip.focus();
});

body.addEventListener("pointermove", (event) => {
  if (!drag) return;
  drag.to = placeAt(event.clientY);
  for (const one of body.querySelectorAll(".drop-before, .drop-after"))
    one.classList.remove("drop-before", "drop-after");
  const all = rungs();
  if (drag.to < all.length) all[drag.to].classList.add("drop-before");
  else all.at(-1).classList.add("drop-after");
});

function drop(keep) {
  if (!drag) return;
  const { rung, from, to } = drag;
  drag = null;
  rung.classList.remove("dragged");
  for (const one of body.querySelectorAll(".drop-before, .drop-after"))
    one.classList.remove("drop-before", "drop-after");
  if (keep && to !== undefined) moveTo(rung.dataset.insert, from, to > from ? to - 1 : to);
}
body.addEventListener("pointerup", () => drop(true));
body.addEventListener("pointercancel", () => drop(false));

body.addEventListener("keydown", (event) => {
  const grip = event.target.closest(".grip");
  if (!grip || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
  event.preventDefault();
  const rung = grip.closest(".rung");
  const from = rungs().indexOf(rung);
  moveTo(rung.dataset.insert, from, from + (event.key === "ArrowUp" ? -1 : 1));
});

// ---- Levels: any strip as the end

function askEnd() {
  finder.ask("Levels to", (to) => {
    const address = new URL(location);
    address.searchParams.set("to", to);
    address.searchParams.delete("at");
    location.assign(address);
  });
}

// ---- buttons, keys, commands

body.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  if (button.matches(".finding-line")) pressFinding(button.closest(".finding"));
  if (button.dataset.choose) choose(button.dataset.choose);
  if (button.dataset.do === "connect") askConnect();
  if (button.dataset.do === "levels-to") askEnd();
  if (button.dataset.do === "discard") location.reload();
  if (button.dataset.cell) {
    const form = button.closest(".instrument").querySelector(".sequence");
    [form.port.value, form.channel.value] = button.dataset.cell.split(".");
    form.channel.focus();
    form.channel.select();
  }
});

function pressFinding(row) {
  if (row.matches(".matter")) openMatter(row, !row.classList.contains("open"));
  else {
    const isOpen = row.classList.toggle("chosen");
    row.querySelector(".finding-line").setAttribute("aria-expanded", isOpen);
  }
}

// A selected file is read into its field, so that the user can check it before Save.
body.addEventListener("change", async (event) => {
  const field = document.getElementById(event.target.dataset?.fill || "");
  const file = field && event.target.files[0];
  if (!file) return;
  const packed = document.getElementById(event.target.dataset.packs || "");
  const isWorkbook = packed && /\.(xlsx|ods)$/i.test(file.name);
  if (packed) packed.value = isWorkbook ? await asBase64(file) : "";
  field.value = isWorkbook ? "" : await file.text();
});

// A workbook is not text: it is sent encoded.
const asBase64 = (file) =>
  new Promise((done) => {
    const reader = new FileReader();
    reader.addEventListener("load", () => done(reader.result.split(",")[1]));
    reader.readAsDataURL(file);
  });

const follow = (id) => document.getElementById(id)?.getAttribute("href") && document.getElementById(id).click();
const KEYS = {
  c: askConnect,
  o: () => !onSheet() && chosen() && location.assign(`${base}strips/?strip=${encodeURIComponent(chosen())}`),
  "[": () => follow("strip-before"),
  "]": () => follow("strip-after"),
};
document.addEventListener("keydown", (event) => {
  if (event.target.matches("input, textarea, select") || event.target.closest("dialog")) return;
  if (event.ctrlKey || event.metaKey || event.altKey || !KEYS[event.key]) return;
  event.preventDefault();
  KEYS[event.key]();
});

offer(choose, [
  { name: "Details of the selected strip", key: "o", run: KEYS.o },
  ...(onSheet() ? [{ name: "Connect this strip", key: "c", run: askConnect }] : []),
]);

document.addEventListener("htmx:oobAfterSwap", (event) => {
  if (event.detail.target === body) mark();
});
document.addEventListener("lattice:changed", () => mark());
mark(true);
document.body.dataset.ready = "true";
