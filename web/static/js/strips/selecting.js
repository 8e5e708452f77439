// Selected rows, for everything that is offered for several strips: the side panel shows them.

import { now } from "../data.js";
import { open as openPanel } from "../server.js";
import { corners, mark } from "./grid.js";
import { rows } from "./rows.js";

const base = document.getElementById("state").dataset.base;
export const panel = document.getElementById("panel");

export function selectRows({ top, bottom } = corners(), isOnly = false) {
  const ids = rows.shown.slice(top, bottom + 1);
  const isTaken = !isOnly && ids.every((id) => rows.selected.has(id));
  if (isOnly) rows.selected.clear();
  for (const id of ids)
    if (isTaken) rows.selected.delete(id);
    else rows.selected.add(id);
  showSelected();
}

export function clearSelected() {
  rows.selected.clear();
  showSelected();
}

export function showSelected() {
  const ids = [...rows.selected].join(" ");
  const address = new URL(location);
  if (ids) address.searchParams.set("strips", ids);
  else address.searchParams.delete("strips");
  history.replaceState(null, "", address);
  panel.hidden = !ids;
  if (ids) openPanel(`${base.replace(/map\/$/, "")}panel/selection/?strips=${encodeURIComponent(ids)}`);
  mark();
  countAll();
}

export function countAll() {
  const { size } = now("cells");
  const parts = [rows.shown.length === size ? `${size} in this template` : `${rows.shown.length} of ${size}`];
  if (rows.selected.size) parts.push(`${rows.selected.size} selected`);
  const assumed = [...now("cells").values()].filter((one) => one.assumed).length;
  if (assumed)
    parts.push(`${assumed} source${assumed === 1 ? "" : "s"} at an assumed level; ~: rests on assumed levels`);
  document.getElementById("table-size").textContent = parts.join(" · ");
}
