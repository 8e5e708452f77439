// The highlighted elements: the stream through a box under the pointer; else the evidence of the selected finding, or
// the hops of the selected trace.

import { openMatter } from "../matters.js";
import { chosen } from "./chosen.js";
import { boxOf, drawing, overlay, panel, svg, view } from "./drawing.js";
import { path } from "./flow.js";

const words = (text) => text.split(" ").filter(Boolean);
let streamOf = null; // the box whose stream is highlighted

export function light(id) {
  streamOf = id;
  const { boxes, wires } = drawing.flow.around(id);
  paint(
    [...wires].map((wire) => path(wire.points, `l lit ${wire.feedback ? "loop" : wire.kind}`)),
    boxes,
  );
}

export function unlight() {
  streamOf = null;
  svg().classList.remove("dims");
  overlay();
  rest({ move: false });
}

// After a change of the drawing: the stream of the same box, which is still under the pointer or has the focus.
export function relight() {
  if (svg().querySelector("#overlay .rubber")) return; // a new route is being drawn
  const box = streamOf && svg().querySelector(`.box[data-id="${CSS.escape(streamOf)}"]`);
  if (box) light(streamOf);
  else unlight();
}

// The highlighted elements while the pointer is nowhere.
export function rest({ move = true, drawn = false } = {}) {
  const trace = panel.querySelector(".trace.chosen");
  const solo = document.getElementById("solo");
  if (solo) show(words(solo.dataset.strips), words(solo.dataset.routes), { move: false });
  else if (trace) showTrace(trace, { move, drawn });
  else if (rowOf(chosen.finding)) showFinding(rowOf(chosen.finding), { move });
}

// The row of an issue or finding by its fingerprint.
export const rowOf = (mark) =>
  mark ? document.getElementById(`f-${mark}`) || document.getElementById(`m-${mark}`) : null;

export function showFinding(row, { move = true } = {}) {
  for (const one of panel.querySelectorAll(".finding.chosen")) {
    one.classList.remove("chosen");
    if (one.matches(".matter") && !one.contains(row)) openMatter(one, false);
    else one.querySelector(".finding-line").setAttribute("aria-expanded", "false");
  }
  for (const one of panel.querySelectorAll(".matter.open")) if (!one.contains(row)) openMatter(one, false);
  if (!row) {
    chosen.finding = null;
    return;
  }
  row.closest("details")?.setAttribute("open", ""); // among the notes of a family
  row.classList.add("chosen");
  if (row.matches(".matter")) openMatter(row);
  else row.querySelector(".finding-line").setAttribute("aria-expanded", "true");
  if (move) row.scrollIntoView({ block: "nearest" });
  chosen.finding = row.dataset.fingerprint;
  show(words(row.dataset.strips), words(row.dataset.routes), { move });
}

export const showRoutes = (routes) => show([], words(routes), { move: false });

export function showTrace(row, { drawn = true, move = true } = {}) {
  for (const one of panel.querySelectorAll(".trace.chosen")) one.classList.remove("chosen");
  row.classList.add("chosen");
  show([row.dataset.start], words(row.dataset.trace), { drawn, move });
}

function show(stripIds, routeIds, { drawn = false, move = true } = {}) {
  streamOf = null;
  const wires = new Set(routeIds.map((route) => drawing.flow.byRoute.get(route)).filter(Boolean));
  const boxes = new Set(stripIds.map((id) => boxOf(id)?.dataset.id).filter(Boolean));
  for (const wire of wires) boxes.add(wire.start).add(wire.end);
  paint(
    [...wires].map((wire) => path(wire.points, "shown", drawn)),
    boxes,
  );
  const first = stripIds.length ? boxOf(stripIds[0]) : null;
  if (first && move) view.show(first.getBoundingClientRect());
}

function paint(paths, boxes) {
  svg().classList.add("dims");
  for (const one of svg().querySelectorAll(".box")) one.classList.toggle("lit", boxes.has(one.dataset.id));
  overlay(...paths);
}
