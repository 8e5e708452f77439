// Views of the map: the chooser below it, keys 1 to 9, and the panel that hides kinds and keeps views.

import { base, open, panel, post, view } from "./drawing.js";
import { write } from "../server.js";

const root = document.documentElement;
const chooser = () => document.getElementById("view-choice");
const isDark = () =>
  root.dataset.sheet ? root.dataset.sheet === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;

// The view is part of the address, so that a link shows it.
function link(name) {
  const here = new URL(location);
  if (name) here.searchParams.set("view", name);
  else here.searchParams.delete("view");
  history.replaceState(null, "", here);
}

function show(name) {
  const option = [...chooser().options].find((one) => one.value === name);
  link(name);
  return post("view", { view: name }).then(() => {
    const { at, dark } = JSON.parse(option?.dataset.look || "{}");
    if (at) {
      [view.x, view.y, view.scale] = at;
      view.apply();
    }
    if (typeof dark === "boolean" && dark !== isDark()) document.getElementById("sheet-switch").click();
  });
}

// A key shows its view; the same key again shows everything.
export function showKey(number) {
  const option = [...chooser().options].filter((one) => !one.disabled)[number];
  if (option) show(option.selected ? "" : option.value);
}

document.addEventListener("change", (event) => {
  if (event.target === chooser()) show(event.target.value);
  if (event.target.closest("#hide-kinds, #hide-routes")) hide();
});

const unticked = (id) => [...panel.querySelectorAll(`#${id} input:not(:checked)`)].map((one) => one.value).join(" ");

function hide() {
  link("");
  post("hide", { kinds: unticked("hide-kinds"), routes: unticked("hide-routes") });
}

panel.addEventListener("click", (event) => {
  const { view: name, dropsView } = event.target.closest("button")?.dataset ?? {};
  if (name) show(name).then(() => open("views/"));
  if (dropsView) write(`${base}write/remove_views/`, { names: dropsView }).then(() => open("views/"));
});

panel.addEventListener("submit", (event) => {
  if (event.target.id !== "keep-view") return;
  event.preventDefault();
  const name = event.target.elements.name.value;
  const at = [view.x, view.y, view.scale].map((one) => one.toFixed(2)).join(" ");
  write(`${base}write/keep-view/`, { name, at, sheet: isDark() ? "dark" : "paper" }).then(() => {
    link(name);
    open("views/");
  });
});

// A link with a view shows it.
export function showLinked() {
  const wanted = new URLSearchParams(location.search).get("view");
  const option = wanted && [...chooser().options].find((one, key) => one.value === wanted || String(key) === wanted);
  if (option && !option.selected) show(option.value);
}
