// Fields of forms that choose from a list too long to show: what is typed is completed by the server, as in the finder.
// The hidden field beside it has the value that is chosen.

import { Listbox } from "./listbox.js";

const PAUSE_MS = 120; // pause in typing
const boxes = new WeakMap(); // field → its list

function boxOf(input) {
  if (!boxes.has(input)) {
    const list = input.parentElement.querySelector("ul");
    boxes.set(input, new Listbox(input, list, (one) => take(input, one)));
  }
  return boxes.get(input);
}

function take(input, { name, value }) {
  input.value = name;
  input.parentElement.querySelector("[type=hidden]").value = value;
  boxOf(input).close();
}

async function complete(input) {
  const asked = new URLSearchParams({ q: input.value, strips: input.dataset.strips });
  const answer = await fetch(`${input.dataset.completes}?${asked}`, { headers: { Accept: "application/json" } });
  const { found } = await answer.json();
  if (document.activeElement !== input) return;
  boxOf(input).show(
    found.map(([value, name]) => ({ value, name })),
    found.length ? 0 : -1,
  );
}

const isCompleted = (element) => element.matches?.("input[data-completes]");
let waiting = 0;

document.addEventListener("input", ({ target }) => {
  if (!isCompleted(target)) return;
  target.parentElement.querySelector("[type=hidden]").value = "";
  clearTimeout(waiting);
  waiting = setTimeout(complete, PAUSE_MS, target);
});
document.addEventListener("focusin", ({ target }) => isCompleted(target) && complete(target));
document.addEventListener("focusout", ({ target }) => isCompleted(target) && boxOf(target).close());
document.addEventListener("keydown", (event) => {
  const input = event.target;
  if (!isCompleted(input)) return;
  const box = boxOf(input);
  if (event.key === "ArrowDown") box.walk(1);
  else if (event.key === "ArrowUp") box.walk(-1);
  else if ((event.key === "Enter" || event.key === "Tab") && box.entry) {
    take(input, box.entry);
    if (event.key === "Tab") return;
  } else if (event.key === "Escape" && box.found.length) box.close();
  else return;
  event.preventDefault();
  event.stopPropagation();
});
