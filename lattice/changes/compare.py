"""Compare two templates, field by field, in words."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from typing import Any

import msgspec

from lattice.changes.patch import FIELDS
from lattice.formats.document_json import to_plain
from lattice.model.document import LISTS, Template

SINGULAR = {name: name.removesuffix("s") for name in LISTS}


@dataclass(frozen=True)
class Change:
    """One difference: `what` of `id` was added, removed, moved, or changed in `field`."""

    change: str
    what: str
    id: str
    field: str = ""
    before: Any = None
    after: Any = None

    def __str__(self) -> str:
        who = f"{self.what} {self.id}".strip()
        match self.change:
            case "added":
                return f"+ {who}: {shown(self.after)}"
            case "removed":
                return f"- {who}: {shown(self.before)}"
            case "moved":
                return f"> {who}: now {self.after}"
        return f"~ {who}: {self.field} {shown(self.before)} → {shown(self.after)}"


def shown(value: Any) -> str:
    """A value in one line of at most 80 characters."""
    if isinstance(value, dict) and "from" in value:
        return f"{value['kind']} {value['from']} → {value['to']}"
    if isinstance(value, dict) and "name" in value:
        return f"{value['name']}" + (f" ({value['kind']})" if "kind" in value else "")
    text = msgspec.json.encode(value).decode()
    return text if len(text) <= 80 else text[:77] + "…"


def compare(before: Template, after: Template) -> list[Change]:
    """All differences of two templates, piece by piece and field by field.

    Parameters
    ----------
    before, after
        Two templates; pieces of the same id are the same piece.

    Returns
    -------
    list of Change
        In the order of the document; empty exactly where the two are equal.
    """
    found: list[Change] = []
    for name in FIELDS:
        one, other = getattr(before, name), getattr(after, name)
        if one != other:
            found.append(Change("changed", "template", "", name, _plain(one), _plain(other)))
    for name in LISTS:
        found += _lists(SINGULAR[name], getattr(before, name), getattr(after, name))
    return found


def _lists(what: str, before: tuple[Any, ...], after: tuple[Any, ...]) -> Iterator[Change]:
    old, new = {piece.id: piece for piece in before}, {piece.id: piece for piece in after}
    for piece in before:
        if piece.id not in new:
            yield Change("removed", what, piece.id, before=to_plain(piece))
    for piece in after:
        if piece.id not in old:
            yield Change("added", what, piece.id, after=to_plain(piece))
        elif old[piece.id] != piece:
            yield from _fields(what, old[piece.id], piece)
    yield from _moves(what, [p.id for p in before if p.id in new], [p.id for p in after if p.id in old])


# By type, its fields: msgspec reads the annotations at every call, which takes 1 ms.
_FIELDS: dict[str, tuple[Any, ...]] = {}


def _fields(what: str, before: Any, after: Any) -> Iterator[Change]:
    """The differing fields of one piece, with old and new value."""
    kind = type(after)
    if kind.__name__ not in _FIELDS:
        _FIELDS[kind.__name__] = msgspec.structs.fields(kind)
    for field in _FIELDS[kind.__name__]:
        one, other = getattr(before, field.name), getattr(after, field.name)
        if one != other:
            yield Change("changed", what, after.id, field.encode_name, _plain(one), _plain(other))


def _plain(value: Any) -> Any:
    """Plain values; a level that is not given is the usual one."""
    return "usual" if value is msgspec.UNSET else to_plain(value)


def _moves(what: str, before: list[str], after: list[str]) -> Iterator[Change]:
    """The fewest pieces that must have moved: those outside a longest common order."""
    if before == after:
        return
    place = {piece: at for at, piece in enumerate(before)}
    keep = _longest_rising([place[piece] for piece in after])
    for at, piece in enumerate(after):
        if place[piece] not in keep:
            yield Change("moved", what, piece, after=f"behind {after[at - 1]}" if at else "first")


def _longest_rising(numbers: list[int]) -> set[int]:
    """Members of a longest rising subsequence (patience sorting). O(n log n)."""
    tops: list[int] = []
    came_from: dict[int, int | None] = {}
    for position in numbers:
        at = bisect_left(tops, position)
        came_from[position] = tops[at - 1] if at else None
        tops[at : at + 1] = [position]
    kept, at_number = set(), tops[-1] if tops else None
    while at_number is not None:
        kept.add(at_number)
        at_number = came_from[at_number]
    return kept


def as_json(changes: list[Change]) -> dict[str, Any]:
    """The form of `diff --json`."""
    return {"format": "intact-lattice.diff", "version": 1, "changes": [asdict(change) for change in changes]}
