// The server's drawing, its place in the page, and the strips and lines of its elements.

import { now, table } from "../data.js";
import { finder } from "../commands.js";
import { open as openPanel, write } from "../server.js";
import { Flow } from "./flow.js";
import { View } from "./view.js";

export const viewport = document.getElementById("viewport");
export const panel = document.getElementById("panel");
const holder = document.getElementById("sheet-holder");
const state = document.getElementById("state");

export const base = state.dataset.base.replace(/map\/$/, "");
export const view = new View(viewport, holder, state.dataset.pk);
export const svg = () => holder.querySelector("svg");

export const drawing = { flow: null, strips: new Map() };

await Promise.all([table("wires"), table("strips")]);

export function read() {
  drawing.flow = new Flow([...now("wires").values()]);
  drawing.strips = now("strips");
  finder.know([...drawing.strips.values()]);
  document.querySelector(".empty.over")?.toggleAttribute("hidden", drawing.strips.size > 0);
}

// The box of a strip; that of its section if it is collapsed.
export function boxOf(id) {
  const strip = drawing.strips.get(id);
  if (!strip) return null;
  return document.getElementById(`b-${id}`) || svg().querySelector(`[data-zone="${strip.zone}"].k-fold`);
}

export const sectionOf = (id) => boxOf(id)?.dataset.band || "";
// A box itself, without the protruding marks of findings; and its place in the page.
export const rectOf = (box) => box.querySelector("rect:not(.edge):not(.back)");
export const frameOf = (box) => rectOf(box).getBoundingClientRect();

export const isFolded = (box) => box.classList.contains("k-fold");
export const overlay = (...paths) =>
  svg()
    .querySelector("#overlay")
    .replaceChildren(...paths);

export const post = (edit, values) => write(`${base}write/${edit}/`, values);
export const open = (path) => openPanel(`${base}panel/${path}`);
