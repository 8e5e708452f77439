"""The table of strips as records: a row a strip, in session order, with the text of every cell.

The page gets all of them once, and the browser filters, sorts and draws them. An answer to an edit carries the rows
that differ.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from typing import Any

from lattice.checks.finding import SEVERITIES
from lattice.drawing import Sheet
from lattice.formats.tables.strip_cells import CELL_COLUMNS, EDITABLE, StripCells
from lattice.gain_staging.chain import likely_db
from lattice.model.document import Route, Strip
from lattice.model.strip_kinds import PLAYING
from lattice.model.units import words_db
from web.editor.lists import Piece, Table, as_text
from web.shelf.workspace import Workspace

# Behind the cells that can be typed: figures, the worst finding and how many there are, marks of assumed levels.
FIELDS = " ".join(("id", *EDITABLE, "likely", "arrives", "worst", "findings", "assumed", "rests"))


def columns_data() -> list[dict[str, Any]]:
    """The columns as the page's scripts need them."""
    return [
        {"name": c.name, "label": c.label, "typed": bool(c.sheet), "figure": c.is_figure, "shown": c.is_shown}
        for c in CELL_COLUMNS
    ]


def cells_table(space: Workspace, _sheet: Sheet) -> Table:
    """The cells of every strip. Texts of unchanged strips are reused."""
    template, texts = space.template, StripCells(space.template)
    names = (template.sections, template.machines)
    found, arrivals = _findings(space), space.analysis.arrivals
    rows: list[tuple[Any, ...]] = []
    pieces: list[Piece] = []
    for number, strip in enumerate(template.strips):
        cells = _texts(space, texts, strip, names)
        span = arrivals.span(number)
        figures = (_likely(space, number, strip), span.latest if span else None)
        row = (strip.id, *cells, *figures, *found[strip.id], *_assumed(space, number, strip))
        key = f"row {strip.id}"
        known = space.records.get(key)
        if known is None or known[0] != row:
            known = space.records[key] = row, (strip.id, as_text(row))
        rows.append(known[0])
        pieces.append(known[1])
    return Table(FIELDS, rows, pieces)


def _texts(space: Workspace, texts: StripCells, strip: Strip, names: tuple[Any, ...]) -> tuple[str, ...]:
    """The cells that can be typed; as before where nothing that they show has changed."""
    routes: list[Route] = texts.routes.get(strip.id, [])
    shown = (strip, routes, [texts.place(route) for route in routes], names)
    key = f"cells {strip.id}"
    known = space.records.get(key)
    if known is None or known[0] != shown:
        known = space.records[key] = shown, tuple(texts.row(strip).values())
    cells: tuple[str, ...] = known[1]
    return cells


def _likely(space: Workspace, number: int, strip: Strip) -> str:
    """Likely peak behind the fader, dBFS. What a strip plays by itself depends on nothing else, and is kept."""
    levels = space.analysis.levels
    played = levels.sources.get(number)
    key = f"likely {strip.id}"
    known = space.records.get(key) if played is not None else None
    if known is not None and known[0] is strip and known[1] == played:
        kept: str = known[2]
        return kept
    post = levels.post[number] if levels.sounds(number) else None
    likely = words_db(likely_db(post)) if post else "−∞" if levels.sounds(number) else ""
    if played is not None:
        space.records[key] = strip, played, likely
    return likely


def _findings(space: Workspace) -> dict[str, tuple[str, int]]:
    """By strip, the worst severity of the findings about it, and how many there are."""
    found: dict[str, Counter[str]] = defaultdict(Counter)
    for finding in space.open.values():
        for about in finding.strips[:1]:
            found[about][finding.severity] += 1
    worst = {strip: min(counts, key=SEVERITIES.index) for strip, counts in found.items()}
    return defaultdict(lambda: ("", 0), {strip: (worst[strip], counts.total()) for strip, counts in found.items()})


def _assumed(space: Workspace, number: int, strip: Strip) -> tuple[bool, bool]:
    """Return whether it is a source at an assumed level, and whether its level rests on assumed ones."""
    return strip.kind in PLAYING and space.analysis.is_assumed(number), space.analysis.rests_on_assumed(number)
