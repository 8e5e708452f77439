// A route with its channel pairs shown.

import { write } from "../server.js";

const dialog = document.getElementById("channels");
const base = document.getElementById("state").dataset.base.replace(/map\/$/, "");

export async function openChannels(route) {
  const answer = await fetch(`${base}panel/channels/${encodeURIComponent(route)}/`);
  if (!answer.ok) return;
  dialog.innerHTML = await answer.text();
  dialog.returnValue = "";
  dialog.showModal();
  dialog.querySelector("input")?.focus();
}

dialog.addEventListener("close", () => {
  const form = dialog.querySelector("form");
  if (!form || !["set", "map"].includes(dialog.returnValue)) return;
  const pairs = dialog.returnValue === "set" ? new FormData(form).getAll("pair").join(" ") : "";
  write(`${base}write/change_route/`, { route: form.dataset.route, channels: pairs, grid: "sound" });
});
