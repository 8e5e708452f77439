// Forms with a live preview, and forms that remember their last choices.

import { notify } from "./notes.js";
import { valuesOf } from "./values.js";

const PAUSE_MS = 200; // pause in typing
const waiting = new Map();

// The values of a form are posted to its address; the answer goes to its target.
function show(form) {
  const values = valuesOf(form);
  const target = document.getElementById(form.dataset.into);
  if (target) htmx.ajax("POST", form.dataset.shows, { target, swap: "innerHTML", values, source: form });
}

document.addEventListener("input", (event) => {
  const form = event.target.closest("form[data-shows]");
  if (!form) return;
  clearTimeout(waiting.get(form));
  waiting.set(
    form,
    setTimeout(() => form.isConnected && show(form), PAUSE_MS),
  );
});

// ---- remembered choices

const key = (form) => `lattice.${form.dataset.remembers}.${document.getElementById("state").dataset.pk}`;
const kept = (form) => [...form.elements].filter((field) => "kept" in field.dataset);

document.addEventListener(
  "submit",
  (event) => {
    const form = event.target;
    if (!form.dataset.remembers) return;
    const values = kept(form).map((field) => [field.name, field.type === "checkbox" ? field.checked : field.value]);
    localStorage.setItem(key(form), JSON.stringify(Object.fromEntries(values)));
  },
  true,
);

export function recall(form) {
  const values = JSON.parse(localStorage.getItem(key(form)) || "{}");
  for (const field of kept(form)) {
    const value = values[field.name];
    if (value === undefined) continue;
    if (field.type === "checkbox") field.checked = value;
    else if (field.tagName !== "SELECT" || [...field.options].some((one) => one.value === value)) field.value = value;
  }
}

// ---- text pasted anywhere on a page is taken, outside fields

export function whenPasted(take) {
  document.addEventListener("paste", (event) => {
    if (event.target.closest?.("input, textarea, select, dialog")) return;
    const text = event.clipboardData.getData("text/plain");
    if (!text.trim()) return;
    event.preventDefault();
    take(text);
  });
}

// Pasted rows in the form for new strips, with their preview.
export function fillRows(text) {
  const field = document.getElementById("add-names");
  if (!field) return notify("The form for new strips did not load. Paste again.");
  field.value = text;
  field.dispatchEvent(new Event("input", { bubbles: true }));
  field.focus();
}

// Rows pasted on a page without that form go on to the map's.
const PASTED = "lattice.pasted";
export const keepPasted = (text) => sessionStorage.setItem(PASTED, text);
export function takePasted() {
  const text = sessionStorage.getItem(PASTED);
  sessionStorage.removeItem(PASTED);
  return text;
}
