"""Parsing and text of each field of the document, from its name and type, defined once there.

The unit is the ending of the name (`gain_db`, `delay_ms`), the range that of the type in `model/document.py`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import msgspec
from msgspec import inspect as mi

from lattice.formats.document_json import to_plain
from lattice.formats.track_sheet_cells import read_midi_in
from lattice.model.document import Template
from lattice.model.units import (
    parse_channels,
    parse_db,
    parse_factor,
    parse_hz,
    parse_level,
    parse_mb,
    parse_ms,
    parse_pan,
    parse_ratio,
    parse_samples,
    parse_share,
    parse_whole,
)

Reader = Callable[[str, Template], Any]
UNITS = {"_db": "dB", "_dbfs": "dBFS", "_ms": "ms", "_hz": "Hz", "_mb": "MB", "_samples": "samples"}
NOT_SAID = frozenset({"id", "format"})  # what a piece is known by stays as it is
LEVEL_ENDINGS = ("_db", "_dbfs", "_dbtp", "_lufs", "_lu")


@dataclass(frozen=True)
class Field:
    """One field of a piece, as forms show and read it."""

    name: str
    read: Reader  # raises ValueError with a sentence
    unit: str = ""
    choices: tuple[str, ...] = ()
    low: float | None = None
    high: float | None = None

    @property
    def label(self) -> str:
        """`measured_latency_samples` → “measured latency”."""
        return plain_name(self.name)


def plain_name(field: str) -> str:
    """A field's name without its unit and underscores."""
    for unit in UNITS:
        field = field.removesuffix(unit)
    return field.replace("_", " ")


def words_of(changes: dict[str, Any]) -> str:
    """The changes of an edit, for the history: “fader −6, mute off”."""
    return ", ".join(f"{plain_name(field)} {_shown(value)}" for field, value in changes.items())


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:g}".replace("-", "−")
    if value in (None, []):
        return "none"
    return " ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)


def _text(text: str, _template: Template) -> str:
    return text.strip()


def _text_or_none(text: str, _template: Template) -> str | None:
    return text.strip() or None


def _flag(text: str, _template: Template) -> bool:
    return text.lower() in {"on", "true", "yes", "1"}


def _tags(text: str, _template: Template) -> list[str]:
    return list(dict.fromkeys(text.replace(",", " ").replace(";", " ").lower().split()))


def _words(text: str, _template: Template) -> list[str]:
    """Ids or selectors, with spaces or commas between."""
    return list(dict.fromkeys(text.replace(",", " ").split()))


def _rule_channels(text: str, _template: Template) -> list[str | int] | None:
    """Names or numbers of channels; nothing typed is none."""
    found = text.replace(",", " ").split()
    return [int(word) if word.isdecimal() else word for word in found] or None


def _route_pairs(text: str, _template: Template) -> list[list[int]] | None:
    """Pairs of channels as “1:2 3:4”; nothing typed is none."""
    pairs = [word.split(":") for word in text.replace(",", " ").split()]
    if any(len(pair) != 2 or not all(channel.isdecimal() for channel in pair) for pair in pairs):
        raise ValueError(f"“{text}” is not a list of channel pairs like 1:2 3:4")
    return [[int(channel) for channel in pair] for pair in pairs] or None


def _midi(text: str, _template: Template) -> dict[str, Any] | None:
    """The ports and channels of an instrument, as “2: all” or “1: 1-4, 10”; empty is one port, all channels."""
    return dict(to_plain(read_midi_in(text))) if text.strip() else None


def _samples(text: str, template: Template) -> int:
    return parse_samples(text, template.sample_rate_hz)


def _decimal(text: str) -> float:
    return float(text.replace(",", "."))


def _plain(read: Callable[[str], Any]) -> Reader:
    """A reader that needs only the text."""
    return lambda text, _template: read(text)


def _optional(read: Reader) -> Reader:
    """Nothing typed is none."""
    return lambda text, template: read(text, template) if text.strip() else None


level: Reader = _plain(parse_db)  # a level, or off

# Fields whose names do not say how they are typed.
BY_NAME: dict[str, Reader] = {
    "fader_db": level,
    "pan": _plain(parse_pan),
    "wet": _plain(parse_share),
    "feedback": _plain(parse_factor),
    "ratio": _optional(_plain(parse_ratio)),
    "io": _plain(parse_channels),
    "io_out": _plain(parse_channels),
    "io_in": _plain(parse_channels),
    "tempo_bpm": _plain(_decimal),
    "tags": _tags,
    "midi": _midi,
}
BY_PIECE: dict[tuple[str, str], Reader] = {
    ("Route", "gain_db"): level,
    ("Route", "channels"): _route_pairs,
    ("Rule", "channels"): _rule_channels,
}


@lru_cache
def fields_of(piece: type[msgspec.Struct]) -> dict[str, Field]:
    """The fields of a piece that a form can say; its id and the lists of other pieces it holds are none of them."""
    info = mi.type_info(piece)
    fields: dict[str, Field] = {}
    if not isinstance(info, mi.StructType):
        raise TypeError(f"{piece} is not a type of item")
    for field in info.fields:
        types = _types(field.type)
        named = BY_PIECE.get((piece.__name__, field.encode_name)) or BY_NAME.get(field.encode_name)
        read = named or _by_type(field.encode_name, types)
        if read is not None and field.encode_name not in NOT_SAID:
            fields[field.encode_name] = Field(field.encode_name, read, _unit(field.encode_name), *_range(types))
    return fields


def _types(kind: mi.Type) -> tuple[mi.Type, ...]:
    return kind.types if isinstance(kind, mi.UnionType) else (kind,)


def _unit(name: str) -> str:
    return next((unit for ending, unit in UNITS.items() if name.endswith(ending)), "")


def _range(types: tuple[mi.Type, ...]) -> tuple[tuple[str, ...], float | None, float | None]:
    """(choices, lowest, highest) that the types allow."""
    for kind in types:
        match kind:
            case mi.LiteralType(values=values):
                return tuple(str(value) for value in values), None, None
            case mi.IntType(ge=low, le=high) | mi.FloatType(ge=low, le=high):
                return (), low, high
    return (), None, None


def _by_type(name: str, types: tuple[mi.Type, ...]) -> Reader | None:
    """The reader for a field by the ending of its name and its type; None where a form cannot say it."""
    is_optional = any(isinstance(kind, mi.NoneType) for kind in types)
    main = next((kind for kind in types if not isinstance(kind, mi.NoneType)), None)
    read: Reader | None = None
    match main:
        case mi.BoolType():
            return _flag
        case mi.IntType() | mi.FloatType():
            read = _number_reader(name)
        case mi.StrType() | mi.LiteralType():
            return _text_or_none if is_optional else _text
        case mi.VarTupleType(item_type=mi.StrType()):
            return _words
    return _optional(read) if read is not None and is_optional else read


def _number_reader(name: str) -> Reader:
    if name.endswith("_samples") and name != "buffer_samples":
        return _samples
    if name.endswith("_ms"):
        return _plain(parse_ms)
    if name.endswith("_mb"):
        return _plain(parse_mb)
    if name.endswith("_hz") and name != "sample_rate_hz":
        return _plain(parse_hz)
    return _plain(parse_level if name.endswith(LEVEL_ENDINGS) else parse_whole)
