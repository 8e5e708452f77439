// Commands of the quick-open beside strips on every page, and the keys that work everywhere.

import { Finder } from "./finder.js";

export const finder = document.getElementById("find") ? new Finder() : null;
const click = (id) => () => document.getElementById(id)?.click();
const help = () => document.getElementById("help").showModal();

const common = [
  ...[...document.querySelectorAll(".places a")].map((link) => ({
    name: `Go to ${link.textContent}`,
    run: () => link.click(),
  })),
  { name: "Undo", key: "Ctrl z", run: click("undo") },
  { name: "Redo", key: "Ctrl y", run: click("redo") },
  { name: "Light or dark theme", run: click("sheet-switch") },
  { name: "Shortcuts", key: "?", run: help },
  {
    name: "Import updated sheet",
    run: () => location.assign(`/t/${document.getElementById("state").dataset.pk}/import/`),
  },
  {
    name: "Comments",
    run: () => location.assign(`/t/${document.getElementById("state").dataset.pk}/map/?remarks=all`),
  },
  { name: "Your account", run: () => location.assign("/account/") },
  { name: "All templates", run: () => document.querySelector(".brand").click() },
];

// Called by each page: the action of selecting a strip there, and the page's own commands.
export function offer(choose, commands = []) {
  if (!finder) return;
  finder.otherwise = choose;
  finder.commands = [...commands, ...common];
}

const quiet = (event) =>
  event.target.matches("input, textarea, select") ||
  event.target.closest("dialog") ||
  event.ctrlKey ||
  event.metaKey ||
  event.altKey;

document.addEventListener("keydown", (event) => {
  if (quiet(event) || !finder) return;
  if (event.key === "/") finder.ask();
  else if (event.key === "?") help();
  else return;
  event.preventDefault();
});
