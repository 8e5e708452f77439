// Changed strips are highlighted on the map of a preview; the one whose line is under the pointer most of all.

const box = (id) => document.getElementById(`b-${id}`);

export function markDiffering() {
  for (const map of document.querySelectorAll("[data-differs]"))
    for (const id of map.dataset.differs.split(" ")) box(id)?.classList.add("differs");
  for (const line of document.querySelectorAll("[data-strip]")) {
    const tick = line.querySelector("input[type=checkbox]");
    if (tick) box(line.dataset.strip)?.classList.toggle("differs", tick.checked);
  }
}

document.addEventListener("pointerover", (event) => {
  document.querySelector(".box.pointed")?.classList.remove("pointed");
  const line = event.target.closest("[data-strip]");
  if (line) box(line.dataset.strip)?.classList.add("pointed");
});
