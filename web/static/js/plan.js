// The repair plan: the effect of the selected steps is fetched after each change of the selection.

import "./server.js";

const CALM_MS = 200; // quick changes are sent once

let waiting = null;
let isLeaving = false; // another page is loading, for instance the answer to “Apply selected”

window.addEventListener("beforeunload", () => (isLeaving = true));
window.addEventListener("pageshow", () => (isLeaving = false));

// An edit from here, like undo, makes a new version: the page shows the one before.
document.addEventListener("lattice:changed", () => isLeaving || location.assign(location.pathname));

document.addEventListener("change", (event) => {
  const form = event.target.closest("#plan-form");
  if (!form) return;
  if (event.target.id === "plan-all")
    for (const box of form.querySelectorAll("[name=step]")) box.checked = event.target.checked;
  clearTimeout(waiting);
  waiting = setTimeout(() => ask(form), CALM_MS);
});

function ask(form) {
  const said = new FormData(form);
  const values = {};
  for (const name of new Set(said.keys())) values[name] = said.getAll(name);
  htmx.ajax("POST", form.dataset.check, { source: form, target: "#plan-outcome", swap: "innerHTML", values });
}
