// The map: choosing, lighting, connecting and tracing on the drawing the server made.

import { Chooser } from "./chooser.js";
import { finder, offer } from "./commands.js";
import { Flow, path } from "./flow.js";
import { open as openPanel, write } from "./server.js";
import "./shared.js";
import { View } from "./view.js";

const viewport = document.getElementById("viewport");
const holder = document.getElementById("sheet-holder");
const panel = document.getElementById("panel");
const state = () => document.getElementById("state");
const svg = () => holder.querySelector("svg");
const box = (id) => document.getElementById(`b-${id}`);
const base = state().dataset.base.replace(/map\/$/, "");
const view = new View(viewport, holder, state().dataset.pk);
let flow, strips, byId, boxOf;
let chosen = new URLSearchParams(location.search).get("strip");
let many = new Set((new URLSearchParams(location.search).get("strips") || "").split(" ").filter(Boolean)); // two and more
let shownFinding = new URLSearchParams(location.search).get("finding");

// ---- what the server sent beside the drawing

function read() {
  flow = new Flow(JSON.parse(document.getElementById("wires").textContent));
  strips = JSON.parse(document.getElementById("strips").textContent);
  byId = new Map(strips.map((strip) => [strip.i, strip]));
  boxOf = (id) => box(id) || svg().querySelector(`[data-zone="${byId.get(id)?.z}"].k-fold`);
  finder.strips = strips;
  document.querySelector(".empty.over")?.toggleAttribute("hidden", strips.length > 0);
  markChosen();
}

const post = (what, values) => write(`${base}write/${what}/`, values);
const open = (path) => openPanel(`${base}panel/${path}`);

function link(name, value) {
  const address = new URL(location);
  address.search = "";
  if (value) address.searchParams.set(name, value);
  history.replaceState(null, "", address);
}

// ---- choosing

function choose(id, { focus = true } = {}) {
  chosen = id;
  many.clear();
  shownFinding = null;
  link("strip", id);
  open(`strip/${encodeURIComponent(id)}/`);
  markChosen();
  const at = boxOf(id);
  if (at) {
    view.show(at.getBoundingClientRect());
    if (focus) at.focus({ preventScroll: true });
  }
}

// Shift-click: one strip more, or one less.
function toggle(id) {
  if (chosen) many.add(chosen);
  if (!many.delete(id)) many.add(id);
  chosen = null;
  if (many.size < 2) {
    const [only] = many;
    return only ? choose(only) : release();
  }
  shownFinding = null;
  link("strips", [...many].join(" "));
  open(`selection/?strips=${encodeURIComponent([...many].join(" "))}`);
  markChosen();
}

function release() {
  chosen = null;
  many.clear();
  shownFinding = null;
  link();
  open("findings/");
  markChosen();
  unlight();
}

function markChosen() {
  if (chosen && !byId.has(chosen)) {
    chosen = null;
    link();
  }
  for (const one of svg().querySelectorAll(".box.chosen")) one.classList.remove("chosen");
  const first = svg().querySelector(".box");
  for (const one of svg().querySelectorAll('.box[tabindex="0"]')) one.setAttribute("tabindex", "-1");
  const at = chosen ? boxOf(chosen) : null;
  for (const one of [at, ...[...many].map((id) => boxOf(id))]) one?.classList.add("chosen");
  (at || first)?.setAttribute("tabindex", "0");
}

// ---- lighting

function light(id) {
  const { boxes, wires } = flow.around(id);
  paint(
    [...wires].map((wire) => path(wire, `l lit ${wire.l ? "loop" : wire.k}`)),
    boxes,
  );
}

function paint(paths, boxes) {
  svg().classList.add("dims");
  for (const one of svg().querySelectorAll(".box")) one.classList.toggle("lit", boxes.has(one.dataset.id));
  svg()
    .querySelector("#overlay")
    .replaceChildren(...paths);
}

function unlight() {
  svg().classList.remove("dims");
  svg().querySelector("#overlay").replaceChildren();
  rest({ move: false });
}

// What is lit while the pointer is nowhere: the chosen finding's evidence, or the chosen trace.
function rest({ move = true, drawn = false } = {}) {
  const trace = panel.querySelector(".trace.chosen");
  if (trace) showTrace(trace, { move, drawn });
  else if (shownFinding) showFinding(document.getElementById(`f-${shownFinding}`), { move });
}

