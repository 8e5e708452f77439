// Others on the same template: the page asks every two seconds who is here and whether they have written or said something,
// and then fetches what has changed, behind the edits of one's own that are under way.

import { catchUp, open, shownNow } from "./server.js";

const FIRST_MS = 500; // what the page itself still needs comes first
const EVERY_MS = 2000;
const SAID_MS = 12_000; // how long it is said what somebody did

let quiet = 0; // the timer that takes back what was said

function show(here, words) {
  if (here.querySelector(":scope .company-said:hover")) return;
  here.innerHTML = words;
  clearTimeout(quiet);
  if (here.querySelector(".company-said button")) return; // until the page is loaded again
  quiet = setTimeout(() => here.querySelector(".company-said")?.remove(), SAID_MS);
}

// A strip in the margin has to be as it is now, or one would type over what somebody else has typed.
const isOfStrip = () => document.querySelector("#panel h2[data-strip]") !== null;

// Remarks in the margin are read anew where nobody is about to say something there.
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
