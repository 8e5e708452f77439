// Pointer on the map: the ground pans, the wheel zooms, a click selects a box, a drag connects it.

import { chosen } from "./chosen.js";
import { connect } from "./connecting.js";
import { drawing, isFolded, open, overlay, rectOf, svg, view, viewport } from "./drawing.js";
import { path } from "./flow.js";
import { light, unlight } from "./highlight.js";
import { pressKind } from "./kinds.js";
import { chooseSection, enter, openFinding, release, toggle } from "./selection.js";

const CLICK_PX = 5; // a smaller movement is a click
const ZOOM_PER_PX = 0.004; // of the wheel, exponential: the same number of notches back restores it
let drag = null;

viewport.addEventListener(
  "wheel",
  (event) => {
    event.preventDefault();
    if (event.ctrlKey || event.metaKey) view.zoom(Math.exp(-event.deltaY * ZOOM_PER_PX), event);
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
  if (!drag.moved && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < CLICK_PX) return;
  drag.moved = true;
  if (drag.from) return stretch(event);
  viewport.classList.add("dragging");
  view.pan(event.clientX - drag.x, event.clientY - drag.y);
  [drag.x, drag.y] = [event.clientX, event.clientY];
});

viewport.addEventListener("pointerup", (event) => {
  const was = drag;
  drag = null;
  viewport.classList.remove("dragging", "linking");
  if (!was) return;
  svg().querySelector(".box.target")?.classList.remove("target");
  if (was.moved && was.from) {
    overlay();
    const over = boxUnder(event);
    if (over && over !== was.from)
      connect(was.from.dataset.id, over.dataset.id, outletOf(was), [event.clientX, event.clientY]);
  } else if (!was.moved) click(was.target, event.shiftKey);
});
viewport.addEventListener("pointercancel", () => (drag = null));

// Pointer capture retains the pointer's own target; the element under it is looked up.
const boxUnder = (event) => document.elementFromPoint(event.clientX, event.clientY)?.closest(".box");

// The line that follows the pointer during a new route.
function stretch(event) {
  viewport.classList.add("linking");
  const [x, y] = view.point(event);
  const rect = rectOf(drag.from);
  const right = rect.x.baseVal.value + rect.width.baseVal.value;
  const middle = Math.max(right + 8, (right + x) / 2);
  const corners = [
    [right, drag.start[1]],
    [middle, drag.start[1]],
    [middle, y],
    [x, y],
  ];
  overlay(path(corners, "rubber"));
  svg().querySelector(".box.target")?.classList.remove("target");
  const over = boxUnder(event);
  if (over && over !== drag.from) over.classList.add("target");
}

// The outlet of an instrument in whose row a drag began; none for the first, which is its chain.
function outletOf(began) {
  const rows = drawing.strips.get(began.from.dataset.id)?.outlets;
  if (!rows) return null;
  const rect = began.from.querySelector("rect:not(.edge)");
  const row = Math.floor((began.start[1] - rect.y.baseVal.value) / (rect.height.baseVal.value / rows.length));
  return rows[Math.max(0, Math.min(rows.length - 1, row))];
}

function click(target, more) {
  const mark = target.closest("[data-finding]");
  if (mark) return openFinding(mark.dataset.finding);
  const legend = target.closest(".legend");
  if (legend) return pressKind(legend.dataset.kind, more);
  const band = target.closest(".band");
  if (band?.dataset.section && more) return chooseSection(band.dataset.section);
  if (band?.dataset.section) {
    open(`section/${encodeURIComponent(band.dataset.section)}/`);
    return;
  }
  const box = target.closest(".box");
  if (box && more && !isFolded(box)) toggle(box.dataset.id);
  else if (box) enter(box);
  else if (chosen.strip || chosen.strips.size || chosen.finding) release();
}

viewport.addEventListener("pointerover", (event) => {
  const box = event.target.closest(".box");
  if (box && !drag) light(box.dataset.id);
});
viewport.addEventListener("pointerout", (event) => {
  if (event.target.closest(".box") && !event.relatedTarget?.closest?.(".box") && !drag) unlight();
});
viewport.addEventListener("focusin", (event) => {
  if (event.target.matches(".box") && event.target.matches(":focus-visible")) light(event.target.dataset.id);
});
viewport.addEventListener("focusout", (event) => event.target.matches(".box") && unlight());
