"""Ids that are spent: pieces had them that were removed, and nothing new in the template is called by them.

A page that is behind still shows the old piece. If a new one had its id, an edit made there would land on that one.
"""

from __future__ import annotations

from collections.abc import Container, Iterator
from functools import cached_property

from django.db.models import F, Value
from django.db.models.functions import Concat

from lattice.changes.patch import Patch
from web.shelf.models import StoredTemplate


class SpentIds(Container[str]):
    """The spent ids of a template; read when the first new piece needs an id, which few edits do."""

    def __init__(self, pk: int) -> None:
        self._pk = pk

    def __contains__(self, name: object) -> bool:
        return name in self._ids

    @cached_property
    def _ids(self) -> frozenset[str]:
        found = StoredTemplate.objects.filter(pk=self._pk).values_list("spent", flat=True).first()
        return frozenset((found or "").split())


def spend(pk: int, change: Patch) -> None:
    """Notes the ids that a change takes away."""
    gone = list(removed_by(change))
    if gone:
        words = "".join(f" {name}" for name in gone)
        StoredTemplate.objects.filter(pk=pk).update(spent=Concat(F("spent"), Value(words)))


def removed_by(change: Patch) -> Iterator[str]:
    """Ids of the pieces that a change removes, those within strips too."""
    for of in change.lists.values():
        for _at, piece in of.removed:
            yield from _ids_of(piece)
        for before, after in of.changed:
            kept = set(_ids_of(after))
            yield from (name for name in _ids_of(before) if name not in kept)


def _ids_of(piece: dict[str, object]) -> Iterator[str]:
    if isinstance(name := piece.get("id"), str):
        yield name
    for inside in ("inserts", "outlets", "parts"):
        pieces = piece.get(inside)
        yield from (one["id"] for one in pieces if isinstance(one, dict)) if isinstance(pieces, list | tuple) else ()
