// The map: what its parts do is in map/; here are the buttons beside the sheet, the answers and the start.

import { chosen } from "./map/chosen.js";
import { boxOf, open, panel, post, read, view } from "./map/drawing.js";
import { rest, showFinding, showTrace } from "./map/highlight.js";
import { DEEDS } from "./map/keyboard.js";
import "./map/pointer.js";
import { choose, markChosen, pressFinding } from "./map/selection.js";
import "./shared.js";

document.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  DEEDS[button.dataset.do]?.();
  if (button.dataset.open) open(`${button.dataset.open}/`);
  if (button.dataset.choose) choose(button.dataset.choose);
  if (button.dataset.foldSection) post("fold", { section: button.dataset.foldSection });
  if (button.matches(".finding-line")) pressFinding(button.closest(".finding"));
  if (button.matches(".trace-line")) showTrace(button.closest(".trace"));
});

document.getElementById("figure-choice").addEventListener("change", (event) => {
  document.cookie = `figure=${event.target.value}; path=/; max-age=31536000; samesite=lax`;
  post("redraw");
});

// ---- after the server has answered

document.addEventListener("htmx:oobAfterSwap", (event) => {
  if (event.detail.target?.id === "sheet-holder") view.apply();
});
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target.id === "panel") {
    rest({ drawn: true });
    panel.querySelector("[autofocus]")?.focus();
  } else if (event.target.id === "notice") {
    refresh();
    rest({ move: false });
  }
});

function refresh() {
  read();
  markChosen();
}

// A way that another place points at: from a source (strip or strip/outlet), to a strip where one is named.
function openTraced(address) {
  const to = address.get("to") ? `&to=${encodeURIComponent(address.get("to"))}` : "";
  open(`trace/?from=${encodeURIComponent(address.get("trace"))}${to}`);
}

refresh();
const address = new URLSearchParams(location.search);
const deepLinked = chosen.finding && document.getElementById(`f-${chosen.finding}`);
if (deepLinked) showFinding(deepLinked);
else if (address.get("trace")) openTraced(address);
else if (chosen.strip && boxOf(chosen.strip)) view.show(boxOf(chosen.strip).getBoundingClientRect());
document.body.dataset.ready = "true";
