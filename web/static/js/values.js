// The values of a form by name: several of one name, as the choosers of a list have it, are a list.

export function valuesOf(form) {
  const data = new FormData(form);
  return Object.fromEntries(
    [...data.keys()].map((name) => {
      const all = data.getAll(name);
      return [name, all.length > 1 ? all : all[0]];
    }),
  );
}
