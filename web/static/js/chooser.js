// The small chooser of new routes: from one strip or several to one, with the kinds that may connect them.

import { now } from "./data.js";

const field = (name) => document.getElementById(`chooser-${name}`);
const FED = ["bus", "return", "master", "print", "output", "audio"]; // likely ends first
const WIDE = 3; // from as many channels on a choice of channels is useful

// Kinds of routes that two strips allow; the server decides.
export function kindsBetween(from, to) {
  if (from.kind === "midi" || (from.outboard && from.kind === "instrument" && to.kind === "instrument"))
    return ["instrument", "midi"].includes(to.kind) ? ["midi"] : [];
  if (to.kind === "midi") return from.kind === "input" ? ["midi"] : [];
  const kinds = [];
  if (from.machine !== to.machine) {
    if (from.kind === "output" && to.kind === "input") kinds.push("tie");
  } else if (from.kind !== "output" && FED.includes(to.kind)) kinds.push("feed", "send");
  if (to.keyable) kinds.push("key");
  if (from.kind === "input" && to.kind === "instrument") kinds.push("midi");
  return kinds;
}

// “Out 3-4” typed as a destination: the output of these channels, which is made where no strip has the name.
const PHYSICAL = /^\s*outs?\s*(\d{1,3})(?:\s*[-–/]\s*(\d{1,3}))?\s*$/i;

function physicalEnd(typed, strips, from) {
  const match = PHYSICAL.exec(typed);
  if (!match || !from) return null;
  const [first, last] = [Number(match[1]), Number(match[2] ?? match[1])];
  const name = last > first ? `Out ${first}–${last}` : `Out ${first}`;
  if (first < 1 || last < first || strips.some((one) => one.name === name)) return null;
  return { id: name, name, kind: "output", zone: "new", machine: from.machine, keyable: null, width: last - first + 1 };
}

// The prompt of the finder, and the order of its ends: sums of the own section, sums, ends, tracks. `froms` gives the
// strips, whose table may arrive during typing.
export function endsOf(froms) {
  const isOfTheirSection = (to) => to.section && froms().some((from) => from.section === to.section);
  return {
    admits: (to) => froms().every((from) => from.id !== to.id && kindsBetween(from, to).length),
    likely: (to) => (FED.indexOf(to.kind) + 1 || FED.length) - (isOfTheirSection(to) ? 0.5 : 0),
    makes: (typed, strips) => physicalEnd(typed, strips, froms()[0]),
  };
}

export class Chooser {
  constructor(post) {
    this.post = post;
    this.dialog = document.getElementById("chooser");
    this.dialog.addEventListener("click", (event) => {
      const { kind, instead } = event.target.dataset;
      if (kind) this.take(kind, Boolean(instead));
    });
    this.dialog.addEventListener("keydown", (event) => {
      if (event.key === "Enter" && event.target === field("gain")) {
        event.preventDefault();
        this.take("send");
      }
      event.stopPropagation();
    });
  }

  open(froms, to, outlet, at) {
    Object.assign(this, { froms, to, outlet });
    const kinds = ["feed", "send", "key", "midi", "tie"].filter((kind) =>
      froms.every((from) => kindsBetween(from, to).includes(kind)),
    );
    const many = froms.length > 1;
    field("from").textContent = many ? `${froms.length} strips` : froms[0].name + (outlet ? ` ${outlet}` : "");
    field("to").textContent = to.name;
    this.offer(kinds, many);
    this.dialog.showModal();
    const { width, height } = this.dialog.getBoundingClientRect();
    this.dialog.style.left = `${Math.max(8, Math.min(innerWidth - width - 8, at[0] + 8))}px`;
    this.dialog.style.top = `${Math.max(50, Math.min(innerHeight - height - 8, at[1] + 8))}px`;
    (this.dialog.querySelector("[data-kind]:not([hidden])") || this.dialog.querySelector("button")).focus();
  }

  // Permitted routes only: a feed in place of existing ones, or beside them.
  offer(kinds, many) {
    const going = this.outlet ? [] : this.froms.filter((from) => from.feeds);
    const where = [...new Set(going.flatMap((from) => from.feeds.split(" ")))];
    const names = where.map((id) => now("strips").get(id)?.name || id);
    for (const button of this.dialog.querySelectorAll("[data-kind]"))
      button.hidden = !kinds.includes(button.dataset.kind) || (Boolean(button.dataset.instead) && !going.length);
    field("feed").textContent = going.length ? "Feed as well" : "Feed";
    const who = many ? `${going.length} of them go` : "It goes";
    const shown = names.slice(0, 3).join("; ") + (names.length > 3 ? " …" : "");
    field("now").textContent = going.length ? `${who} to ${shown} now` : "";
    field("none").hidden = kinds.length > 0;
    field("levels").hidden = !["feed", "send", "key"].some((kind) => kinds.includes(kind));
    field("keys").hidden = !kinds.includes("key");
    field("one-each").hidden = !many || !["feed", "tie", "midi"].some((kind) => kinds.includes(kind));
    field("pairwise").checked = false;
    field("channels").hidden = !kinds.includes("feed") || this.to.width < WIDE || Boolean(this.outlet);
    field("first").value = "";
    // Players get their own mix at its level; effect sends commonly start lower (common practice).
    field("gain").value = /phone|cue|foldback/i.test(this.to.name) ? "0 dB" : "-10 dB";
    field("insert").replaceChildren(...(this.to.keyable || []).map(([id, name]) => new Option(name, id)));
  }

  take(kind, instead) {
    this.dialog.close();
    const tap = ["feed", "send", "key"].includes(kind) && !this.outlet ? { tap: field("tap").value } : {};
    const level = kind === "send" ? { gain_db: field("gain").value } : {};
    const shared = { kind, ...tap, ...level, ...(instead ? { instead: "yes" } : {}) };
    const [first] = this.froms;
    const channel = field("channels").hidden ? "" : field("first").value.trim();
    if (this.froms.length === 1 && !channel)
      return this.post("connect", {
        ...shared,
        from: this.outlet ? `${first.id}/${this.outlet}` : first.id,
        to: this.to.id,
        ...(kind === "key" ? { to_insert: field("insert").value } : {}),
      });
    const strips = this.froms.map((from) => from.id).join(" ");
    const edit = field("pairwise").checked && kind !== "key" ? "connect_pairwise" : "connect_many";
    const to = kind === "key" ? `${this.to.id}/${field("insert").value}` : this.to.id;
    return this.post(edit, { ...shared, strips, to, ...(channel ? { first_channel: channel } : {}) });
  }
}
