// Import: a selected, dropped or pasted file is read at once. Every choice is posted as it is made, one after the
// other, and the page shows the new reading.

import { markDiffering } from "./differing.js";
import { isChanged } from "./drafts.js";
import "./shared.js";

const body = document.getElementById("bring-body");
let queue = Promise.resolve();

function choose(field, value) {
  queue = queue
    .then(() =>
      htmx.ajax("POST", body.dataset.choose, {
        target: "#bring-body",
        swap: "innerHTML",
        values: { field, value },
      }),
    )
    .catch(() => {});
}

body?.addEventListener("change", (event) => {
  const field = event.target.dataset.field;
  if (field) choose(field, event.target.dataset.value ?? event.target.value);
});

// A selection made before this script was loaded, or restored by the browser's Back.
for (const list of body?.querySelectorAll("select[data-field]") ?? [])
  if (isChanged(list)) choose(list.dataset.field, list.dataset.value ?? list.value);

body?.addEventListener("click", (event) => {
  const button = event.target.closest("button[data-field]");
  if (button) choose(button.dataset.field, button.dataset.value);
  const all = event.target.closest("[data-all]");
  if (!all) return;
  const boxes = [...all.closest("details").querySelectorAll("[data-field=tick]")];
  const turned = boxes.filter((box) => box.checked !== Boolean(all.dataset.all));
  if (turned.length) choose("tick", turned.map((box) => box.dataset.value).join(" "));
});

document.addEventListener("htmx:afterSwap", markDiffering);
markDiffering();

// The last typed value is posted before Save.
body?.addEventListener("submit", (event) => {
  if (event.target.id !== "bring-keep" || event.target.dataset.ready) return;
  event.preventDefault();
  queue.then(() => {
    const form = document.getElementById("bring-keep");
    form.dataset.ready = "1";
    form.submit();
  });
});

const form = document.getElementById("bring-form");

form?.elements.file.addEventListener("change", () => form.submit());

document.addEventListener("dragover", (event) => form && event.preventDefault());
document.addEventListener("drop", (event) => {
  if (!form || !event.dataTransfer.files.length) return;
  event.preventDefault();
  form.elements.file.files = event.dataTransfer.files;
  form.submit();
});

// A range or a file pasted beside the fields is the import.
document.addEventListener("paste", (event) => {
  if (!form || event.target.matches("input, textarea")) return;
  const { files } = event.clipboardData;
  if (files.length) form.elements.file.files = files;
  else form.elements.text.value = event.clipboardData.getData("text/plain");
  form.submit();
});
