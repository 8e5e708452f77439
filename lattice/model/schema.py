"""Report every error of plain data against a type of the document, each with its place.

msgspec decodes fast but stops at the first problem. This walk is slower, runs only when decoding has
failed (or for the few fields of an edit), and goes on to the end.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from functools import lru_cache
from typing import Any

import msgspec
from msgspec import inspect as mi

from lattice.errors import Problem
from lattice.model.layouts import LAYOUTS

PATTERN_WORDS = {
    r"^#[0-9a-fA-F]{6}$": "is not a colour like #8a4b2d",
    r"^\d\d:[0-5]\d:[0-5]\d[:;]\d\d$": "is not a timecode like 01:00:00:00",
    r"^\d{4}-\d\d-\d\d$": "is not a date like 2026-01-31",
}
LAYOUT_WORDS = "is not a layout: mono, stereo, lcr, quad, 5.0, 5.1, 7.1 or discrete:1 to discrete:64"


@lru_cache(maxsize=256)
def type_info(kind: Any) -> mi.Type:
    """The type information of msgspec, looked up once."""
    return mi.type_info(kind)


def shown(value: Any) -> str:
    """A value as a message has it: JSON of at most 60 characters."""
    try:
        text = msgspec.json.encode(value).decode() if not isinstance(value, float) else repr(value)
    except UnicodeEncodeError:  # half of a surrogate pair, which no text of Unicode holds
        text = ascii(value)
    return text if len(text) <= 60 else text[:57] + "…"


def problems(value: Any, kind: Any, place: str = "") -> Iterator[Problem]:
    """Every problem of plain data against a type, depth first.

    msgspec stops at the first problem; this goes on, so that people see all of them at once.

    Parameters
    ----------
    value
        Dicts, lists, text, numbers, true, false and null.
    kind
        A type of the document, like `Strip`.
    place
        The place of the value, like "strips[3]".

    Yields
    ------
    Problem
        One for each thing wrong, with its place.
    """
    yield from _problems(value, type_info(kind), place)


def _problems(value: Any, kind: mi.Type, place: str) -> Iterator[Problem]:
    match kind:
        case mi.StructType():
            yield from _struct(value, kind, place)
        case mi.VarTupleType(item_type=item) | mi.ListType(item_type=item):
            yield from _items(value, [item] * len(value) if isinstance(value, list | tuple) else [], place)
        case mi.TupleType(item_types=items):
            if isinstance(value, list | tuple) and len(value) != len(items):
                yield Problem.at(place, f"has {len(value)} entries, not {len(items)}")
            else:
                yield from _items(value, list(items), place)
        case mi.DictType(value_type=inner):
            yield from _dict(value, inner, place)
        case mi.UnionType(types=types):
            yield from _union(value, types, place)
        case _:
            if sentence := _leaf(value, kind):
                yield Problem.at(place, sentence)


def _struct(value: Any, kind: mi.StructType, place: str) -> Iterator[Problem]:
    if not isinstance(value, dict):
        yield Problem.at(place, f"expected an object, found {_word(value)}")
        return
    fields = {field.encode_name: field for field in kind.fields}
    for name in value:
        if name not in fields:
            yield Problem.at(_join(place, name), f"unknown field; use {', '.join(fields)}")
    for name, field in fields.items():
        if name in value:
            yield from _problems(value[name], field.type, _join(place, name))
        elif field.required:
            yield Problem.at(place, f"the field {name} is missing")


def _items(value: Any, kinds: list[mi.Type], place: str) -> Iterator[Problem]:
    if not isinstance(value, list | tuple):
        yield Problem.at(place, f"expected a list, found {_word(value)}")
        return
    for index, (item, kind) in enumerate(zip(value, kinds, strict=True)):
        yield from _problems(item, kind, f"{place}[{index}]")


def _dict(value: Any, inner: mi.Type, place: str) -> Iterator[Problem]:
    if not isinstance(value, dict):
        yield Problem.at(place, f"expected an object, found {_word(value)}")
        return
    for key, item in value.items():
        yield from _problems(item, inner, _join(place, key))


def _union(value: Any, types: tuple[mi.Type, ...], place: str) -> Iterator[Problem]:
    """None is easy; otherwise the member of the value's own shape speaks, else all are named."""
    if value is None and any(isinstance(kind, mi.NoneType) for kind in types):
        return
    real = [kind for kind in types if not isinstance(kind, mi.NoneType | mi.CustomType)]
    same_shape = [
        kind for kind in real if _shape(kind) is type(value) or (_shape(kind) is list and isinstance(value, tuple))
    ]
    found = [list(_problems(value, kind, place)) for kind in same_shape or real]
    if found and all(found):
        yield from min(found, key=len)


def _shape(kind: mi.Type) -> type:
    match kind:
        case mi.StructType() | mi.DictType():
            return dict
        case mi.VarTupleType() | mi.TupleType() | mi.ListType():
            return list
        case mi.FloatType():
            return float
        case mi.IntType():
            return int
        case mi.BoolType():
            return bool
    return str


def _leaf(value: Any, kind: mi.Type) -> str | None:  # noqa: PLR0911 - one return a kind of type
    match kind:
        case mi.BoolType():
            return None if isinstance(value, bool) else f"expected true or false, found {_word(value)}"
        case mi.IntType() | mi.FloatType():
            return _number(value, kind)
        case mi.StrType():
            return _text(value, kind)
        case mi.LiteralType(values=values):
            if type(value) in {str, int} and value in values:
                return None
            if len(values) == len(LAYOUTS):
                return f"{shown(value)} {LAYOUT_WORDS}"
            return f"{shown(value)} is not one of {', '.join(str(allowed) for allowed in values)}"
        case mi.NoneType():
            return None if value is None else f"expected null, found {_word(value)}"
    return None


def _number(value: Any, kind: mi.IntType | mi.FloatType) -> str | None:  # noqa: PLR0911 - one return a sentence
    wanted = "a whole number" if isinstance(kind, mi.IntType) else "a number"
    if isinstance(value, bool) or not isinstance(value, int | float):
        return f"expected {wanted}, found {_word(value)}"
    if isinstance(kind, mi.IntType) and isinstance(value, float):
        return f"expected {wanted}, found {shown(value)}"
    try:
        finite = math.isfinite(float(value))
    except OverflowError:
        finite = False
    if not finite:
        return "is not a finite number"
    if kind.gt is not None and not value > kind.gt:
        return f"{shown(value)} is not above {kind.gt:g}"
    if kind.ge is not None and value < kind.ge:
        return f"{shown(value)} is below {kind.ge:g}"
    if kind.le is not None and value > kind.le:
        return f"{shown(value)} is above {kind.le:g}"
    return None


def _text(value: Any, kind: mi.StrType) -> str | None:
    if not isinstance(value, str):
        return f"expected text, found {_word(value)}"
    if kind.min_length and len(value) < kind.min_length:
        return "is empty" if not value else f"has fewer than {kind.min_length} characters"
    if kind.max_length is not None and len(value) > kind.max_length:
        return f"has {len(value)} characters; at most {kind.max_length} are allowed"
    if kind.pattern and not re.search(kind.pattern, value):
        return f"{shown(value)} {PATTERN_WORDS[kind.pattern]}"
    return None


def _word(value: Any) -> str:
    words = {dict: "an object", list: "a list", tuple: "a list", bool: "true or false", type(None): "null"}
    if type(value) in words:
        return words[type(value)]
    return f"text {shown(value)}" if isinstance(value, str) else f"the number {shown(value)}"


def _join(place: str, name: str) -> str:
    return f"{place}.{name}" if place else name
