"""Kinds and tags of the rows of a list, read from their names and from each other (docs/reference/names.md)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from lattice.model.name_words import (
    AUX,
    INSTRUMENT_WORDS,
    MASTER_RANK,
    Role,
    core_of,
    role_of,
    singular,
    words_of,
)

EFFECTS = frozenset(("reverb", "delay", "modulation"))
PERHAPS_RETURN = "return?"


@dataclass(frozen=True)
class Named:
    """A row of a list, as far as its name is read."""

    id: str
    number: int
    name: str
    section: str  # its folded name
    is_aux: bool = False  # a word in its row says auxiliary
    types: frozenset[str] = frozenset()  # of its inserts
    is_sent_to: bool = False


@dataclass(frozen=True)
class Guess:
    """What a name tells: a kind, a tag, and the words they were read from."""

    kind: str
    tag: str = ""
    term: str = ""
    suggested: tuple[str, ...] = ()  # tags of words before the head
    section: str = ""  # the section whose bus it is
    usual: str = ""  # the kind of all that were read from these words

    @property
    def key(self) -> str:
        """Its words as they name a choice for all alike."""
        return self.term.replace(" ", "_")

    @property
    def because(self) -> str:
        """The reason, as it is shown beside the guess."""
        return f"name: “{self.term}”" if self.term else ""


def by_words(found: Iterable[Guess]) -> list[tuple[Guess, int]]:
    """The first guess of each words that kinds were read from, and how many share them, the most frequent first."""
    told = [guess for guess in found if guess.term]
    first = {guess.term: guess for guess in reversed(told)}
    return [(first[term], count) for term, count in Counter(guess.term for guess in told).most_common()]


def guesses(
    rows: Sequence[Named], *, has_master: bool, sections: Collection[str], instrument: bool
) -> dict[str, Guess]:
    """What the names of a list tell.

    Parameters
    ----------
    rows
        The rows without a kind of their own, in their order.
    has_master
        Whether the template, or a row with a kind, is a master already.
    sections
        Folded names of sections, of the rows and of the template.
    instrument
        Whether a row or the template has an instrument.

    Returns
    -------
    dict
        Id of a row → guess; rows whose name tells nothing are left out. O(rows).
    """
    roles = {row.id: role_of(row.name) for row in rows}
    mix = None if has_master else _the_mix(rows, roles)
    plays = instrument or any(not INSTRUMENT_WORDS.isdisjoint(words_of(row.name)) for row in rows)
    buses = _section_buses(rows, sections)
    found: dict[str, Guess] = {}
    for at, row in enumerate(rows):
        kind = _kind(row, roles[row.id], is_mix=row.id == mix, plays=plays, among_returns=_is_among(rows, roles, at))
        guess = Guess(kind, roles[row.id].tag, roles[row.id].term, roles[row.id].suggested)
        if row.id in buses and kind in ("", "bus"):
            guess = Guess("bus", term=buses[row.id], section=buses[row.id])
        if guess.kind or guess.suggested:
            found[row.id] = guess
    return found


def _the_mix(rows: Sequence[Named], roles: Mapping[str, Role]) -> str | None:
    """Of all that may be the master, the one most like it: “Mix” alone, not “Drum mix”."""
    ranked = [
        (MASTER_RANK.index(roles[row.id].term), len(core_of(row.name)), at, row.id)
        for at, row in enumerate(rows)
        if roles[row.id].kind == "master" and (roles[row.id].term != "mix" or core_of(row.name) == ("mix",))
    ]
    return min(ranked)[3] if ranked else None


def _kind(row: Named, role: Role, *, is_mix: bool, plays: bool, among_returns: bool) -> str:
    is_effect = not EFFECTS.isdisjoint(row.types)
    if role.kind == "master":
        return "master" if is_mix else "bus"
    if role.kind == PERHAPS_RETURN:
        return "return" if row.is_sent_to or is_effect or among_returns else ""
    if role.kind == AUX or (row.is_aux and role.kind in ("", "audio")):
        return "return" if is_effect or row.is_sent_to else ""  # its routes tell, else it is a bus
    if role.kind == "bus" and is_effect:
        return "return"
    if role.kind == "midi" and role.term == "keyboard" and not plays:
        return ""
    return role.kind


def _is_among(rows: Sequence[Named], roles: Mapping[str, Role], at: int) -> bool:
    """A return stands beside it in the list."""
    beside = (rows[n] for n in (at - 1, at + 1) if 0 <= n < len(rows))
    return any(roles[row.id].kind == "return" for row in beside)


def _section_buses(rows: Sequence[Named], sections: Collection[str]) -> dict[str, str]:
    """Rows named after a section that others are in: “Drum bus” and “Drums” are the bus of Drums."""
    others: dict[str, int] = {}
    for row in rows:
        others[row.section] = others.get(row.section, 0) + 1
    named = {tuple(singular(word) for word in words_of(section)): section for section in sections}
    found: dict[str, str] = {}
    for row in rows:
        if core_of(row.name) != words_of(row.name):
            continue  # “Drums 2” is one of several
        role, words = role_of(row.name), core_of(row.name)
        head = words[:-1] if role.kind == "bus" and len(words) > 1 else words
        section = named.get(head)
        inside = 0 if section is None else others.get(section, 0) - (row.section == section)
        if section is not None and row.section in ("", section) and (role.kind == "bus" or inside):
            found[row.id] = section
    once = {section for section, count in Counter(found.values()).items() if count == 1}
    return {row: section for row, section in found.items() if section in once}


def meant(rows: Sequence[Named], found: Mapping[str, Guess], said: Mapping[str, str]) -> dict[str, Guess]:
    """Guesses with a user's changes: by row number, or by the words they were read from, for all alike.

    Parameters
    ----------
    rows
        The rows without a kind of their own.
    found
        Their guesses.
    said
        Row number or term, its words joined by _ → kind.
    """
    changed: dict[str, Guess] = {}
    for row in rows:
        guess = found.get(row.id, Guess("", usual=""))
        usual = said.get(guess.key, guess.kind) if guess.term else guess.kind
        kind = said.get(str(row.number), usual)
        keeps_tag = kind == guess.kind
        if kind or guess.suggested:
            changed[row.id] = replace(
                guess, kind=kind, usual=usual, tag=guess.tag if keeps_tag else "", section=guess.section * keeps_tag
            )
    return changed
