// Put it right: what the ticked steps come to is asked for whenever a tick changes.

import "./server.js";

const CALM_MS = 200; // quick ticking is asked about once

let waiting = null;

// An edit from here, like undo, makes another state: what stands on the page is of the one before.
document.addEventListener("lattice:changed", () => location.assign(location.pathname));

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
