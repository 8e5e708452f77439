// Lists of matters, in the margin and on Findings: a matter opens, what stands in it is asked for then; a long list
// goes on as one scrolls; what a remedy would do can be read before it is pressed.

function fetchInto(target, url, swap = "innerHTML") {
  htmx.ajax("GET", url, { source: target, target, swap }).catch(() => {});
}

// What an element says it is filled with, once.
function fill(part) {
  if (part.children.length || part.dataset.asked) return;
  part.dataset.asked = "true";
  fetchInto(part, part.dataset.fill);
}

const open = new Set(); // ids of the rows that are open: one that changes is opened again

export function openMatter(row, isOpen = true) {
  if (isOpen) open.add(row.id);
  else open.delete(row.id);
  row.classList.toggle("open", isOpen);
  row.querySelector(":scope > .finding-line").setAttribute("aria-expanded", isOpen);
  if (isOpen) fill(row.querySelector(":scope > .matter-more"));
}

document.addEventListener(
  "toggle",
  (event) => {
    if (event.target.matches?.(".notes-fold details") && event.target.open)
      fill(event.target.querySelector("[data-fill]"));
  },
  true,
);

// Further rows are asked for when their place comes into sight.
const inSight = new IntersectionObserver(
  (entries) => {
    for (const { isIntersecting, target } of entries) {
      if (!isIntersecting) continue;
      inSight.unobserve(target);
      fetchInto(target, target.dataset.more, "outerHTML");
    }
  },
  { rootMargin: "400px" },
);

function watch() {
  for (const one of document.querySelectorAll("[data-more]:not([data-watched])")) {
    one.dataset.watched = "true";
    inSight.observe(one);
  }
}
for (const name of ["htmx:afterSettle", "lattice:changed"]) document.addEventListener(name, watch);
watch();

document.addEventListener("lattice:changed", () => {
  for (const id of open) {
    const row = document.getElementById(id);
    if (!row) open.delete(id);
    else if (!row.matches(".open")) openMatter(row);
  }
});
for (const row of document.querySelectorAll(".matter.open")) open.add(row.id);

document.addEventListener("click", (event) => {
  const told = event.target.closest("button[data-effect]");
  if (!told) return;
  const shown = told.nextElementSibling;
  told.setAttribute("aria-expanded", !shown);
  if (shown) return shown.remove();
  const part = document.createElement("div");
  told.after(part);
  fetchInto(part, told.dataset.effect);
});
