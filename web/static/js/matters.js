// Lists of issues, in the side panel and on Findings: an issue expands and its content is fetched; a long list loads
// on scrolling; the effect of a fix can be previewed.

function fetchInto(target, url, swap = "innerHTML") {
  htmx.ajax("GET", url, { source: target, target, swap }).catch(() => {});
}

// The content that an element loads, once.
function fill(part) {
  if (part.children.length || part.dataset.asked) return;
  part.dataset.asked = "true";
  fetchInto(part, part.dataset.fill);
}

const open = new Set(); // ids of the expanded rows: a changed one is expanded again

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

// Further rows are fetched when their place scrolls into view.
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
