// Actions on the selected strips: found by name in the side panel and in the quick-open. Those used before come first,
// then those that fit, in the order of the server.

import { ranked } from "./ranking.js";

const USED = "lattice.actions"; // name → how often it was chosen
const SHOWN = 9; // before anything is typed
const field = () => document.getElementById("action-find");
// In the order of the server: shown ones are moved to the end of the list.
const buttons = () => {
  const all = [...document.querySelectorAll("#action-list .action")];
  for (const [at, button] of all.entries()) button.dataset.at ??= at;
  return all.toSorted((a, b) => a.dataset.at - b.dataset.at);
};
const used = () => JSON.parse(localStorage.getItem(USED) || "{}");

const asEntry = (button) => ({ name: button.textContent.trim(), kind: button.dataset.words, button });
const byUse = () => {
  const counts = used();
  return ({ button }) => -(counts[button.dataset.action] ?? 0);
};

function draw() {
  const input = field();
  if (!input) return;
  const all = buttons().map(asEntry);
  const found = ranked(all, input.value, byUse());
  const shown = input.value.trim() ? found : found.slice(0, SHOWN);
  for (const { button } of all) button.parentElement.hidden = true;
  const list = document.getElementById("action-list");
  for (const { button } of shown) {
    button.parentElement.hidden = false;
    list.append(button.parentElement); // in their order
  }
  const more = all.length - shown.length;
  document.getElementById("action-more").textContent = shown.length
    ? more && !input.value.trim()
      ? `${more} more: type a name`
      : ""
    : "No action with this name.";
}

const shownButtons = () => [...document.querySelectorAll("#action-list li:not([hidden]) .action")];

function walk(step) {
  const all = [field(), ...shownButtons()];
  const at = all.indexOf(document.activeElement);
  all[Math.max(0, Math.min(all.length - 1, at + step))].focus();
}

document.addEventListener("input", (event) => event.target.id === "action-find" && draw());
document.addEventListener("keydown", (event) => {
  if (!event.target.closest?.("#actions")) return;
  if (event.key === "ArrowDown") walk(1);
  else if (event.key === "ArrowUp") walk(-1);
  else if (event.key === "Enter" && event.target === field()) shownButtons()[0]?.click();
  else return;
  event.preventDefault();
  event.stopPropagation();
});
document.addEventListener(
  "click",
  (event) => {
    const name = event.target.closest?.(".action")?.dataset.action;
    if (!name) return;
    const counts = used();
    localStorage.setItem(USED, JSON.stringify({ ...counts, [name]: (counts[name] ?? 0) + 1 }));
  },
  true,
);

// For the quick-open: the actions of the selection that the side panel shows.
export const actionCommands = () =>
  buttons().map((button) => ({ name: button.textContent.trim(), key: "selected strips", run: () => button.click() }));

export const focusActions = () => field()?.focus();

for (const name of ["htmx:afterSettle", "lattice:changed"]) document.addEventListener(name, draw);
draw();
