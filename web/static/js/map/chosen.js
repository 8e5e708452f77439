// The selection: one strip, several strips or a finding. It is part of the address, so that a link restores it.

const address = new URLSearchParams(location.search);

export const chosen = {
  strip: address.get("strip"),
  strips: new Set((address.get("strips") || "").split(" ").filter(Boolean)), // two and more
  finding: address.get("finding"),
};

export function link(name, value) {
  const here = new URL(location);
  const view = here.searchParams.get("view");
  here.search = "";
  if (view) here.searchParams.set("view", view);
  if (value) here.searchParams.set(name, value);
  history.replaceState(null, "", here);
}
