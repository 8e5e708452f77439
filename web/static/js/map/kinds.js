// Routes by kind: a press on a kind in the legend shows it alone, with Shift hides it, a second press shows all.

import { svg, viewport } from "./drawing.js";

export function pressKind(kind, hides) {
  const sheet = svg();
  const [only, hidden] = [sheet.dataset.only, sheet.dataset.hidden];
  delete sheet.dataset.only;
  delete sheet.dataset.hidden;
  if (hides && hidden !== kind) sheet.dataset.hidden = kind;
  else if (!hides && only !== kind) sheet.dataset.only = kind;
  for (const one of sheet.querySelectorAll(".legend"))
    one.classList.toggle("faint", one.dataset.kind === sheet.dataset.hidden || isOther(one.dataset.kind));
}

const isOther = (kind) => Boolean(svg().dataset.only) && kind !== svg().dataset.only;

viewport.addEventListener("keydown", (event) => {
  const kind = event.target.closest(".legend")?.dataset.kind;
  if (!kind || (event.key !== "Enter" && event.key !== " ")) return;
  event.preventDefault();
  event.stopPropagation();
  pressKind(kind, event.shiftKey);
});
