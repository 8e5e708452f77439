// Derived templates: every choice loads the page again, by its address.

import { markDiffering } from "./differing.js";
import "./shared.js";

markDiffering();

const form = document.querySelector("form[data-asks]");

form?.addEventListener("change", (event) => {
  if (event.target.closest(".ru-name")) return;
  // Another original layout has other strips: the earlier selection has no meaning there.
  if (event.target.dataset.anew !== undefined)
    for (const field of form.querySelectorAll("[name=strip], [name=chosen]")) field.disabled = true;
  else
    for (const field of form.querySelectorAll("[name=chosen]"))
      field.disabled = event.target.name !== "strip" && !isChosen();
  for (const field of form.querySelectorAll("[name=csrfmiddlewaretoken], [name=base], .ru-name")) field.disabled = true;
  form.submit();
});

const isChosen = () => new URLSearchParams(location.search).has("chosen");
