// New routes between strips, by dragging or by name.

import { Chooser, endsOf } from "../chooser.js";
import { finder } from "../commands.js";
import { chosen } from "./chosen.js";
import { boxOf, drawing, post, viewport } from "./drawing.js";

const chooser = new Chooser(post);

// All selected strips, if the strip is one of them.
function startsWith(from) {
  const ids = chosen.strips.has(from) ? [...drawing.strips.keys()].filter((id) => chosen.strips.has(id)) : [from];
  return ids.map((id) => drawing.strips.get(id)).filter(Boolean);
}

// `made`: an end that is no strip yet.
export function connect(from, to, outlet, point, made = null) {
  const froms = startsWith(from);
  const end = drawing.strips.get(to) ?? made;
  if (froms.length && end && !froms.includes(end)) chooser.open(froms, end, outlet, point);
}

export function askConnect() {
  const from = chosen.strip || [...chosen.strips][0];
  if (!from) return;
  const froms = startsWith(from);
  const words = froms.length > 1 ? `${froms.length} strips` : froms[0].name;
  finder.ask(
    `${words} → destination`,
    (to, end) => {
      const rect = (boxOf(to) || viewport).getBoundingClientRect();
      connect(from, to, null, boxOf(to) ? [rect.right, rect.top] : [innerWidth / 2, 120], end);
    },
    endsOf(() => froms),
  );
}
