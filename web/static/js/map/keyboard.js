// Keys of the map, and the same actions as commands of the quick-open.

import { focusActions } from "../actions.js";
import { blockCommands } from "./blocks.js";
import { finder, offer } from "../commands.js";
import { now as tableOf } from "../data.js";
import { chosen } from "./chosen.js";
import { askConnect } from "./connecting.js";
import { base, boxOf, drawing, frameOf, isFolded, open, post, sectionOf, svg, view } from "./drawing.js";
import { showRoutes } from "./highlight.js";
import { whenAnswered } from "../server.js";
import { showKey } from "./views.js";
import { choose, chooseSection, enter, nextFinding, release, toggle } from "./selection.js";

const ZOOM_STEP = 1.2;
// Arrow keys select the nearest box ahead; a box out of line counts as further away, across less than down.
const ASIDE = { x: 2, y: 6 };
const SAME_LINE_PX = 4;

const chosenIds = () => chosen.strip || [...chosen.strips].join(" ");
const sendsOf = (ids) =>
  [...tableOf("wires").values()]
    .filter((wire) => wire.kind === "send" && ids.includes(wire.start))
    .flatMap((wire) => wire.routes);
const here = () => encodeURIComponent(chosen.strip);

// The action of a button of the side panel, once the panel shows the selection.
const press = (button) => whenAnswered(() => document.querySelector(button)?.click());

// Without a selected strip the finder asks for the start.
function trace() {
  if (chosen.strip) open(`trace/?from=${here()}`);
  else finder.ask("Trace from", (from) => open(`trace/?from=${encodeURIComponent(from)}`));
}

function traceTo() {
  const from = chosen.strip;
  if (!from) return;
  finder.ask(`${drawing.strips.get(from).name} → trace to`, (to) =>
    open(`trace/?from=${encodeURIComponent(from)}&to=${encodeURIComponent(to)}`),
  );
}

export const ACTIONS = {
  add: () => open("add/"),
  connect: askConnect,
  actions: focusActions,
  trace,
  "trace-to": traceTo,
  sheet: () => chosen.strip && location.assign(`${base}strips/?strip=${here()}`),
  section: () => chooseSection(),
  solo: () => chosenIds() && open(`solo/?strips=${encodeURIComponent(chosenIds())}`),
  sends: () => showRoutes(sendsOf(chosenIds().split(" ")).join(" ")),
  fold: () => chosen.strip && sectionOf(chosen.strip) && post("fold", { section: sectionOf(chosen.strip) }),
  "fold-all": () => post("fold", { section: "all" }),
  "open-all": () => post("fold", { section: "none" }),
  tidy: () => post("tidy"),
  mute: () => press('#panel [data-values*="\\"mute\\""]'),
  remove: () => chosen.strip && press("#remove-strip"),
  in: () => view.zoom(ZOOM_STEP),
  out: () => view.zoom(1 / ZOOM_STEP),
  fit: () => view.fit(),
  margin: () => document.querySelector(".map-place").classList.toggle("wide"),
  next: () => nextFinding(1),
  previous: () => nextFinding(-1),
  journal: () => open("journal/"),
  views: () => open("views/"),
  help: () => document.getElementById("help").showModal(),
  release,
};

const KEYS = {
  a: "add",
  c: "connect",
  d: "actions",
  f: "fold",
  l: "solo",
  m: "mute",
  n: "next",
  N: "previous",
  o: "sheet",
  p: "margin",
  s: "section",
  t: "trace",
  T: "trace-to",
  v: "views",
  y: "tidy",
  "+": "in",
  "=": "in",
  "-": "out",
  0: "fit",
  Delete: "remove",
  Escape: "release",
};

const COMMANDS = [
  { name: "Add strips", key: "a", run: ACTIONS.add },
  { name: "Connect the selected strip", key: "c", run: ACTIONS.connect },
  { name: "Trace from a strip", key: "t", run: ACTIONS.trace },
  { name: "Trace from the selected strip to another", key: "Shift t", run: ACTIONS["trace-to"] },
  { name: "Details of the selected strip", key: "o", run: ACTIONS.sheet },
  { name: "Select the whole section", key: "s", run: ACTIONS.section },
  { name: "Solo preview of the selected strips", key: "l", run: ACTIONS.solo },
  { name: "Sends of the selected strips only", run: ACTIONS.sends },
  { name: "Collapse or expand the section", key: "f", run: ACTIONS.fold },
  { name: "Collapse all sections", run: ACTIONS["fold-all"] },
  { name: "Expand all sections", run: ACTIONS["open-all"] },
  { name: "Tidy the map", key: "y", run: ACTIONS.tidy },
  { name: "Fit the map", key: "0", run: ACTIONS.fit },
  { name: "Hide or show the side panel", key: "p", run: ACTIONS.margin },
  { name: "Next finding", key: "n", run: ACTIONS.next },
  { name: "Views", key: "v", run: ACTIONS.views },
  { name: "History", run: ACTIONS.journal },
];
offer(choose, COMMANDS);

document.getElementById("find").addEventListener(
  "focus",
  async () => {
    offer(choose, [...COMMANDS, ...(await blockCommands())]);
    if (document.activeElement === finder.input && finder.input.value) finder.filter();
  },
  { once: true },
);

function move(key) {
  const now = document.activeElement?.closest?.(".box") || boxOf(chosen.strip) || svg().querySelector(".box");
  if (!now) return;
  const next = document.activeElement === now ? nearest(now, key) : now;
  if (!next) return;
  next.setAttribute("tabindex", "0");
  next.focus({ preventScroll: true });
  view.show(next.getBoundingClientRect());
}

function nearest(now, key) {
  const [along, across] = key === "ArrowLeft" || key === "ArrowRight" ? ["x", "y"] : ["y", "x"];
  const way = key === "ArrowLeft" || key === "ArrowUp" ? -1 : 1;
  const from = frameOf(now);
  let [least, best] = [Infinity, null];
  for (const other of svg().querySelectorAll(".box")) {
    const rect = frameOf(other);
    const ahead = (rect[along] - from[along]) * way;
    if (other === now || ahead < SAME_LINE_PX) continue;
    const distance = ahead + Math.abs(rect[across] - from[across]) * ASIDE[along];
    if (distance < least) [least, best] = [distance, other];
  }
  return best;
}

document.addEventListener("keydown", (event) => {
  if (event.target.matches("input, textarea, select") || event.target.closest("dialog")) return;
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const box = event.target.matches(".box") ? event.target : null;
  if (event.key.startsWith("Arrow") && !event.target.closest(".panel")) move(event.key);
  else if (box && (event.key === "Enter" || event.key === " ")) {
    if (event.shiftKey && !isFolded(box)) toggle(box.dataset.id);
    else enter(box);
  } else if (/^[1-9]$/.test(event.key)) showKey(Number(event.key));
  else if (KEYS[event.key]) ACTIONS[KEYS[event.key]]();
  else return;
  event.preventDefault();
});
