"""The ranking of typed text on the server, as `web/static/js/ranking.js` has it in the browser."""

from __future__ import annotations

import re
from collections.abc import Iterable

MOST = 50  # entries of a list
APART = re.compile(r"[\s,;:/–-]+")


def rank(name: str, typed: str) -> int | None:
    """0 for the name itself, then its start, the start of its words, any part of it; None where it does not match."""
    text, plain = typed.strip().lower(), name.lower()
    if not text or plain == text:
        return 0
    if plain.startswith(text):
        return 1
    wanted, words = list(filter(None, APART.split(text))), list(filter(None, APART.split(plain)))
    if all(any(word.startswith(part) for word in words) for part in wanted):
        return 2
    return 3 if all(part in plain for part in wanted) else None


def best(pairs: Iterable[tuple[str, str]], typed: str) -> list[tuple[str, str]]:
    """Values and words that match, the best fifty; of the same rank in their order."""
    ranked = ((rank(words, typed), (value, words)) for value, words in pairs)
    found = sorted(((at, pair) for at, pair in ranked if at is not None), key=lambda one: one[0])
    return [pair for _at, pair in found[:MOST]]
