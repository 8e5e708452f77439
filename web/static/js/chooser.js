// The small chooser of a new route: what may join two strips, feed first.

export class Chooser {
  constructor(connect) {
    this.dialog = document.getElementById("chooser");
    this.gain = document.getElementById("chooser-gain");
    this.insert = document.getElementById("chooser-insert");
    this.tap = document.getElementById("chooser-tap");
    this.dialog.addEventListener("click", (event) => {
      const kind = event.target.dataset.kind;
      if (kind) this.take(kind, connect);
    });
    this.dialog.addEventListener("keydown", (event) => {
      if (event.key === "Enter" && event.target === this.gain) {
        event.preventDefault();
        this.take("send", connect);
      }
      event.stopPropagation();
    });
  }

  // Kinds that the two ends allow; the server has the last word.
  kinds(from, to) {
    if (
      from.kind === "midi" ||
      to.kind === "midi" ||
      (from.outboard && from.kind === "instrument" && to.kind === "instrument")
    )
      return ["midi"];
    if (from.machine !== to.machine) return to.keyable ? ["tie", "key"] : ["tie"];
    const kinds = ["feed", "send"];
    if (to.keyable) kinds.push("key");
    if (from.kind === "input" && to.kind === "instrument") kinds.push("midi");
    return kinds;
  }

  open(from, to, outlet, at) {
    this.ends = { from: outlet ? `${from.id}/${outlet}` : from.id, to: to.id };
    document.getElementById("chooser-from").textContent = from.name + (outlet ? ` ${outlet}` : "");
    document.getElementById("chooser-to").textContent = to.name;
    const kinds = this.kinds(from, to);
    for (const button of this.dialog.querySelectorAll("[data-kind]"))
      button.hidden = !kinds.includes(button.dataset.kind);
    this.dialog.querySelector(".row-fields").hidden = !kinds.includes("send");
    document.getElementById("chooser-keys").hidden = !to.keyable;
    this.insert.replaceChildren(...(to.keyable || []).map(([id, name]) => new Option(name, id)));
    this.dialog.showModal();
    const { width, height } = this.dialog.getBoundingClientRect();
    this.dialog.style.left = `${Math.max(8, Math.min(innerWidth - width - 8, at[0] + 8))}px`;
    this.dialog.style.top = `${Math.max(50, Math.min(innerHeight - height - 8, at[1] + 8))}px`;
    this.dialog.querySelector(`[data-kind="${kinds[0]}"]`).focus();
  }

  take(kind, connect) {
    this.dialog.close();
    const values = { ...this.ends, kind };
    if (kind === "key") values.to_insert = this.insert.value;
    if (kind === "send") Object.assign(values, { gain_db: this.gain.value, tap: this.tap.value });
    connect(values);
  }
}
