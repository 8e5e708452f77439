// Records that the server sends in the text of a hidden element. They come as a table, the names of the
// fields once and then a row a record, because a template may have thousands of strips.

export const records = ({ columns, rows }) =>
  rows.map((row) => Object.fromEntries(columns.map((name, at) => [name, row[at]])));

export const sent = (id) => JSON.parse(document.getElementById(id)?.textContent || "null");
