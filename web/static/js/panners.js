// Panners on Ports: an input is dragged from its row to a loudspeaker of the drawing. The choosers do the same by keyboard.

import { write } from "./server.js";

const base = document.getElementById("state").dataset.base.replace(/map\/$/, "");
let held = null;

const speakerAt = (event) => document.elementFromPoint(event.clientX, event.clientY)?.closest(".speaker");

document.addEventListener("pointerdown", (event) => {
  const chip = event.target.closest(".panner-input");
  if (!chip) return;
  event.preventDefault();
  held = { chip, panner: chip.closest(".panner") };
  chip.classList.add("held");
});

document.addEventListener("pointermove", (event) => {
  if (!held) return;
  const over = speakerAt(event);
  for (const one of held.panner.querySelectorAll(".speaker")) one.classList.toggle("over", one === over);
});

document.addEventListener("pointerup", (event) => {
  if (!held) return;
  const { chip, panner } = held;
  held = null;
  chip.classList.remove("held");
  const speaker = speakerAt(event);
  for (const one of panner.querySelectorAll(".speaker.over")) one.classList.remove("over");
  if (speaker?.closest(".panner") !== panner) return;
  const values = { insert: panner.dataset.panner, input: chip.dataset.input, channel: speaker.dataset.channel };
  write(`${base}write/place_input/`, values);
});
