// The map: its parts are in map/; here are the buttons beside it, the answers and the start.

import { chosen } from "./map/chosen.js";
import { boxOf, open, panel, post, read, view } from "./map/drawing.js";
import { relight, rest, rowOf, showFinding, showRoutes, showTrace, unlight } from "./map/highlight.js";
import { ACTIONS } from "./map/keyboard.js";
import "./map/pointer.js";
import { markRemarks } from "./map/remarks.js";
import { showLinked } from "./map/views.js";
import { choose, markChosen, pressFinding } from "./map/selection.js";
import { fillRows, recall, takePasted, whenPasted } from "./forms.js";
import "./completing.js";
import "./shared.js";

document.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  ACTIONS[button.dataset.do]?.();
  if (button.dataset.open) open(`${button.dataset.open}/`);
  if (button.dataset.choose) choose(button.dataset.choose);
  if (button.dataset.foldSection) post("fold", { section: button.dataset.foldSection });
  if (button.matches(".finding-line")) pressFinding(button.closest(".finding"));
  if (button.matches(".trace-line")) showTrace(button.closest(".trace"));
});

// The routes that a fix would change are highlighted while its button has the pointer or focus.
for (const name of ["pointerover", "focusin"])
  panel.addEventListener(name, (event) => {
    const button = event.target.closest("[data-lights]:not([data-lights=''])");
    if (button) showRoutes(button.dataset.lights);
  });
for (const name of ["pointerout", "focusout"])
  panel.addEventListener(name, (event) => event.target.closest("[data-lights]:not([data-lights=''])") && unlight());

document.getElementById("figure-choice").addEventListener("change", (event) => {
  document.cookie = `figure=${event.target.value}; path=/; max-age=31536000; samesite=lax`;
  post("redraw");
});

// ---- after an answer of the server

for (const name of ["lattice:changed", "lattice:table"])
  document.addEventListener(name, () => {
    refresh();
    relight();
  });
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target.matches?.(".matter-more")) rest({ move: false });
  if (event.target.id !== "panel") return;
  rest({ drawn: true });
  for (const form of panel.querySelectorAll("form[data-remembers]")) recall(form);
  panel.querySelector("[autofocus]")?.focus();
});

function refresh() {
  read();
  markChosen();
  markRemarks();
}

// A path linked from another page: from a source (strip or strip/outlet), optionally to a strip.
function openTraced(address) {
  const to = address.get("to") ? `&to=${encodeURIComponent(address.get("to"))}` : "";
  open(`trace/?from=${encodeURIComponent(address.get("trace"))}${to}`);
}

// Comments linked from another page: on one subject, as `strip:kick`, or all.
function openRemarks(named) {
  const [kind, ...of] = named.split(":");
  const about = new URLSearchParams({ kind, of: of.join(":") });
  open(of.length ? `remarks/?${about}` : "remarks/");
}

// The form for new strips, linked from another page, with the rows that were pasted there.
async function openAdd() {
  const pasted = takePasted();
  await open("add/");
  if (pasted) fillRows(pasted);
}

whenPasted(async (text) => {
  await open("add/");
  fillRows(text);
});
refresh();
const address = new URLSearchParams(location.search);
const deepLinked = rowOf(chosen.finding);
if (deepLinked) showFinding(deepLinked);
else if (address.get("open") === "add") openAdd();
else if (address.get("trace")) openTraced(address);
else if (address.get("remarks")) openRemarks(address.get("remarks"));
else if (chosen.strip && boxOf(chosen.strip)) view.show(boxOf(chosen.strip).getBoundingClientRect());
showLinked();
document.body.dataset.ready = "true";
