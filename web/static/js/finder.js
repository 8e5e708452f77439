// Quick-open: one field for strips by name and for commands; also the chooser of a strip for a route or a trace.

import { actionCommands } from "./actions.js";
import { table } from "./data.js";
import { rank, ranked } from "./ranking.js";

const HINT = "Find a strip or command";

export class Finder {
  constructor() {
    this.input = document.getElementById("find");
    this.list = document.getElementById("find-list");
    this.strips = [];
    table("strips").then((known) => this.know([...known.values()]));
    this.commands = [];
    this.admits = () => true;
    this.likely = () => 0;
    this.makes = () => null;
    this.found = [];
    this.at = 0;
    this.input.addEventListener("input", () => this.filter());
    this.input.addEventListener("focus", () => this.filter());
    this.input.addEventListener("blur", () =>
      setTimeout(() => document.activeElement !== this.input && this.close(), 120),
    );
    this.input.addEventListener("keydown", (event) => this.key(event));
    this.list.addEventListener("mousedown", (event) => {
      const row = event.target.closest("li[data-at]");
      if (row) {
        event.preventDefault();
        this.pick(this.found[row.dataset.at]);
      }
    });
  }

  know(strips) {
    this.strips = strips;
    if (this.list.hidden) return;
    const was = this.found[this.at];
    this.filter();
    const at = this.found.findIndex((one) => (one.id ?? one.name) === (was?.id ?? was?.name));
    if (at > 0) this.walk(at);
  }

  // `onPick` receives the strip; without it, strips and commands act as on this page. `admits` filters strips,
  // `likely` orders them, `makes` gives the strip that a typed text would make.
  ask(words = HINT, onPick = null, { admits = () => true, likely = () => 0, makes = () => null } = {}) {
    Object.assign(this, { onPick, admits, likely, makes });
    this.input.value = "";
    this.input.placeholder = words;
    this.input.parentElement.classList.toggle("asking", words !== HINT);
    this.input.focus();
    this.filter();
  }

  filter() {
    const typed = this.input.value;
    const strips = ranked(this.strips.filter(this.admits), typed, this.likely).slice(0, 30);
    const known = this.onPick || !typed.trim() ? [] : [...actionCommands(), ...this.commands];
    const commands = ranked(known, typed).slice(0, 8);
    const best = (found) => (found.length ? rank(found[0], typed) : Infinity);
    const made = this.onPick && this.makes(typed, this.strips);
    this.found = best(commands) < best(strips) ? [...commands, ...strips] : [...strips, ...commands];
    if (made) this.found.unshift(made);
    this.at = 0;
    this.draw();
  }

  draw() {
    this.list.replaceChildren(...this.found.map((one, number) => this.row(one, number)));
    if (!this.found.length) {
      const none = document.createElement("li");
      none.textContent = this.onPick ? "no strip with this name" : "no strip or command with this name";
      none.className = "quiet";
      this.list.append(none);
    }
    this.list.hidden = document.activeElement !== this.input;
    this.input.setAttribute("aria-expanded", !this.list.hidden);
    if (this.found.length) this.input.setAttribute("aria-activedescendant", `found-${this.at}`);
  }

  row(one, number) {
    const row = document.createElement("li");
    row.role = "option";
    row.id = `found-${number}`;
    row.dataset.at = number;
    row.setAttribute("aria-selected", number === this.at);
    const name = document.createElement("span");
    name.textContent = one.name;
    const where = document.createElement("span");
    where.className = "quiet";
    where.textContent = one.run ? one.key || "command" : `${one.kind} ${one.zone}`;
    row.append(name, where);
    return row;
  }

  walk(at) {
    this.at = at;
    this.draw();
    this.list.children[at]?.scrollIntoView({ block: "nearest" });
  }

  key(event) {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      const step = event.key === "ArrowDown" ? 1 : -1;
      this.walk((this.at + step + this.found.length) % Math.max(this.found.length, 1));
    } else if (event.key === "Enter") {
      event.preventDefault();
      // The user may be faster than the table of strips.
      table("strips").then(() => this.found[this.at] && this.pick(this.found[this.at]));
    } else if (event.key === "Escape") {
      this.input.blur();
    }
    event.stopPropagation();
  }

  pick(one) {
    const onPick = this.onPick || this.otherwise;
    this.close();
    this.input.blur();
    if (one.run) one.run();
    else onPick(one.id, one);
  }

  close() {
    this.list.hidden = true;
    this.input.setAttribute("aria-expanded", "false");
    this.input.value = "";
    this.input.placeholder = HINT;
    this.input.parentElement.classList.remove("asking");
    this.onPick = null;
    this.admits = () => true;
    this.likely = () => 0;
    this.makes = () => null;
  }
}
