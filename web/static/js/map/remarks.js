// Strips with comments have a turned corner; a collapsed section has its strips'.

import { boxOf, rectOf } from "./drawing.js";
import { path } from "./flow.js";

const SIDE = 10; // of the corner, in the units of the drawing

function corner(box, count) {
  const { x, y, width } = rectOf(box);
  const [right, top] = [x.baseVal.value + width.baseVal.value, y.baseVal.value];
  const corners = [
    [right - SIDE, top],
    [right, top],
    [right, top + SIDE],
  ];
  const drawn = path(corners, "remark-corner");
  const title = document.createElementNS(drawn.namespaceURI, "title");
  title.textContent = count === 1 ? "an open comment" : `${count} open comments`;
  drawn.append(title);
  box.append(drawn);
}

export function markRemarks() {
  for (const old of document.querySelectorAll(".remark-corner")) old.remove();
  const counts = new Map();
  for (const [strip, count] of Object.entries(JSON.parse(document.getElementById("open-remarks").dataset.on))) {
    const box = boxOf(strip);
    if (box) counts.set(box, (counts.get(box) || 0) + count);
  }
  for (const [box, count] of counts) corner(box, count);
}

document.addEventListener("htmx:oobAfterSwap", (event) => event.detail.target?.id === "open-remarks" && markRemarks());
