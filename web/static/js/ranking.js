// How the finder ranks what people type: the exact name, then how it begins, then how its words begin, then what is
// somewhere in it. An id is found where it is typed whole. Of the same rank what is likelier stands first.

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

// Those that are found, best first; `likely` gives smaller numbers to what is likelier.
export function ranked(all, typed, likely = () => 0) {
  return all
    .map((one, place) => ({ one, place, rank: rank(one, typed), likely: likely(one) }))
    .filter((entry) => entry.rank < NONE)
    .toSorted((a, b) => a.rank - b.rank || a.likely - b.likely || a.place - b.place)
    .map((entry) => entry.one);
}
