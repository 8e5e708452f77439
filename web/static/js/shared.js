// Common scripts of every page: the theme switch, undo and redo.

import { notify } from "./notes.js";
import { write } from "./server.js";

const root = document.documentElement;

document.getElementById("sheet-switch").addEventListener("click", () => {
  const isDark = root.dataset.sheet
    ? root.dataset.sheet === "dark"
    : matchMedia("(prefers-color-scheme: dark)").matches;
  root.dataset.sheet = isDark ? "paper" : "dark";
  document.cookie = `sheet=${root.dataset.sheet}; path=/; max-age=31536000; samesite=lax`;
});

document.addEventListener("htmx:responseError", (event) =>
  notify(
    event.detail.xhr.status < 500
      ? "Not saved. Reload to see the current version."
      : "Server error. Reload to see if your change was saved.",
  ),
);

// An edit may have been stored before the answer was lost. The poll for news brings it as soon as the server
// responds.
for (const name of ["htmx:sendError", "htmx:timeout"])
  document.addEventListener(name, (event) => {
    const isRead = event.detail.requestConfig.verb === "get";
    const seen = document.getElementById("company") ? "When it is back, this page shows" : "Reload to see";
    const words = isRead
      ? "The server does not answer. Try again in a moment."
      : `The server does not answer. ${seen} if your change was saved.`;
    notify(words, { untilAnswered: true });
  });

document.addEventListener("keydown", (event) => {
  const typing = event.target.matches("input, textarea, select");
  if (!(event.ctrlKey || event.metaKey) || event.altKey || typing) return;
  const key = event.key.toLowerCase();
  const which = key === "z" ? (event.shiftKey ? "redo" : "undo") : key === "y" ? "redo" : "";
  const button = which && document.getElementById(which);
  if (!button) return;
  event.preventDefault();
  write(button.dataset.write); // independent of the button's own state, which an answer may change
});

// Every page shows the same selection: it is part of the address.
document.addEventListener("click", (event) => {
  const link = event.target.closest(".places a, #counts");
  if (!link) return;
  const [here, there] = [new URLSearchParams(location.search), new URL(link.href)];
  for (const name of ["strip", "strips"]) if (here.get(name)) there.searchParams.set(name, here.get(name));
  link.href = there;
});
