// Everything that is asked of the server goes through one queue, in the order people asked for it: quick
// typing and quick undo are answered one by one, each on the state the one before has made. Elements say what
// they ask by data-write, data-values, data-get and data-poll; docs/decisions/0008 says why not by hx-post.

import { shown } from "./changes.js";
import { begun, refill } from "./drafts.js";

const ANSWER = "#answer"; // where answers to writes land: all they bring is put elsewhere
let queue = Promise.resolve();

function ask(verb, url, target, values, isStillWanted = () => true) {
  const send = () => isStillWanted() && htmx.ajax(verb, url, { target, swap: "innerHTML", values: values() });
  queue = queue.then(send).catch(() => {});
  return queue;
}

// The write that is under way, for a note that says why it was refused: what was typed can be sent again from there.
let underWay = null;
export const refusedWrite = () => underWay;

// `typed`: name and label of the one field that it comes from.
export function write(url, values = {}, typed = null) {
  return ask("POST", url, ANSWER, () => {
    underWay = { url, values, typed };
    return values;
  });
}

// A margin that waits for its answer still says what was chosen before: until that comes, nothing in it can be pressed,
// and what keys ask of it waits.
const MARGIN = "#panel";
let opened = 0;

export function open(url) {
  const mine = ++opened;
  const isLast = () => mine === opened; // one that was asked for before is not wanted any more
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

// What others have changed or said, unless the answers to one's own edits have brought it by then.
const versionShown = () => Number(document.getElementById("state").dataset.version);
export const shownNow = () => ({
  version: versionShown(),
  remarked: Number(document.getElementById("open-remarks").dataset.remarked),
});
export function catchUp(url, now, values) {
  const isNewer = () => Object.entries(shownNow()).some(([what, number]) => now[what] > number);
  return ask("POST", url, ANSWER, values, isNewer);
}

// What an element says: the values of those around it, its own, and what was typed.
function said(element) {
  const values = {};
  for (let at = element; at; at = at.parentElement) {
    for (const [name, value] of Object.entries(JSON.parse(at.dataset?.values || "{}"))) values[name] ??= value;
  }
  if (element.matches("form")) Object.assign(values, Object.fromEntries(new FormData(element)));
  if (element.matches("input, select, textarea")) values[element.name] = element.value;
  return values;
}

// A text field is said when it is left or Enter is pressed, with what stands in it then; a swap that takes
// the field away while somebody types in it is no leaving.
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

// Escape leaves a field as it was; Tab takes what an empty one suggests. Enter says a field here, since the browser tells
// of no change where the text was put back behind somebody else's edit.
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

// What goes on by itself, like a pack being made, is asked for until an answer no longer says so; beside the
// queue, so that nobody's edit waits for it. An answer that comes too late, or under somebody's hand in the part that
// data-calm names, swaps nothing.
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
  // What is posted answers like an edit, with the changes of the page; its target is never taken away meanwhile, since
  // nobody would hear of an answer to an element that has left the page.
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

// What of the page's address an answer depends on.
const OF_ADDRESS = "strip strips finding severity to at awake section set only of q family about code".split(" ");

// A write says which state of the template the page shows, so that a stale one is refused.
document.addEventListener("htmx:configRequest", (event) => {
  const state = document.getElementById("state");
  if (!state || event.detail.verb === "get") return;
  event.detail.parameters.base ??= state.dataset.version; // what is sent again says which state it was refused by
  event.detail.parameters.place = state.dataset.place;
  event.detail.parameters.shown = shown();
  const address = new URLSearchParams(location.search);
  for (const name of OF_ADDRESS) if (address.get(name)) event.detail.parameters[`chosen_${name}`] = address.get(name);
});

// What is being typed while an answer arrives is kept, and so are focus and caret.
let kept = null;
let unfolded = []; // what was unfolded stays so
let drafts = []; // what was begun, where others' edits are the reason; one's own empty the form they came from
document.addEventListener("htmx:beforeSwap", (event) => {
  if (!event.detail.shouldSwap) return; // nothing is taken away, and nobody says when it would be over
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
