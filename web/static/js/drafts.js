// Typed values in fields with a button survive when that part of a page is replaced.

const isBox = (field) => field.matches("[type=checkbox], [type=radio]");
// The initial option of a list.
const first = (list) => [...list.options].find((option) => option.defaultSelected) ?? list.options[0];

export function isChanged(field) {
  if (field.matches("select")) return field.value !== (first(field)?.value ?? "");
  if (isBox(field)) return field.checked !== field.defaultChecked;
  return field.matches("input:not([type=file]), textarea") && field.value !== field.defaultValue;
}

// A field that posts its value on blur is no draft.
const drafts = () => [...document.querySelectorAll("form :is(input, select, textarea):not([data-write])")];
const placeOf = (field) =>
  field.id || [field.form.dataset.write ?? field.form.action, field.name, isBox(field) ? field.value : ""].join(" ");

export const begun = () =>
  drafts()
    .filter(isChanged)
    .map((field) => [placeOf(field), field.value, field.checked]);

export function refill(kept) {
  if (!kept.length) return;
  const fields = new Map(drafts().map((field) => [placeOf(field), field]));
  for (const [place, value, checked] of kept) {
    const field = fields.get(place);
    if (!field || isChanged(field)) continue;
    if (isBox(field)) field.checked = checked;
    else field.value = value;
  }
}
