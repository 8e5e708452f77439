// The finder's ranking of typed text: the exact name, then the start of the name, then the start of its words, then
// any part. An id is found if it is typed whole. Within a rank the likelier comes first.

const NONE = 9;
const plain = (text) => text.toLowerCase();
const wordsOf = (text) => text.split(/[\s,;:/–-]+/).filter(Boolean);

export function rank(one, typed) {
  const text = plain(typed.trim());
  if (!text) return 0;
  const name = plain(one.name);
  if (name === text || one.id === text) return 0;
  if (name.startsWith(text)) return 1;
  const wanted = wordsOf(text);
  const words = [...wordsOf(name), ...wordsOf(plain(one.kind || ""))];
  if (wanted.every((word) => words.some((known) => known.startsWith(word)))) return 2;
  return wanted.every((word) => name.includes(word)) ? 3 : NONE;
}

// Matches, best first; `likely` gives smaller numbers to likelier ones.
export function ranked(all, typed, likely = () => 0) {
  return all
    .map((one, place) => ({ one, place, rank: rank(one, typed), likely: likely(one) }))
    .filter((entry) => entry.rank < NONE)
    .toSorted((a, b) => a.rank - b.rank || a.likely - b.likely || a.place - b.place)
    .map((entry) => entry.one);
}
