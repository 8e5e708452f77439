"""Small tools of the edits: making and changing typed pieces from plain values, finding them by id."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, TypeVar

import msgspec
from msgspec.structs import replace

from lattice.errors import EditError
from lattice.formats.document_json import to_plain
from lattice.model import schema
from lattice.model.document import Insert, Piece, Strip, Template
from lattice.model.names import free_id, slug

P = TypeVar("P", bound=Piece)


def made(kind: type[P], fields: dict[str, Any]) -> P:
    """A piece from plain fields.

    Parameters
    ----------
    kind
        Its type, like Strip.
    fields
        Plain values by the names that the document has.

    Raises
    ------
    EditError
        With every field that does not fit.
    """
    problems = list(schema.problems(fields, kind))
    if problems:
        raise EditError(*problems)
    return msgspec.convert(fields, kind)


def changed(piece: P, changes: dict[str, Any]) -> P:
    """The piece with some fields changed; the id stays. Raises EditError."""
    if "id" in changes and changes["id"] != getattr(piece, "id", None):
        raise EditError("an ID cannot be changed")
    return made(type(piece), {**to_plain(piece), **changes})


def position(pieces: Sequence[Any], wanted: str, word: str) -> int:
    """The position of a piece. Raises EditError if the id does not exist."""
    for index, piece in enumerate(pieces):
        if piece.id == wanted:
            return index
    raise EditError(f"{word} {wanted} does not exist")


def all_known(pieces: Iterable[Any], wanted: Iterable[str], word: str) -> frozenset[str]:
    """The wanted ids as a set. Raises EditError naming those that are not there."""
    wanted = list(wanted)
    missing = sorted(set(wanted) - {piece.id for piece in pieces})
    if missing:
        raise EditError(*(f"{word} {one} does not exist" for one in missing))
    return frozenset(wanted)


def put(pieces: tuple[P, ...], index: int, piece: P) -> tuple[P, ...]:
    """The pieces with the one at a position replaced."""
    return (*pieces[:index], piece, *pieces[index + 1 :])


def inserted(pieces: tuple[P, ...], at: int | None, piece: P) -> tuple[P, ...]:
    """With a piece at position `at` (None or beyond: last)."""
    at = len(pieces) if at is None else max(0, min(at, len(pieces)))
    return (*pieces[:at], piece, *pieces[at:])


def insert_for(strip: Strip, pattern: Insert, taken: set[str]) -> Insert:
    """The insert for a strip, under a free id of strip and title, which is taken from then on."""
    new_id = free_id(slug(f"{strip.id} {pattern.title}"), taken)
    taken.add(new_id)
    return replace(pattern, id=new_id)


def strip_of(template: Template, wanted: str) -> tuple[int, Strip]:
    """Position of a strip, and the strip. Raises EditError where there is none of that id."""
    index = position(template.strips, wanted, "strip")
    return index, template.strips[index]


def with_strip(template: Template, index: int, strip: Strip) -> Template:
    """The template with the strip at a position replaced."""
    return replace(template, strips=put(template.strips, index, strip))


def insert_ids(template: Template) -> set[str]:
    """Ids of all inserts of a template."""
    return {insert.id for strip in template.strips for insert in strip.inserts}
