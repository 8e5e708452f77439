// What would be made of a template: every choice asks for the page anew, by its address.

import { markDiffering } from "./differing.js";
import "./shared.js";

markDiffering();

const form = document.querySelector("form[data-asks]");

form?.addEventListener("change", (event) => {
  if (event.target.closest(".ru-name")) return;
  // Another layout to begin with has other strips: what was ticked means nothing there.
  if (event.target.dataset.anew !== undefined)
    for (const field of form.querySelectorAll("[name=strip], [name=chosen]")) field.disabled = true;
  else
    for (const field of form.querySelectorAll("[name=chosen]"))
      field.disabled = event.target.name !== "strip" && !isChosen();
  for (const field of form.querySelectorAll("[name=csrfmiddlewaretoken], [name=base], .ru-name")) field.disabled = true;
  form.submit();
});

const isChosen = () => new URLSearchParams(location.search).has("chosen");
