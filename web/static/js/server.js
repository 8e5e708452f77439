// All requests to the server go through one queue, in the user's order: quick typing and quick undo are answered one
// by one, each on the version of the one before. Elements state their request by data-write, data-values, data-get
// and data-poll; docs/decisions/0008 gives the reasons against hx-post.

import { shown } from "./changes.js";
import { begun, refill } from "./drafts.js";
import { valuesOf } from "./values.js";

const ANSWER = "#answer"; // target of answers to writes: all their parts are placed elsewhere
let queue = Promise.resolve();

function ask(verb, url, target, values, isStillWanted = () => true) {
  const send = () => isStillWanted() && htmx.ajax(verb, url, { target, swap: "innerHTML", values: values() });
  queue = queue.then(send).catch(() => {});
  return queue;
}

// The current write, for a note with the reason of its refusal: the typed value can be sent again from there.
let underWay = null;
export const refusedWrite = () => underWay;

// `typed`: name and label of its one field.
export function write(url, values = {}, typed = null) {
  return ask("POST", url, ANSWER, () => {
    underWay = { url, values, typed };
    return values;
  });
}

// A side panel that is loading still shows the previous selection: until the answer, nothing in it can be pressed,
// and its keys are delayed.
const MARGIN = "#panel";
let opened = 0;

export function open(url) {
  const mine = ++opened;
  const isLast = () => mine === opened; // an earlier request is obsolete
  const margin = document.querySelector(MARGIN);
  margin.ariaBusy = "true";
  return ask("GET", url, MARGIN, () => ({}), isLast).then(() => isLast() && (margin.ariaBusy = "false"));
}

export const whenAnswered = (deed) => queue.then(deed);

const isBehind = (element) => element.closest?.(`${MARGIN}[aria-busy="true"]`);
for (const name of ["click", "submit", "change"])
  document.addEventListener(
    name,
    (event) => {
      if (!isBehind(event.target)) return;
      event.preventDefault();
      event.stopImmediatePropagation();
    },
    { capture: true },
  );

// Others' changes and comments, unless the answers to own edits have brought them.
const versionShown = () => Number(document.getElementById("state").dataset.version);
export const shownNow = () => ({
  version: versionShown(),
  remarked: Number(document.getElementById("open-remarks").dataset.remarked),
});
export function catchUp(url, now, values) {
  const isNewer = () => Object.entries(shownNow()).some(([what, number]) => now[what] > number);
  return ask("POST", url, ANSWER, values, isNewer);
}

// The values of an element: those of its parents, its own, and the typed text.
function said(element) {
  const values = {};
  for (let at = element; at; at = at.parentElement) {
    for (const [name, value] of Object.entries(JSON.parse(at.dataset?.values || "{}"))) values[name] ??= value;
  }
  if (element.matches("form")) Object.assign(values, valuesOf(element));
  if (element.matches("input, select, textarea")) values[element.name] = element.value;
  return values;
}

// A text field is posted on blur or Enter, with its value then; a swap that removes the field during typing is no
// blur.
const TEXT = "input[data-write]:not([type=color]):not([type=checkbox]), textarea[data-write]";
let swapping = false;

function commit(field) {
  if (swapping || field.value === field.defaultValue) return;
  const values = said(field);
  field.defaultValue = field.value;
  write(field.dataset.write, values, typedIn(field));
}
const typedIn = (field) => ({
  name: field.name,
  label: (field.labels?.[0]?.textContent || field.ariaLabel || "").trim(),
});

// Escape restores a field; Tab enters the suggestion of an empty one. Enter posts a field here, since the browser
// fires no change event if the text was restored after another user's edit.
document.addEventListener("keydown", (event) => {
  const field = event.target;
  if (event.key === "Enter" && field.matches(TEXT) && field.matches("input")) commit(field);
  else if (event.key === "Escape" && field.matches(TEXT)) {
    field.value = field.defaultValue;
    field.blur();
    event.stopPropagation();
  } else if (event.key === "Tab" && !event.shiftKey && field.dataset?.suggest && !field.value)
    field.value = field.dataset.suggest;
});

document.addEventListener("focusout", (event) => event.target.matches(TEXT) && commit(event.target));
document.addEventListener("change", (event) => {
  if (event.target.matches(TEXT)) commit(event.target);
  else if (event.target.matches("select[data-write], input[data-write]"))
    write(event.target.dataset.write, said(event.target));
});

