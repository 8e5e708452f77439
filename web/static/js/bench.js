// The bench: strips with sound are highlighted on the map, a stage can be played, matching rows can be hidden.

import { markDiffering } from "./differing.js";

markDiffering();
document.addEventListener("htmx:afterSwap", markDiffering);

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-hear]");
  if (!button) return;
  const heard = document.getElementById("heard");
  heard.hidden = false;
  heard.src = button.dataset.hear;
  heard.play();
});

document.addEventListener("change", (event) => {
  if (event.target.id === "tone-signal") document.getElementById("tone-file").hidden = event.target.value !== "file";
  if (event.target.id !== "only-differing") return;
  for (const row of document.querySelectorAll("#turns [data-agrees]")) row.hidden = event.target.checked;
});
