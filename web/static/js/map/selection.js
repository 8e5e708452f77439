// Selection of strips, sections and findings; the panel shows it.

import { chosen, link } from "./chosen.js";
import { boxOf, drawing, isFolded, open, panel, post, sectionOf, svg, view } from "./drawing.js";
import { showFinding, unlight } from "./highlight.js";

export function choose(id, { focus = true } = {}) {
  chosen.strip = id;
  chosen.strips.clear();
  chosen.finding = null;
  link("strip", id);
  open(`strip/${encodeURIComponent(id)}/`);
  markChosen();
  const box = boxOf(id);
  if (box) {
    view.show(box.getBoundingClientRect());
    if (focus) box.focus({ preventScroll: true });
  }
}

// Shift-click: one strip more, or one less.
export function toggle(id) {
  if (chosen.strip) chosen.strips.add(chosen.strip);
  if (!chosen.strips.delete(id)) chosen.strips.add(id);
  chosen.strip = null;
  chooseSeveral();
}

// All strips of a section beside the selected ones: of the selected strip's, or of the named band.
export function chooseSection(section = chosen.strip && sectionOf(chosen.strip)) {
  if (!section) return;
  for (const box of svg().querySelectorAll(`.box[data-band="${section}"]`))
    if (!isFolded(box)) chosen.strips.add(box.dataset.id);
  if (chosen.strips.size) chooseSeveral();
}

function chooseSeveral() {
  const ids = [...chosen.strips];
  if (ids.length === 1) return choose(ids[0]);
  if (!ids.length) return release();
  chosen.strip = null;
  chosen.finding = null;
  link("strips", ids.join(" "));
  open(`selection/?strips=${encodeURIComponent(ids.join(" "))}`);
  markChosen();
}

export function release() {
  chosen.strip = null;
  chosen.strips.clear();
  chosen.finding = null;
  link();
  open("findings/");
  markChosen();
  unlight();
}

export function markChosen() {
  if (chosen.strip && !drawing.strips.has(chosen.strip)) {
    chosen.strip = null;
    link();
  }
  for (const box of svg().querySelectorAll(".box.chosen")) box.classList.remove("chosen");
  for (const box of svg().querySelectorAll('.box[tabindex="0"]')) box.setAttribute("tabindex", "-1");
  const one = chosen.strip ? boxOf(chosen.strip) : null;
  for (const box of [one, ...[...chosen.strips].map(boxOf)]) box?.classList.add("chosen");
  (one || svg().querySelector(".box"))?.setAttribute("tabindex", "0"); // the entry by Tab
}

// A click or Enter on a box: its strip is selected; a collapsed section expands.
export function enter(box) {
  if (isFolded(box)) post("fold", { section: box.dataset.id.replace("fold:", "") });
  else choose(box.dataset.id);
}

export function openFinding(fingerprint) {
  chosen.strip = null;
  chosen.finding = fingerprint;
  link("finding", fingerprint);
  open(`findings/?finding=${encodeURIComponent(fingerprint)}`);
}

// A click on a finding's line in the panel; a second click deselects it.
export function pressFinding(row) {
  const same = row.classList.contains("chosen");
  link("finding", same ? null : row.dataset.fingerprint);
  showFinding(same ? null : row);
  if (same) unlight();
}

export function nextFinding(way) {
  const rows = [...panel.querySelectorAll(".finding")].filter((row) => row.checkVisibility());
  if (!rows.length) return release();
  const now = rows.findIndex((row) => row.classList.contains("chosen"));
  const row = rows[(now + way + rows.length) % rows.length];
  link("finding", row.dataset.fingerprint);
  showFinding(row);
}
