"""Inserts in a cell of the track sheet: `eq; compressor:64 #duck threshold -20 ratio 4 bypassed = Glue | Maker | 2.1`.

Type, latency in samples, `#` and its id, settings (a word and its value each), state. After the equals sign its name,
and after bars its maker and version.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

import msgspec

from lattice.formats.track_sheet_cells import entries, number_text, plain_name, read_number
from lattice.model import insert_types
from lattice.model.document import Insert
from lattice.model.layouts import NAMED
from lattice.model.names import MAX_ID, free_id, slug
from lattice.model.units import (
    parse_channels,
    parse_factor,
    parse_hz,
    parse_level,
    parse_mb,
    parse_ms,
    parse_ratio,
    parse_share,
)

INSERT_TYPES = tuple(insert_types.TRAITS)
STATES = ("bypassed", "unloaded")
KEYS = ("none", "internal", "external")
BAR = " | "


def _samples(text: str) -> int:
    return read_number(text, "a latency in samples", 0, 1_000_000_000)


def _key(text: str) -> str:
    if text not in KEYS:
        raise ValueError(f"“{text}” is not one of {', '.join(KEYS)}")
    return text


CHANNEL_NAMES = {name.lower(): name for names in NAMED.values() for name in names}
SPREAD = "-"  # an input without a position


def _positions(text: str) -> tuple[str | None, ...]:
    """Output channels by input, like “L,R,-,C”; their names are checked with the layouts."""
    return tuple(None if name == SPREAD else CHANNEL_NAMES.get(name, name) for name in text.lower().split(","))


# Settings of an insert, by their word: the field, and its parser.
SETTINGS: dict[str, tuple[str, Callable[[str], Any]]] = {
    "measured": ("measured_latency_samples", _samples),
    "in": ("layout_in", str),
    "out": ("layout_out", str),
    "gain": ("gain_db", parse_level),
    "wet": ("wet", parse_share),
    "threshold": ("threshold_db", parse_level),
    "ratio": ("ratio", parse_ratio),
    "ceiling": ("ceiling_db", parse_level),
    "key": ("key", _key),
    "attack": ("attack_ms", parse_ms),
    "release": ("release_ms", parse_ms),
    "low-cut": ("low_cut_hz", parse_hz),
    "high-cut": ("high_cut_hz", parse_hz),
    "delay": ("delay_ms", parse_ms),
    "pre-delay": ("pre_delay_ms", parse_ms),
    "feedback": ("feedback", parse_factor),
    "io-out": ("io_out", parse_channels),
    "io-in": ("io_in", parse_channels),
    "memory": ("memory_mb", parse_mb),
    "positions": ("positions", _positions),
}
ALIASES = {"makeup": "gain", "make-up": "gain"}
NO_NAMES = frozenset(("in", "out"))  # settings that names have as words: “Kick in”
UNITS = frozenset(("db", "ms", "s", "hz", "khz", "%", "mb"))
NOT_STATED = "?"  # a latency that nobody has stated
USUAL = {field.name: field.default for field in msgspec.structs.fields(Insert)}


def read_insert(entry: str, new_id: str) -> Insert:
    """An insert like “compressor:64 threshold -20 ratio 4 bypassed = Glue”.

    Parameters
    ----------
    entry
        Type, latency in samples, id, settings, state, name, maker, version.
    new_id
        Its id if the entry has none.

    Raises
    ------
    ValueError
        With a sentence.
    """
    said, _equals, names = (piece.strip() for piece in entry.partition("="))
    head, *words = said.lower().split() or [""]
    kind, _colon, latency = head.partition(":")
    if kind not in INSERT_TYPES:
        raise ValueError(f"“{kind}” is not one of {', '.join(INSERT_TYPES)}")
    name, maker, version = [*(piece.strip() for piece in f" {names} ".split(BAR, 2)), "", ""][:3]
    fields: dict[str, Any] = {"id": new_id, "name": name, "type": kind, "maker": maker, "version": version}
    if latency:
        fields["latency_samples"] = None if latency == NOT_STATED else _samples(latency)
    given = iter(words)
    for word in given:
        if word in STATES:
            fields["state"] = word
        elif word.startswith("#"):
            fields["id"] = _an_id(word[1:])
        elif ALIASES.get(word, word) in SETTINGS and (value := next(given, None)) is not None:
            field, read = SETTINGS[ALIASES.get(word, word)]
            fields[field] = read(value)
        else:
            raise ValueError(
                f"“{word}” is not one of {', '.join(STATES)}, or one of {', '.join(SETTINGS)} and its value"
            )
    return Insert(**fields)


def read_named_insert(entry: str, new_id: str, type_of: Callable[[str], str]) -> Insert:
    """An insert by its name with its settings behind it, like “bus comp ratio 4 makeup 2”.

    Parameters
    ----------
    entry
        Words of its name, settings with their values, a state. A setting that does not read stays in the name.
    new_id
        Its id.
    type_of
        The type that a name tells.
    """
    given = entry.replace(BAR, " ").split()
    names: list[str] = []
    fields: dict[str, Any] = {"id": new_id, "latency_samples": None}
    while given:
        written = given.pop(0)
        word = ALIASES.get(written.lower(), written.lower())
        if word in STATES and names:
            fields["state"] = word
            continue
        found = _setting(word, given) if names and word not in NO_NAMES else None
        if found is None or written.lower() == "delay":  # its type as well
            names.append(written)
        if found is not None:
            field, fields[field], used = found[0], found[1], found[2]
            del given[:used]
    name = " ".join(names)
    kind: Any = type_of(name)
    return Insert(name="" if name.lower() == kind else name, type=kind, **fields)


def _setting(word: str, behind: Sequence[str]) -> tuple[str, Any, int] | None:
    """The field of a setting, its value, and how many of the words behind it that takes; None for no setting."""
    if word not in SETTINGS or not behind:
        return None
    field, read = SETTINGS[word]
    used = 2 if len(behind) > 1 and behind[1].lower() in UNITS else 1
    try:
        return field, read(" ".join(behind[:used])), used
    except ValueError:
        return None


def _an_id(text: str) -> str:
    if slug(text) != text:
        raise ValueError(f"“#{text}” is not an ID: a–z, 0–9 and -")
    return text


def insert_text(insert: Insert, usual_id: str, *, is_keyed: bool = False) -> str:
    """An insert as `read_insert` reads it.

    Parameters
    ----------
    insert
        The insert.
    usual_id
        The id it would be given; another one is written.
    is_keyed
        Whether a route keys it, so that its key is external.
    """
    latency = NOT_STATED if insert.latency_samples is None else insert.latency_samples
    words = [f"{insert.type}:{latency}" if latency else insert.type]
    words += [f"#{insert.id}"] if insert.id != usual_id else []
    for word, (field, _read) in SETTINGS.items():
        value = getattr(insert, field)
        usual = "external" if field == "key" and is_keyed else USUAL[field]
        if value != usual:
            words += [word, _factor_text(value) if word == "feedback" else _value_text(value)]
    words += [insert.state] if insert.state != "on" else []
    names = [plain_name(text).replace("|", "/") for text in (insert.name, insert.maker, insert.version)]
    while names and not names[-1]:
        names.pop()
    return " ".join(words) + (f" = {BAR.join(names)}" if names else "")


def _factor_text(value: float) -> str:
    """A factor; one that would be read as a share of a hundred is written as one."""
    text = number_text(value)
    return text if parse_factor(text) == value else f"{number_text(value * 100)}%"


def _value_text(value: Any) -> str:
    if isinstance(value, tuple):
        return ",".join(SPREAD if one is None else str(one) for one in value)
    return number_text(value) if isinstance(value, int | float) else str(value)


def usual_ids(strip_id: str, types: Iterable[str]) -> Iterator[str]:
    """Default ids of a strip's inserts, by their types in order."""
    taken: set[str] = set()
    for kind in types:
        usual = free_id(f"{strip_id}-{kind}"[:MAX_ID], taken)
        taken.add(usual)
        yield usual


def says_key(entry: str) -> bool:
    """Return whether an entry states the key of the insert; otherwise a route to it does."""
    return "key" in entry.partition("=")[0].lower().split()


def ids_in(text: str) -> Iterator[str]:
    """The ids in a cell of inserts, before it is parsed."""
    for entry in entries(text):
        said = entry.partition("=")[0].lower().split()
        yield from (word[1:] for word in said if word.startswith("#"))
