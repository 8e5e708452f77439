"""Apply changes of one template to a variant of it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from msgspec.structs import fields, replace

from lattice.formats.gate import validated
from lattice.model.dangling import without_dangling
from lattice.model.document import LISTS, Template

OWN = frozenset({"name", "note"})  # fields of a template that a variant has for itself


@dataclass(frozen=True)
class Carried:
    """A variant with the changes of its original.

    Attributes
    ----------
    template
        The variant with all changes. Pieces removed from the original are still in it.
    gone
        Ids of its strips that are gone in the other.
    """

    template: Template
    gone: tuple[str, ...]


def carried(base: Template, now: Template, other: Template) -> Carried:
    """A variant with the changes between two versions of its original.

    Parameters
    ----------
    base, now
        The original at the last update of the variant, and its current version.
    other
        The derived one.

    Returns
    -------
    Carried
        Changed fields have their new values, whatever the variant had. Added pieces are added; pieces that the variant
        has removed stay removed. A piece that depends on a missing one (a route to a removed strip) is left out. O(size
        of all three).
    """
    made = replace(other, **dict(_fields(base, now, other)))
    for name in LISTS:
        made = replace(made, **{name: _pieces(getattr(base, name), getattr(now, name), getattr(other, name))})
    strips = {strip.id for strip in made.strips}
    left = {strip.id for strip in now.strips}
    gone = tuple(strip.id for strip in base.strips if strip.id not in left and strip.id in strips)
    return Carried(validated(other, without_dangling(made)), gone)


def _fields(base: Template, now: Template, other: Template) -> Iterable[tuple[str, Any]]:
    """Fields of the template itself that changed."""
    for field in fields(Template):
        if field.name not in (*LISTS, *OWN, "waivers") and getattr(base, field.name) != getattr(now, field.name):
            yield field.name, getattr(now, field.name)


def _pieces(base: tuple[Any, ...], now: tuple[Any, ...], other: tuple[Any, ...]) -> tuple[Any, ...]:
    """One list: pieces with the changed fields, and the added ones, each after its predecessor there."""
    was, own = {piece.id: piece for piece in base}, {piece.id for piece in other}
    is_now = {piece.id: piece for piece in now}
    found = [_piece(was[p.id], is_now[p.id], p) if p.id in was and p.id in is_now else p for p in other]
    for at, piece in enumerate(now):
        if piece.id in was or piece.id in own:
            continue
        before = {one.id for one in now[:at]}
        place = max((n + 1 for n, one in enumerate(found) if one.id in before), default=0)
        found.insert(place, piece)
        own.add(piece.id)
    return tuple(found)


def _piece(was: Any, is_now: Any, own: Any) -> Any:
    """A piece with the fields that changed elsewhere."""
    if was == is_now:
        return own
    changed = {
        f.name: getattr(is_now, f.name) for f in fields(type(own)) if getattr(was, f.name) != getattr(is_now, f.name)
    }
    return replace(own, **changed)
