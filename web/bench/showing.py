"""A reading as a grid: sources down, prints across, level and deviation in each cell."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, NamedTuple

from lattice.bench.prints.verdict import stem_names
from lattice.model.document import Template
from lattice.model.units import words_db
from web.editor.differences import names_of

MARKS = {"blocker": "▼", "warning": "◆"}


class Spot(NamedTuple):
    """Where something may be wrong in a session: a strip, a route or an insert."""

    name: str
    strip: str  # where it is on the map


def spots(template: Template) -> dict[str, Spot]:
    """Strips, routes and inserts by id, as people call them."""
    names = names_of(template)
    found = {strip.id: Spot(strip.name, strip.id) for strip in template.strips}
    found |= {route.id: Spot(names["route", route.id], route.from_strip) for route in template.routes}
    for strip in template.strips:
        found |= {insert.id: Spot(f"{insert.title} on {strip.name}", strip.id) for insert in strip.inserts}
    return found


@dataclass(frozen=True)
class GridCell:
    """A source in a print: its level there, and its deviation."""

    words: str
    severity: str = ""
    said: str = ""


@dataclass
class GridRow:
    """A source across the prints."""

    id: str
    name: str
    cells: list[GridCell] = field(default_factory=list)


@dataclass(frozen=True)
class Grid:
    """The whole grid; `more` sources are not shown."""

    stems: list[str]
    rows: list[GridRow]
    more: int


def grid(content: dict[str, Any], template: Template, most: int) -> Grid:
    """The grid of a reading."""
    names = stem_names(template)
    stems = [one["stem"] for one in content["prints"] if not one["problem"]]
    levels: dict[tuple[str, str], float] = {}
    for row in content["slots"]:
        there = [out["gain_db"] for out in row["out"] if out["present"] and out.get("gain_db") is not None]
        key = (row["source"], row["stem"])
        if there:
            levels[key] = max(*there, levels.get(key, -999.0))
    wrong: dict[tuple[str, str], dict[str, Any]] = {}
    for one in content["findings"]:
        for strip in one["strips"]:
            for stem in one["stems"]:
                wrong.setdefault((strip, stem), one)
    strips = {strip.id: strip.name for strip in template.strips}
    sources = list(dict.fromkeys(row["source"] for row in content["slots"]))
    rows = []
    for source in sources[:most]:
        cells = [_cell(levels.get((source, stem)), wrong.get((source, stem))) for stem in stems]
        rows.append(GridRow(source, strips.get(source, source), cells))
    return Grid([names.get(stem, stem) for stem in stems], rows, max(len(sources) - most, 0))


def _cell(level_db: float | None, wrong: dict[str, Any] | None) -> GridCell:
    words = "" if level_db is None else words_db(level_db, plus=True)
    return GridCell(words, wrong["severity"], wrong["message"]) if wrong else GridCell(words)
