// One field to find a strip by name; also asked for a destination when connecting or tracing.

export class Finder {
  constructor(strips) {
    this.input = document.getElementById("find");
    this.list = document.getElementById("find-list");
    this.strips = strips;
    this.at = 0;
    this.input.addEventListener("input", () => this.filter());
    this.input.addEventListener("focus", () => this.filter());
    this.input.addEventListener("blur", () => setTimeout(() => this.close(), 120));
    this.input.addEventListener("keydown", (event) => this.key(event));
    this.list.addEventListener("mousedown", (event) => {
      const row = event.target.closest("li[data-id]");
      if (row) {
        event.preventDefault();
        this.pick(row.dataset.id);
      }
    });
  }

  ask(words, then) {
    this.then = then;
    this.input.value = "";
    this.input.placeholder = words;
    this.input.parentElement.classList.toggle("asking", words !== "Find a strip");
    this.input.focus();
    this.filter();
  }

  filter() {
    const words = this.input.value.toLowerCase().split(/\s+/).filter(Boolean);
    const hits = (text) => words.every((word) => text.toLowerCase().includes(word));
    const first = words[0] || "";
    this.found = this.strips
      .filter((strip) => hits(`${strip.n} ${strip.i} ${strip.k}`))
      .sort((a, b) => b.n.toLowerCase().startsWith(first) - a.n.toLowerCase().startsWith(first))
      .slice(0, 30);
    this.at = 0;
    this.draw();
  }

  draw() {
    this.list.replaceChildren(
      ...this.found.map((strip, number) => {
        const row = document.createElement("li");
        row.role = "option";
        row.id = `found-${number}`;
        row.dataset.id = strip.i;
        row.setAttribute("aria-selected", number === this.at);
        const name = document.createElement("span");
        name.textContent = strip.n;
        const where = document.createElement("span");
        where.className = "quiet";
        where.textContent = `${strip.k} ${strip.z}`;
        row.append(name, where);
        return row;
      }),
    );
    if (!this.found.length) {
      const none = document.createElement("li");
      none.textContent = "no strip of that name";
      none.className = "quiet";
      this.list.append(none);
    }
    this.list.hidden = document.activeElement !== this.input;
    this.input.setAttribute("aria-expanded", !this.list.hidden);
    if (this.found.length) this.input.setAttribute("aria-activedescendant", `found-${this.at}`);
  }

  key(event) {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      const step = event.key === "ArrowDown" ? 1 : -1;
      this.at = (this.at + step + this.found.length) % Math.max(this.found.length, 1);
      this.draw();
      this.list.children[this.at]?.scrollIntoView({ block: "nearest" });
    } else if (event.key === "Enter") {
      event.preventDefault();
      if (this.found[this.at]) this.pick(this.found[this.at].i);
    } else if (event.key === "Escape") {
      this.input.blur();
    }
    event.stopPropagation();
  }

  pick(id) {
    const then = this.then || this.otherwise;
    this.close();
    this.input.blur();
    then(id);
  }

  close() {
    this.list.hidden = true;
    this.input.setAttribute("aria-expanded", "false");
    this.input.value = "";
    this.input.placeholder = "Find a strip";
    this.input.parentElement.classList.remove("asking");
    this.then = null;
  }
}
