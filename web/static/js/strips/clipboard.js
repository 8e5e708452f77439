// Copy, cut and paste in the table; rows pasted outside it are new strips.

import { keepPasted } from "../forms.js";
import { notify } from "../notes.js";
import { copied, emptied, pasted } from "./blocks.js";
import { isOpen } from "./editing.js";
import { at, table } from "./grid.js";
import { change } from "./sending.js";

const base = document.getElementById("state").dataset.base;
const isInTable = () => table.contains(document.activeElement) && !isOpen();

for (const name of ["copy", "cut"])
  document.addEventListener(name, (event) => {
    if (!isInTable()) return;
    event.clipboardData.setData("text/plain", copied());
    event.preventDefault();
    if (name === "cut") change(emptied());
  });

document.addEventListener("paste", (event) => {
  if (event.target.closest?.("input, textarea, select, dialog")) return;
  const text = event.clipboardData.getData("text/plain");
  if (!text.trim()) return;
  event.preventDefault();
  if (!isInTable() || at.row < 0) {
    keepPasted(text);
    location.assign(`${base}?open=add`);
    return;
  }
  const { cells, problem } = pasted(text);
  if (problem) notify(problem);
  else change(cells);
});
