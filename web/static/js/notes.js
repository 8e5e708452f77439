// Notes over the page: the reason of a refused edit, a server without response. A note stays until it is closed, its
// edit is stored, or, if it is marked so, the server responds again; other answers do not remove it.

import { refusedWrite, write } from "./server.js";

const notes = document.getElementById("notice");
const REFUSED = [403, 409, 422, 503];
const writes = new WeakMap(); // note → its write

const element = (name, fields = {}, ...inside) => {
  const made = Object.assign(document.createElement(name), fields);
  made.append(...inside);
  return made;
};

export function notify(words, { untilAnswered = false } = {}) {
  const close = element("button", { type: "button", className: "btn plain small", textContent: "Close" });
  close.dataset.do = "dismiss";
  const note = element(
    "div",
    { className: "strip-note warn", role: "alert" },
    element("p", { textContent: words }),
    close,
  );
  note.dataset.untilAnswered = untilAnswered ? "yes" : "";
  for (const old of notes.children) if (old.firstChild.textContent === words) old.remove();
  notes.prepend(note);
}

// Two writes have the same subject if everything except the typed value is the same.
function keyOf({ url, values, typed }) {
  const about = Object.entries(values).filter(([name]) => name !== "base" && name !== typed?.name);
  return JSON.stringify([url, typed?.name, about]);
}
const notesOf = (refused) =>
  [...notes.children].filter((note) => writes.has(note) && keyOf(writes.get(note)) === keyOf(refused));

// The typed value is in the note, to be sent again unchanged or corrected.
function offerAgain(note, refused, status) {
  const { values, typed } = refused;
  if (!typed && (status !== 409 || !Object.keys(values).length)) return;
  if (typed) note.querySelector('[data-do="again"]')?.remove();
  const words = status === 409 ? "Apply my change" : "Try again";
  const button = element("button", { className: "btn act small", textContent: words });
  const form = element("form", { className: "sent-again" });
  if (typed) {
    const field = element("input", { className: "form-control", name: typed.name, value: values[typed.name] });
    form.append(element("label", {}, `${typed.label || typed.name} `, field), " ");
  }
  form.append(button);
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    send(note, refused, typed ? { [typed.name]: form.elements[typed.name].value } : {});
  });
  note.insertBefore(form, note.querySelector(":scope > button"));
}

// After a conflict it is sent again for the version in the note.
function send(note, { url, values, typed }, changes = {}) {
  note.remove();
  const { version } = note.dataset;
  write(url, { ...values, ...changes, ...(version ? { base: version } : {}) }, typed);
}

document.addEventListener("htmx:afterSwap", (event) => {
  if (event.detail.target !== notes) return;
  notes.replaceChildren(...notes.children); // white space of the answer would keep the place visible
  const [note, { status }, refused] = [notes.firstElementChild, event.detail.xhr, refusedWrite()];
  const isOfWrite = refused && event.detail.requestConfig.path === refused.url;
  if (!note || !isOfWrite || !REFUSED.includes(status)) return;
  for (const old of notesOf(refused)) old.remove();
  writes.set(note, refused);
  offerAgain(note, refused, status);
});

document.addEventListener("htmx:afterRequest", (event) => {
  const { xhr, requestConfig } = event.detail;
  if (xhr.status < 200 || xhr.status >= 400) return; // for htmx a shown refusal is a success too
  for (const note of notes.querySelectorAll('[data-until-answered="yes"]')) note.remove();
  const stored = refusedWrite();
  if (stored && requestConfig.verb === "post" && requestConfig.path === stored.url)
    for (const note of notesOf(stored)) note.remove();
});

document.addEventListener("click", (event) => {
  const action = event.target.dataset?.do;
  if (action === "reload") location.reload();
  const note = event.target.closest("#notice .strip-note");
  if (action === "dismiss") note?.remove();
  if (action === "again" && writes.has(note)) send(note, writes.get(note));
});