document.addEventListener("submit", (event) => {
  if (!event.target.dataset.write) return;
  event.preventDefault();
  const values = said(event.target);
  write(event.target.dataset.write, values);
});

document.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (button?.dataset.write) write(button.dataset.write, said(button));
  if (button?.dataset.get) open(button.dataset.get);
});

// Running jobs, like a pack, are polled until an answer no longer requests it; beside the queue, so that no edit is
// delayed. An answer that is late, or that would replace a part in use (data-calm), swaps nothing.
const POLL_MS = 700;

const isInUse = (part) => part?.matches(":hover") || part?.contains(document.activeElement);
const mayChange = (waiting) =>
  waiting.isConnected && !(waiting.dataset.calm && isInUse(document.querySelector(waiting.dataset.calm)));

function poll() {
  for (const waiting of document.querySelectorAll("[data-poll]:not([data-asked])")) {
    waiting.dataset.asked = "true";
    setTimeout(() => look(waiting), POLL_MS);
  }
}

function look(waiting) {
  const later = () => waiting.isConnected && setTimeout(() => look(waiting), POLL_MS);
  if (!mayChange(waiting)) return later();
  const target = `#${waiting.parentElement.id}`;
  // A posted form is answered like an edit, with the changes of the page; its target is never removed meanwhile,
  // since an answer to a removed element would be lost.
  const how = waiting.dataset.verb === "POST" ? { target: ANSWER, swap: "none" } : { target, swap: "innerHTML" };
  htmx.ajax(waiting.dataset.verb || "GET", waiting.dataset.poll, { source: waiting, ...how }).then(later, () => {});
}

document.addEventListener("htmx:beforeSwap", (event) => {
  const waiting = event.detail.requestConfig?.elt;
  if (!waiting?.dataset?.poll) return;
  const version = event.detail.xhr.getResponseHeader("X-Version"); // an edit may have been answered since
  const isOld = version !== null && Number(version) < versionShown();
  if (isOld || !mayChange(waiting)) event.detail.shouldSwap = false;
});
poll();
for (const name of ["htmx:afterSwap", "htmx:oobAfterSwap", "lattice:changed"]) document.addEventListener(name, poll);

// The parameters of the page's address that an answer depends on.
const OF_ADDRESS = "strip strips finding severity to at awake section set only of q family about code".split(" ");

// A write states the page's version of the template, so that a stale one is refused.
document.addEventListener("htmx:configRequest", (event) => {
  const state = document.getElementById("state");
  if (!state || event.detail.verb === "get") return;
  event.detail.parameters.base ??= state.dataset.version; // a repeated write states the version of its refusal
  event.detail.parameters.place = state.dataset.place;
  event.detail.parameters.shown = shown();
  const address = new URLSearchParams(location.search);
  for (const name of OF_ADDRESS) if (address.get(name)) event.detail.parameters[`chosen_${name}`] = address.get(name);
});

// Text in the focused field survives an answer, and so do focus and caret.
let kept = null;
let unfolded = []; // expanded parts stay expanded
let drafts = []; // typed values, if others' edits are the reason; own edits empty their form
document.addEventListener("htmx:beforeSwap", (event) => {
  if (!event.detail.shouldSwap) return; // nothing is removed, and no event would report its end
  swapping = true;
  unfolded = [...document.querySelectorAll("details[open][id]")].map((one) => one.id);
  drafts = event.detail.requestConfig.path.endsWith("/catch-up/") ? begun() : [];
  const at = document.activeElement;
  const isText = at?.matches("input:not([type=color]):not([type=checkbox]), textarea");
  kept = at?.id
    ? {
        id: at.id,
        range: isText ? [at.selectionStart, at.selectionEnd] : null,
        typed: isText && at.value !== at.defaultValue ? at.value : null,
      }
    : null;
});
document.addEventListener("htmx:afterSwap", () => {
  swapping = false;
  restore();
});
document.addEventListener("htmx:afterRequest", () => (swapping = false)); // a refused answer swaps nothing
document.addEventListener("htmx:oobAfterSwap", restore);
function restore() {
  for (const id of unfolded) document.getElementById(id)?.setAttribute("open", "");
  refill(drafts);
  const at = kept && document.getElementById(kept.id);
  if (!at || at === document.activeElement) return;
  at.focus({ preventScroll: true });
  if (kept.typed !== null) at.value = kept.typed;
  if (kept.range) at.setSelectionRange(...kept.range);
}