// Lights strips and routes by id: the evidence of a finding, the hops of a trace.
function show(stripIds, routeIds, { drawn = false, move = true } = {}) {
  const wires = new Set(routeIds.map((route) => flow.byRoute.get(route)).filter(Boolean));
  const boxes = new Set(stripIds.map((id) => boxOf(id)?.dataset.id).filter(Boolean));
  for (const wire of wires) boxes.add(wire.a).add(wire.b);
  paint(
    [...wires].map((wire) => path(wire, "shown", drawn)),
    boxes,
  );
  const first = stripIds.length ? boxOf(stripIds[0]) : null;
  if (first && move) view.show(first.getBoundingClientRect());
}

function showFinding(row, { move = true } = {}) {
  for (const one of panel.querySelectorAll(".finding.chosen")) {
    one.classList.remove("chosen");
    one.querySelector(".finding-line").setAttribute("aria-expanded", "false");
  }
  if (!row) {
    shownFinding = null;
    return;
  }
  row.classList.add("chosen");
  row.querySelector(".finding-line").setAttribute("aria-expanded", "true");
  row.scrollIntoView({ block: "nearest" });
  shownFinding = row.dataset.fingerprint;
  const list = (text) => text.split(" ").filter(Boolean);
  show(list(row.dataset.strips), list(row.dataset.routes), { move });
}

function showTrace(row, { drawn = true, move = true } = {}) {
  for (const one of panel.querySelectorAll(".trace.chosen")) one.classList.remove("chosen");
  row.classList.add("chosen");
  show([row.dataset.start], row.dataset.trace.split(" ").filter(Boolean), { drawn, move });
}

// ---- pointer: pan the ground, drag from strip to strip

let drag = null;

viewport.addEventListener(
  "wheel",
  (event) => {
    event.preventDefault();
    if (event.ctrlKey || event.metaKey) view.zoom(Math.exp(-event.deltaY * 0.004), event);
    else view.pan(event.shiftKey ? -event.deltaY : -event.deltaX, event.shiftKey ? 0 : -event.deltaY);
  },
  { passive: false },
);

viewport.addEventListener("pointerdown", (event) => {
  if (event.button !== 0 || event.target.closest(".empty")) return;
  const from = event.target.closest(".box");
  drag = { from, x: event.clientX, y: event.clientY, moved: false, start: view.point(event), target: event.target };
  viewport.setPointerCapture(event.pointerId);
});

viewport.addEventListener("pointermove", (event) => {
  if (!drag) return;
  if (!drag.moved && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < 5) return;
  drag.moved = true;
  if (drag.from) return rubber(event);
  viewport.classList.add("dragging");
  view.pan(event.clientX - drag.x, event.clientY - drag.y);
  [drag.x, drag.y] = [event.clientX, event.clientY];
});

function under(event) {
  return document.elementFromPoint(event.clientX, event.clientY)?.closest(".box");
}

function rubber(event) {
  viewport.classList.add("linking");
  const [x, y] = view.point(event);
  const rect = drag.from.querySelector("rect:not(.edge):not(.back)");
  const right = rect.x.baseVal.value + rect.width.baseVal.value;
  const middle = Math.max(right + 8, (right + x) / 2);
  const line = path(
    {
      p: [
        [right, drag.start[1]],
        [middle, drag.start[1]],
        [middle, y],
        [x, y],
      ],
    },
    "rubber",
  );
  svg().querySelector("#overlay").replaceChildren(line);
  svg().querySelector(".box.target")?.classList.remove("target");
  const over = under(event);
  if (over && over !== drag.from) over.classList.add("target");
}

viewport.addEventListener("pointerup", (event) => {
  const was = drag;
  drag = null;
  viewport.classList.remove("dragging", "linking");
  if (!was) return;
  svg().querySelector(".box.target")?.classList.remove("target");
  if (was.moved && was.from) {
    svg().querySelector("#overlay").replaceChildren();
    const over = under(event);
    if (over && over !== was.from)
      connect(was.from.dataset.id, over.dataset.id, outletAt(was), [event.clientX, event.clientY]);
  } else if (!was.moved) click(was.target, event.shiftKey);
});
viewport.addEventListener("pointercancel", () => (drag = null));

// The outlet of an instrument in whose row a drag began; none for the first, which is its chain.
function outletAt(was) {
  const rows = byId.get(was.from.dataset.id)?.u;
  if (!rows) return null;
  const rect = was.from.querySelector("rect:not(.edge)");
  const row = Math.floor((was.start[1] - rect.y.baseVal.value) / (rect.height.baseVal.value / rows.length));
  return rows[Math.max(0, Math.min(rows.length - 1, row))];
}

