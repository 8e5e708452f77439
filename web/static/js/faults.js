// Faults of the simulated session: a kind, a place and a value are joined as on the command line.

const USUAL = { STRIP: "", ROUTE: "", SOURCE: "", STEM: "", INSERT: "" };

// “gain:ROUTE:+3” has a value, “feed:SOURCE:STRIP” a second place, “mute:STRIP” neither.
const rest = (form) => form.split(":").slice(2);

function show(section) {
  const [value] = rest(section.querySelector("[data-fault-kind]").value);
  const field = section.querySelector("[data-fault-value]");
  field.hidden = value === undefined;
  field.value = value in USUAL ? "" : (value ?? "");
  field.placeholder = value in USUAL ? "strip" : "";
  if (value in USUAL) field.setAttribute("list", "fault-places");
  else field.removeAttribute("list");
}

for (const section of document.querySelectorAll(".stand-in")) show(section);

document.addEventListener("change", (event) => {
  if (event.target.matches("[data-fault-kind]")) show(event.target.closest(".stand-in"));
});

document.addEventListener("click", (event) => {
  if (!event.target.matches("[data-fault-add]")) return;
  const section = event.target.closest(".stand-in");
  const [kind] = section.querySelector("[data-fault-kind]").value.split(":");
  const place = section.querySelector("[data-fault-place]");
  const value = section.querySelector("[data-fault-value]");
  if (!place.value.trim()) return place.focus();
  const fault = [kind, place.value.trim(), ...(value.hidden ? [] : [value.value.trim()])].join(":");
  const field = section.querySelector("[name=faults]");
  field.value = `${field.value} ${fault}`.trim();
  place.value = "";
});
