// Several users on a template: the page polls every two seconds for users, edits and comments, and then fetches the
// changes, after own edits in progress.

import { catchUp, open, shownNow } from "./server.js";

const FIRST_MS = 500; // the page's own requests come first
const EVERY_MS = 2000;
const SAID_MS = 12_000; // display time of another user's action

let quiet = 0; // the timer that removes the message

function show(here, words) {
  if (here.querySelector(":scope .company-said:hover")) return;
  here.innerHTML = words;
  clearTimeout(quiet);
  if (here.querySelector(".company-said button")) return; // until the page is reloaded
  quiet = setTimeout(() => here.querySelector(".company-said")?.remove(), SAID_MS);
}

// A strip in the side panel must be current, or typing would overwrite another user's edit.
const isOfStrip = () => document.querySelector("#panel h2[data-strip]") !== null;

// Comments in the side panel are reloaded unless the user is writing one.
const isIdle = (field) => !field.value && field !== document.activeElement;

function readRemarks() {
  const list = document.getElementById("remark-list");
  if (list && [...list.querySelectorAll("input, textarea")].every(isIdle)) open(list.dataset.again);
}

async function look() {
  const { place } = document.getElementById("state").dataset;
  const here = document.getElementById("company");
  const names = here.querySelector(".company-names")?.dataset.names || "";
  const asked = new URLSearchParams({ ...shownNow(), place, here: names });
  const answer = await fetch(`${here.dataset.news}?${asked}`, { redirect: "manual" });
  if (answer.status !== 200) return answer.status === 204;
  show(here, await answer.text());
  const { version, remarked } = here.querySelector(".company-names").dataset;
  if (!version) return true;
  const isRemarked = Number(remarked) > shownNow().remarked;
  await catchUp(here.dataset.catchUp, { version, remarked }, () => ({ margin: isOfStrip() ? "1" : "" }));
  if (isRemarked) readRemarks();
  return true;
}

async function again() {
  let goesOn = true;
  if (document.visibilityState === "visible") goesOn = await look().catch(() => true); // a server that is away comes back
  if (goesOn) setTimeout(again, EVERY_MS);
}

document.addEventListener("visibilitychange", () => document.visibilityState === "visible" && look().catch(() => {}));
if (document.getElementById("company")) setTimeout(again, FIRST_MS);

// The list of templates has the one opened last on top. Once the page is loaded, and once a minute at most.
const OPENED_ANEW_MS = 60_000;

function noteOpened() {
  const { opened } = document.getElementById("company").dataset;
  const key = `lattice.opened ${opened}`;
  if (Date.now() - Number(sessionStorage.getItem(key)) < OPENED_ANEW_MS) return;
  sessionStorage.setItem(key, Date.now());
  const headers = JSON.parse(document.body.getAttribute("hx-headers"));
  fetch(opened, { method: "POST", headers, keepalive: true }).catch(() => {});
}
if (document.getElementById("company")) setTimeout(noteOpened, FIRST_MS);
