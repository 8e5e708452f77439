// What every page does: the sheet switch, the version every write is based on, notices.

const root = document.documentElement;

document.getElementById("sheet-switch").addEventListener("click", () => {
  const isDark = root.dataset.sheet ? root.dataset.sheet === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  root.dataset.sheet = isDark ? "paper" : "dark";
  document.cookie = `sheet=${root.dataset.sheet}; path=/; max-age=31536000; samesite=lax`;
});

// A write says which state of the template the page shows, so that a stale one is refused.
document.addEventListener("htmx:configRequest", (event) => {
  const state = document.getElementById("state");
  if (!state || event.detail.verb === "get") return;
  event.detail.parameters.base = state.dataset.version;
  event.detail.parameters.place = state.dataset.place;
  const chosen = new URLSearchParams(location.search).get("strip");
  if (chosen) event.detail.parameters.chosen_strip = chosen;
});

document.addEventListener("htmx:responseError", () => say("That could not be done; nothing was stored. Load the page again to see the present state."));
document.addEventListener("htmx:sendError", () => say("The server does not answer. Nothing was stored; try again in a moment."));

export function say(words) {
  const box = document.createElement("div");
  box.className = "strip-note warn";
  box.setAttribute("role", "alert");
  const text = document.createElement("p");
  text.textContent = words;
  const close = document.createElement("button");
  close.type = "button";
  close.className = "btn plain small";
  close.dataset.do = "dismiss";
  close.textContent = "Close";
  box.append(text, close);
  document.getElementById("notice").replaceChildren(box);
}

document.getElementById("notice").addEventListener("click", (event) => {
  const action = event.target.dataset.do;
  if (action === "dismiss") document.getElementById("notice").replaceChildren();
  if (action === "reload") location.reload();
});

document.addEventListener("keydown", (event) => {
  const typing = event.target.matches("input, textarea, select");
  if ((event.ctrlKey || event.metaKey) && !event.altKey && !typing) {
    const key = event.key.toLowerCase();
    const button = key === "z" ? (event.shiftKey ? "redo" : "undo") : key === "y" ? "redo" : "";
    if (button && document.getElementById(button)) {
      event.preventDefault();
      document.getElementById(button).click();
    }
  }
});
