// A new route from strip to strip, by dragging or by name.

import { Chooser } from "../chooser.js";
import { finder } from "../commands.js";
import { chosen } from "./chosen.js";
import { boxOf, drawing, post, viewport } from "./drawing.js";

const chooser = new Chooser((values) => post("connect", values));

export function connect(from, to, outlet, point) {
  const { strips } = drawing;
  if (strips.has(from) && strips.has(to)) chooser.open(strips.get(from), strips.get(to), outlet, point);
}

export function askConnect() {
  if (!chosen.strip) return;
  const from = chosen.strip;
  finder.ask(`${drawing.strips.get(from).name} → where?`, (to) => {
    const rect = (boxOf(to) || viewport).getBoundingClientRect();
    connect(from, to, null, [rect.right, rect.top]);
  });
}