function click(target, more) {
  const mark = target.closest("[data-finding]");
  if (mark) return openFinding(mark.dataset.finding);
  const band = target.closest(".band");
  if (band?.dataset.section) {
    open(`section/${encodeURIComponent(band.dataset.section)}/`);
    return;
  }
  const at = target.closest(".box");
  if (at && more && !at.classList.contains("k-fold")) toggle(at.dataset.id);
  else if (at) enter(at);
  else if (chosen || many.size || shownFinding) release();
}

function enter(at) {
  if (at.classList.contains("k-fold")) post("fold", { section: at.dataset.id.replace("fold:", "") });
  else choose(at.dataset.id);
}

function openFinding(fingerprint) {
  chosen = null;
  shownFinding = fingerprint;
  link("finding", fingerprint);
  open("findings/");
}

viewport.addEventListener("pointerover", (event) => {
  const at = event.target.closest(".box");
  if (at && !drag) light(at.dataset.id);
});
viewport.addEventListener("pointerout", (event) => {
  if (event.target.closest(".box") && !event.relatedTarget?.closest?.(".box") && !drag) unlight();
});
viewport.addEventListener("focusin", (event) => {
  if (event.target.matches(".box") && event.target.matches(":focus-visible")) light(event.target.dataset.id);
});
viewport.addEventListener("focusout", (event) => event.target.matches(".box") && unlight());

// ---- connecting

const chooser = new Chooser((values) => post("connect", values));

function connect(from, to, outlet, at) {
  if (!byId.has(from) || !byId.has(to)) return;
  chooser.open(byId.get(from), byId.get(to), outlet, at);
}

function askConnect() {
  if (!chosen) return;
  const from = chosen;
  finder.ask(`${byId.get(from).n} → where?`, (to) => {
    const rect = (boxOf(to) || viewport).getBoundingClientRect();
    connect(from, to, null, [rect.right, rect.top]);
  });
}

// ---- keyboard

function step(key) {
  const now = document.activeElement?.closest?.(".box") || (chosen && boxOf(chosen)) || svg().querySelector(".box");
  if (!now) return;
  const from = now.getBoundingClientRect();
  const along = key === "ArrowLeft" || key === "ArrowRight" ? "x" : "y";
  const way = key === "ArrowLeft" || key === "ArrowUp" ? -1 : 1;
  let best = null;
  let least = Infinity;
  for (const other of svg().querySelectorAll(".box")) {
    const rect = other.getBoundingClientRect();
    const ahead = (rect[along] - from[along]) * way;
    if (other === now || ahead < 4) continue;
    const aside = Math.abs(rect[along === "x" ? "y" : "x"] - from[along === "x" ? "y" : "x"]);
    const distance = ahead + aside * (along === "x" ? 2 : 6);
    if (distance < least) [least, best] = [distance, other];
  }
  const next = document.activeElement === now ? best : now;
  if (next) {
    next.setAttribute("tabindex", "0");
    next.focus({ preventScroll: true });
    view.show(next.getBoundingClientRect());
  }
}

function nextFinding(way) {
  const rows = [...panel.querySelectorAll(".finding")];
  if (!rows.length) return release();
  const at = rows.findIndex((row) => row.classList.contains("chosen"));
  const row = rows[(at + way + rows.length) % rows.length];
  link("finding", row.dataset.fingerprint);
  showFinding(row);
}

function sectionOf(id) {
  const at = boxOf(id);
  return at?.dataset.band || "";
}

const KEYS = {
  c: askConnect,
  t: () => chosen && open(`trace/?from=${encodeURIComponent(chosen)}`),
  T: () => {
    const from = chosen;
    if (from)
      finder.ask(`${byId.get(from).n} → trace to?`, (to) =>
        open(`trace/?from=${encodeURIComponent(from)}&to=${encodeURIComponent(to)}`),
      );
  },
  s: () => {
    const section = chosen && sectionOf(chosen);
    for (const one of section ? svg().querySelectorAll(`.box[data-band="${section}"]:not(.k-fold)`) : [])
      many.add(one.dataset.id);
    if (many.size > 1) {
      const [first] = many;
      chosen = null;
      many.delete(first);
      toggle(first);
    }
  },
  o: () => chosen && location.assign(`${base}strip/?strip=${encodeURIComponent(chosen)}`),
  f: () => chosen && sectionOf(chosen) && post("fold", { section: sectionOf(chosen) }),
  n: () => nextFinding(1),
  N: () => nextFinding(-1),
  a: () => open("add/"),
  m: () => document.querySelector('#panel [data-values*="\\"mute\\""]')?.click(),
  y: () => post("tidy"),
  p: () => document.querySelector(".map-place").classList.toggle("wide"),
  "+": () => view.zoom(1.2),
  "=": () => view.zoom(1.2),
  "-": () => view.zoom(1 / 1.2),
  0: () => view.fit(),
  Delete: () => chosen && document.getElementById("remove-strip")?.click(),
  Escape: release,
};

