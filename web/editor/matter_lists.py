"""The list of matters as pieces of a page, each rendered once as long as nothing in it changes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.core.cache import cache
from django.http import HttpRequest
from django.template.loader import render_to_string

from web.editor.filters import Listing, Narrowed, listing
from web.editor.lists import KeyedList, Piece, renumbered
from web.editor.matters import Row, contents

INTO = "matters"  # the id of the list, in the margin and on Findings


def matters_list(request: HttpRequest, context: dict[str, Any], chosen: str = "", start: int = 0) -> KeyedList:
    """The first issues under the filters, notes by family, and the start of the next part."""
    narrowed = Narrowed.of(request)
    part = listing(context["rows"], narrowed, start, chosen)
    pieces: list[Piece] = [(f"m-{row.key}", _row(request, context, row, part)) for row in part.rows]
    shared = {"stored": context["stored"]}
    for fold in part.folds:
        query = narrowed.query(severity="note", standing="wrong", family=fold.family)
        folded = render_to_string("editor/matter_fold.html", {**shared, "fold": fold, "query": query})
        pieces.append((fold.id, folded))
    for group in part.groups:
        pieces.append((group.id, render_to_string("editor/standing_head.html", {"group": group})))
        for kind in group.kinds:
            if len(kind.rows) == 1:
                pieces.append((f"m-{kind.rows[0].key}", _row(request, context, kind.rows[0], part)))
                continue
            query = narrowed.query(standing=group.standing, code=kind.code)
            shown = {**shared, "kind": kind, "group": group, "query": query, "fold_id": kind.id}
            pieces.append((kind.id, render_to_string("editor/kind_fold.html", shown)))
    if not start and not narrowed.asks_for_notes:
        for at, head in heads(part):
            pieces.insert(at, (head.id, render_to_string("editor/standing_head.html", {"group": head})))
    if part.goes_on_at is not None:
        going_on = {**shared, "query": narrowed.query(), "start": part.goes_on_at, "total": part.total}
        pieces.append((f"more-{part.goes_on_at}", render_to_string("editor/matter_goes_on.html", going_on)))
    return KeyedList(INTO, pieces)


@dataclass(frozen=True)
class Head:
    """The head of blockers, or of mistakes, where other standings are listed beside them."""

    standing: str
    count: int

    @property
    def id(self) -> str:
        return f"g-{self.standing}"


def heads(part: Listing) -> Iterator[tuple[int, Head]]:
    """(place, head) of the first groups, the last first; none where all issues are mistakes."""
    if not part.groups and not part.blockers:
        return
    if part.wrong:
        yield min(part.blockers, len(part.rows)), Head("wrong", part.wrong)
    if part.blockers:
        yield 0, Head("blockers", part.blockers)


def margin_lists(request: HttpRequest, context: dict[str, Any], chosen: str = "") -> dict[str, KeyedList]:
    """The side panel's list and its head, by their names in templates."""
    head = render_to_string("editor/panel_findings_head.html", context)
    return {
        "matters": matters_list(request, context, chosen),
        "matters_head": KeyedList("margin-head", [("matters-head", head)]),
    }


def _row(request: HttpRequest, context: dict[str, Any], row: Row, part: Listing) -> str:
    """One issue; an expanded one with its content."""
    if row.key == part.opened:
        look = "open chosen" if part.chosen == row.key else "open"
        opened = {"is_open": True, "look": look, "chosen_finding": part.chosen, **contents(row)}
        made = render_to_string("editor/matter.html", {"stored": context["stored"], **opened}, request)
        return renumbered(made, row.number)
    key = f"matter-{context['stored'].pk}-{row.key}-{row.content}"
    kept: str | None = cache.get(key)
    if kept is None:
        kept = render_to_string("editor/matter.html", {"stored": context["stored"], "row": row})
        cache.set(key, kept)
    return renumbered(kept, row.number)
