"""Merge two changes of the same template: both apply if they touch nothing in common.

The smallest unit is a field of a piece. Inserts, outlets and the like of a strip, waivers, and profile fields are
separate pieces. Additions of both sides to an ordered list are in an order that does not depend on the time of the
edits.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import count
from typing import Any, NamedTuple

import msgspec

from lattice.errors import DocumentError
from lattice.formats.document_json import encode, load, to_plain
from lattice.model.document import Template
from lattice.model.names import is_spent

MISSING = msgspec.UNSET
KEYS = ("id", "fingerprint")  # by which the pieces of a list are told apart
# Fields of a route that say which one it is: two of them side by side would be one too many.
ENDS = ("kind", "from", "from_outlet", "to", "to_insert")


class Conflict(NamedTuple):
    """A field that both changes touch: its place, its old value, and both new ones; MISSING for a missing piece."""

    path: tuple[str, ...]  # list, id, field …
    base: Any
    ours: Any
    theirs: Any


class ConflictError(DocumentError):
    """Two changes conflict."""

    def __init__(self, clashes: Sequence[Conflict], problems: Sequence[str] = ()) -> None:
        super().__init__(list(problems) or [f"both change {' '.join(clash.path)}" for clash in clashes])
        self.clashes = tuple(clashes)


def rebase(base: Template, ours: Template, theirs: Template) -> Template:
    """Our change of a template on top of another one's.

    Parameters
    ----------
    base
        The state that both began with.
    ours, theirs
        The two new values.

    Returns
    -------
    Template
        Both changes. `rebase(base, theirs, ours)` is the same, but for the numbers of routes that both have added:
        those of `theirs` are taken already.

    Raises
    ------
    ConflictError
        If both touch the same field, or both together give an invalid template.

    Notes
    -----
    Three-way merge by structure (S. Khanna, K. Kunal, B. C. Pierce, *A formal investigation of diff3*, FSTTCS 2007): a
    field that one side changed has the value of that side. O(size of the document).
    """
    before, mine, there = (to_plain(side) for side in (base, ours, theirs))
    plain = before, _renumbered(before, mine, there), there
    merging = _Merge()
    merged = merging.of((), *plain)
    merging.clashes += _same_routes(*plain)
    if merging.clashes:
        raise ConflictError(merging.clashes)
    try:
        return load(msgspec.json.encode(merged))
    except DocumentError as wrong:
        raise ConflictError((), wrong.problems) from None


def is_alike(one: Template, other: Template) -> bool:
    """Return whether two templates are the same but for the numbers of their routes."""
    return _unnumbered(one) == _unnumbered(other)


def _unnumbered(template: Template) -> tuple[bytes, list[str]]:
    routes = [_content(to_plain(route)) for route in template.routes]
    return encode(msgspec.structs.replace(template, routes=())), sorted(routes)


class _Merge:
    """One merge, with its conflicts."""

    def __init__(self) -> None:
        self.clashes: list[Conflict] = []

    def of(self, path: tuple[str, ...], base: Any, ours: Any, theirs: Any) -> Any:
        """The value of both changes; where they clash, ours, and the clash is noted."""
        if ours in (base, theirs):
            return theirs
        if theirs == base:
            return ours
        sides = (base, ours, theirs)
        if all(isinstance(side, dict) for side in sides):
            return self._mapping(path, *sides)
        key = _key_of(sides)
        if key is not None:
            return self._pieces(path, key, *(side if side is not MISSING else [] for side in sides))
        self.clashes.append(Conflict(path, *sides))
        return ours

    def _mapping(
        self, path: tuple[str, ...], base: dict[str, Any], ours: dict[str, Any], theirs: dict[str, Any]
    ) -> dict[str, Any]:
        found = {}
        for name in dict.fromkeys((*base, *theirs, *ours)):
            value = self.of((*path, name), *(side.get(name, MISSING) for side in (base, ours, theirs)))
            if value is not MISSING:
                found[name] = value
        return found

    def _pieces(self, path: tuple[str, ...], key: str, *lists: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """A list of pieces: each separately, and then their order."""
        by_name = [{piece[key]: piece for piece in one} for one in lists]
        base, ours, theirs = by_name
        merged = {}
        for name in dict.fromkeys((*base, *theirs, *ours)):
            value = self.of((*path, name), *(side.get(name, MISSING) for side in by_name))
            if value is not MISSING:
                merged[name] = value
        orders = [[name for name in side if name in base] for side in (ours, theirs)]
        stayed = [[name for name in base if name in side] for side in (ours, theirs)]
        moved = [order != stay for order, stay in zip(orders, stayed, strict=True)]
        if all(moved) and orders[0] != orders[1]:
            self.clashes.append(Conflict((*path, "order"), list(base), *orders))
        order = list(base)
        if moved[0] or moved[1]:
            order = _in_order_of(orders[0] if moved[0] else orders[1], order)
        return [merged[name] for name in _with_new(order, (ours, theirs), merged) if name in merged]


def _key_of(sides: Sequence[Any]) -> str | None:
    """The field that names the pieces of a list; None for other values, and for a list that is not there before."""
    lists = [side for side in sides if side is not MISSING]
    if not all(isinstance(side, list) for side in lists):
        return None
    pieces = [piece for side in lists for piece in side]
    if not pieces or not all(isinstance(piece, dict) for piece in pieces):
        return None
    return next((key for key in KEYS if all(key in piece for piece in pieces)), None)


def _in_order_of(moved: Sequence[str], whole: Sequence[str]) -> list[str]:
    """All names, those of `moved` in its order; the others stay after their predecessors."""
    known = set(moved)
    runs: dict[str | None, list[str]] = {}
    last: str | None = None
    for name in whole:
        if name in known:
            last = name
        else:
            runs.setdefault(last, []).append(name)
    found = list(runs.get(None, []))
    for name in moved:
        found += [name, *runs.get(name, [])]
    return found


def _with_new(order: Sequence[str], sides: Sequence[Mapping[str, Any]], merged: Mapping[str, Any]) -> Iterator[str]:
    """Names of all pieces: additions of a side stay after their predecessors there.

    If both have added at the same place, the content decides the order, not the time.
    """
    known = set(order)
    runs: dict[str | None, list[list[str]]] = {}
    for side in sides:
        last, run = None, list[str]()
        for name in side:
            if name in known:
                last, run = name, []
                continue
            if not run:
                runs.setdefault(last, []).append(run)
            run.append(name)
    given: set[str] = set()
    for place in (None, *order):
        if place is not None:
            yield place
        for run in sorted(runs.get(place, []), key=lambda names: [_content(merged.get(name)) for name in names]):
            yield from (name for name in run if name not in given)
            given |= set(run)


def _content(piece: Any) -> str:
    """The content of a piece, without its number."""
    inner = {name: value for name, value in piece.items() if name != "id"} if isinstance(piece, dict) else piece
    return msgspec.json.encode(inner, order="deterministic").decode()


def _renumbered(base: dict[str, Any], ours: dict[str, Any], theirs: dict[str, Any]) -> dict[str, Any]:
    """Ours, with other numbers for new routes whose numbers the other side has given away. Nothing refers to them."""
    before, there = _by_id(base), _by_id(theirs)
    taken = {*before, *there, *_by_id(ours)}
    numbers = (name for name in map("r{}".format, count(len(taken) + 1)) if name not in taken and not is_spent(name))
    routes = [
        {**route, "id": next(numbers)}
        if route["id"] not in before and route["id"] in there and there[route["id"]] != route
        else route
        for route in ours.get("routes", [])
    ]
    return {**ours, "routes": routes} if routes else ours


def _by_id(document: Mapping[str, Any]) -> dict[str, Any]:
    return {route["id"]: route for route in document.get("routes", [])}


def _same_routes(base: dict[str, Any], ours: dict[str, Any], theirs: dict[str, Any]) -> Iterator[Conflict]:
    """Routes between the same ends that both sides have added, each separately."""
    before = _by_id(base)
    new = [
        {tuple(route.get(end) for end in ENDS): route for name, route in _by_id(side).items() if name not in before}
        for side in (ours, theirs)
    ]
    for ends, route in new[0].items():
        other = new[1].get(ends)
        if other is not None and other != route:
            yield Conflict(("routes", route["id"]), MISSING, route, other)