document.addEventListener("keydown", (event) => {
  if (event.target.matches("input, textarea, select") || event.target.closest("dialog")) return;
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key.startsWith("Arrow") && !event.target.closest(".panel")) {
    event.preventDefault();
    step(event.key);
  } else if ((event.key === "Enter" || event.key === " ") && event.target.matches(".box")) {
    event.preventDefault();
    if (event.shiftKey && !event.target.classList.contains("k-fold")) toggle(event.target.dataset.id);
    else enter(event.target);
  } else if (KEYS[event.key]) {
    event.preventDefault();
    KEYS[event.key]();
  }
});

// ---- buttons of the foot and of the margin

const DOES = {
  in: () => view.zoom(1.2),
  out: () => view.zoom(1 / 1.2),
  fit: () => view.fit(),
  add: KEYS.a,
  tidy: KEYS.y,
  help: () => document.getElementById("help").showModal(),
  release,
  connect: askConnect,
  "fold-all": () => post("fold", { section: "all" }),
  "open-all": () => post("fold", { section: "none" }),
};

document.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  if (DOES[button.dataset.do]) DOES[button.dataset.do]();
  if (button.dataset.open) open(`${button.dataset.open}/`);
  if (button.dataset.choose) choose(button.dataset.choose);
  if (button.dataset.foldSection) post("fold", { section: button.dataset.foldSection });
  if (button.matches(".finding-line")) {
    const row = button.closest(".finding");
    const same = row.classList.contains("chosen");
    link("finding", same ? null : row.dataset.fingerprint);
    showFinding(same ? null : row);
    if (same) unlight();
  }
  if (button.matches(".trace-line")) showTrace(button.closest(".trace"));
});

document.getElementById("figure-choice").addEventListener("change", (event) => {
  document.cookie = `figure=${event.target.value}; path=/; max-age=31536000; samesite=lax`;
  post("redraw");
});

// ---- after the server has answered

document.addEventListener("htmx:oobAfterSwap", (event) => {
  if (event.detail.target?.id === "sheet-holder") view.apply();
});
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target.id === "panel") {
    rest({ drawn: true });
    panel.querySelector("[autofocus]")?.focus();
  } else if (event.target.id === "notice") {
    read();
    rest({ move: false });
  }
});

offer(choose, [
  { n: "Add strips", key: "a", run: KEYS.a },
  { n: "Connect the chosen strip", key: "c", run: askConnect },
  { n: "Trace the chosen strip", key: "t", run: KEYS.t },
  { n: "Trace from the chosen strip to another", key: "Shift t", run: KEYS.T },
  { n: "Strip sheet of the chosen strip", key: "o", run: KEYS.o },
  { n: "Choose the whole section", key: "s", run: KEYS.s },
  { n: "Fold or open the section", key: "f", run: KEYS.f },
  { n: "Fold all sections", run: DOES["fold-all"] },
  { n: "Open all sections", run: DOES["open-all"] },
  { n: "Tidy the sheet", key: "y", run: KEYS.y },
  { n: "Whole sheet", key: "0", run: KEYS[0] },
  { n: "Hide or show the margin", key: "p", run: KEYS.p },
  { n: "Next finding", key: "n", run: KEYS.n },
  { n: "Journal of edits", run: () => open("journal/") },
]);

// A way that another place points at: from a source (strip or strip/outlet), to a strip where one is named.
function openTraced(address) {
  const to = address.get("to") ? `&to=${encodeURIComponent(address.get("to"))}` : "";
  open(`trace/?from=${encodeURIComponent(address.get("trace"))}${to}`);
}

read();
const deepLinked = shownFinding && document.getElementById(`f-${shownFinding}`);
if (deepLinked) showFinding(deepLinked);
else if (new URLSearchParams(location.search).get("trace")) openTraced(new URLSearchParams(location.search));
else if (chosen && boxOf(chosen)) view.show(boxOf(chosen).getBoundingClientRect());
document.body.dataset.ready = "true";
