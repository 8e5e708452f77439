// A list below a field that completes what is typed: arrow keys walk it, its entry is taken with Enter or the pointer.

export const MOST = 50; // entries

export class Listbox {
  constructor(input, list, onTake) {
    Object.assign(this, { input, list, found: [], chosen: -1 });
    list.addEventListener("mousedown", (event) => {
      const row = event.target.closest("li");
      event.preventDefault();
      if (row) onTake(this.found[row.dataset.at]);
    });
  }

  // Entries with a `name`; `chosen` is the one that Enter takes, −1 for none.
  show(found, chosen = -1) {
    this.found = found;
    this.chosen = chosen;
    this.list.replaceChildren(...found.map((one, n) => this.row(one, n)));
    this.list.hidden = !found.length;
    this.input.setAttribute("aria-expanded", !this.list.hidden);
    this.mark();
  }

  row(one, n) {
    const row = document.createElement("li");
    Object.assign(row, { id: `${this.list.id}-${n}`, textContent: one.name, role: "option" });
    row.dataset.at = n;
    return row;
  }

  mark() {
    for (const row of this.list.children) row.ariaSelected = Number(row.dataset.at) === this.chosen;
    if (this.chosen >= 0) this.input.setAttribute("aria-activedescendant", `${this.list.id}-${this.chosen}`);
    else this.input.removeAttribute("aria-activedescendant");
    this.list.children[this.chosen]?.scrollIntoView({ block: "nearest" });
  }

  walk(step) {
    this.chosen = Math.max(-1, Math.min(this.found.length - 1, this.chosen + step));
    this.mark();
  }

  get entry() {
    return this.found[this.chosen];
  }

  close() {
    this.show([]);
  }
}
