// Records from the server for the scripts: fetched once the page is loaded; later changes come with the answers to
// edits. They are a table, the names of the fields once and then a row a record, because a template may have
// thousands of strips. The first field of a record is its name.

const tables = new Map(); // id of its element → name → record

export const records = ({ columns, rows }) =>
  rows.map((row) => Object.fromEntries(columns.map((name, at) => [name, row[at]])));

export const sent = (id) => JSON.parse(document.getElementById(id)?.textContent || "null");

// The table of an element, by name.
export async function table(id) {
  if (!tables.has(id)) await fetchTable(id);
  return tables.get(id);
}

async function fetchTable(id) {
  const holder = document.getElementById(id);
  const answer = await fetch(holder.dataset.from, { headers: { Accept: "application/json" } });
  const whole = await answer.json();
  tables.set(id, byName(whole));
  holder.dataset.shown = whole.shown;
}

function byName(whole) {
  const found = new Map();
  const all = records(whole);
  whole.rows.forEach((row, at) => found.set(String(row[0]), all[at]));
  return found;
}

// The changed records of an answer; if they are too many for it, the table is fetched.
export function patchTable(id, token, change) {
  if (!token) return fetchTable(id).then(() => document.dispatchEvent(new CustomEvent("lattice:table")));
  const known = tables.get(id) || new Map();
  for (const name of change.gone) known.delete(name);
  for (const [name, record] of byName(change)) known.set(name, record);
  tables.set(id, known);
  document.getElementById(id).dataset.shown = token;
  return null;
}

export const now = (id) => tables.get(id) || new Map();
