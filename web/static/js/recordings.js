// Recordings: files are uploaded two at a time and measured by the worker; Cancel keeps the finished ones.

import { begun, refill } from "./drafts.js";
import "./shared.js";

const AT_ONCE = 2;
const ENDING = /\.(wav|wave|rf64|bwf|flac|json)$/i;
const body = document.getElementById("rec-body");
const box = document.getElementById("rec-progress");
const bar = document.getElementById("rec-bar");
const said = document.getElementById("rec-said");
const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
const came = body.dataset.words || "measured";
let stop = null;

async function send(file, signal) {
  const form = new FormData();
  form.append("file", file);
  const answer = await fetch(body.dataset.file, {
    method: "POST",
    body: form,
    signal,
    headers: { "X-CSRFToken": token },
  });
  if (!answer.ok) throw new Error(await answer.text());
  return answer.text();
}

const tell = (words) => (said.textContent = words);
const rows = (list) => list.querySelectorAll("tbody tr").length;

// Uploaded so far; fields in use stay. Of two answers that cross, the one that lists less is older: the other stays.
function show(html) {
  const answer = document.createElement("template");
  answer.innerHTML = html;
  if (rows(answer.content) < rows(body)) return;
  const kept = begun();
  body.innerHTML = html;
  refill(kept);
}

// The worker's queue is polled until it is empty.
const AGAIN_MS = 700;
let isAsking = false;

async function follow() {
  if (isAsking || !body.dataset.again) return;
  isAsking = true;
  while (body.querySelector("[data-waiting]")) {
    await new Promise((then) => setTimeout(then, AGAIN_MS));
    const answer = await fetch(body.dataset.again).catch(() => null);
    if (answer?.ok) show(await answer.text());
  }
  isAsking = false;
}

async function measure(files) {
  const wanted = [...files].filter((file) => ENDING.test(file.name));
  const large = wanted.filter((file) => file.size > Number(body.dataset.largest));
  // A file that is too large to be measured here is reported by its size; nothing of it is sent.
  const queue = wanted.filter((file) => !large.includes(file));
  const total = queue.length;
  let done = 0;
  let failed = 0;
  let reason = "";
  stop = new AbortController();
  box.hidden = false;
  const aside = () =>
    (large.length ? `; ${large.length} larger than ${Number(body.dataset.largest) / 1024 ** 3} GiB left out` : "") +
    (failed ? `; ${failed} not received${reason}` : "");
  tell(total ? `0 of ${total}` : `No recordings selected (WAV, RF64, FLAC)${aside()}`);
  const worker = async () => {
    while (queue.length && !stop.signal.aborted) {
      const file = queue.shift();
      try {
        show(await send(file, stop.signal));
        follow();
      } catch (error) {
        if (!stop.signal.aborted) failed += 1;
        if (!stop.signal.aborted && error.message.length < 300) reason = `: ${error.message}`;
      }
      done += 1;
      bar.value = done / total;
      tell(`${done} of ${total}, ${file.name}${aside()}`);
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, worker));
  if (total) tell(stop.signal.aborted ? `Stopped; ${rows(body)} ${came}` : `${total - failed} ${came}${aside()}`);
  document.getElementById("rec-stop").hidden = true;
}

function begin(files) {
  document.getElementById("rec-stop").hidden = false;
  if (files.length) measure(files);
}

for (const id of ["rec-folder", "rec-files"])
  document.getElementById(id).addEventListener("change", (event) => begin(event.target.files));

document.getElementById("rec-stop").addEventListener("click", () => stop?.abort());
document.addEventListener("dragover", (event) => event.preventDefault());
document.addEventListener("drop", (event) => {
  event.preventDefault();
  begin(event.dataTransfer.files);
});
follow();
document.body.dataset.ready = "true";
