"""All strips as a table: kind, section, where they go, level, arrival, findings; sorted and narrowed by the address."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from lattice.checks.finding import SEVERITIES, Severity
from lattice.gain_staging.chain import figures
from lattice.model.document import Strip
from lattice.model.names import joined
from lattice.model.strip_kinds import PLAYING, STRIP_KINDS
from web.shelf.workspace import Workspace

MOST_ROWS = 100  # that are rendered at once
KIND_ORDER = {traits.name: at for at, traits in enumerate(STRIP_KINDS)}
SILENT = -1000.0  # below any level, for sorting


@dataclass(frozen=True)
class StripRow:
    """The cells of one strip in the table."""

    strip: Strip
    place: int
    section: str
    goes_to: str
    level_dbfs: float | None
    arrival_samples: int | None
    worst: Severity | None  # None where nothing is found
    findings: int
    is_assumed: bool
    rests_on_assumed: bool

    @property
    def text(self) -> str:
        """The text in which the words of a search are found."""
        tags = " ".join(self.strip.tags)
        return (
            f"{self.strip.name} {self.strip.kind} {self.strip.layout} {self.section} {self.goes_to} {tags}".casefold()
        )


# Columns: of the address, the head, whether figures, how rows are sorted by it.
COLUMNS: tuple[tuple[str, str, bool, Callable[[StripRow], Any]], ...] = (
    ("name", "Strip", False, lambda row: row.strip.name.casefold()),
    ("kind", "Kind", False, lambda row: KIND_ORDER[row.strip.kind]),
    ("layout", "Layout", False, lambda row: row.strip.layout),
    ("section", "Section", False, lambda row: row.section.casefold()),
    ("to", "Destination", False, lambda row: row.goes_to.casefold()),
    ("level", "Likely peak, dBFS", True, lambda row: SILENT if row.level_dbfs is None else row.level_dbfs),
    ("arrival", "Arrival, samples", True, lambda row: -1 if row.arrival_samples is None else row.arrival_samples),
    ("findings", "Findings", True, lambda row: (-SEVERITIES.index(row.worst) if row.worst else -9, row.findings)),
)


def strip_rows(space: Workspace) -> list[StripRow]:
    """A row for each strip, in session order."""
    graph, levels, arrivals = space.graph, space.analysis.levels, space.analysis.arrivals
    sections = {section.id: section.name for section in space.template.sections}
    goes: dict[int, list[str]] = defaultdict(list)
    for number, route in enumerate(graph.routes):
        if route.kind in ("feed", "tie", "midi"):
            goes[graph.tail[number]].append(graph.strips[graph.head[number]].name)
    found: dict[str, list[Severity]] = defaultdict(list)
    for finding in space.open.values():
        for about in finding.strips[:1]:
            found[about].append(finding.severity)
    rows = []
    for number, strip in enumerate(graph.strips):
        post = levels.post[number] if levels.sounds(number) else None
        span, severities = arrivals.span(number), found[strip.id]
        rows.append(
            StripRow(
                strip,
                number,
                sections.get(strip.section or "", ""),
                joined(dict.fromkeys(goes[number])),
                figures(post).loudest[1] if post else None,
                span.latest if span else None,
                min(severities, key=SEVERITIES.index) if severities else None,
                len(severities),
                strip.kind in PLAYING and space.analysis.is_assumed(number),
                space.analysis.rests_on_assumed(number),
            )
        )
    return rows


def strip_table(space: Workspace, asked: dict[str, str]) -> dict[str, Any]:
    """The part of the table under the filters of the address.

    Parameters
    ----------
    space
        The template.
    asked
        `q` words, `kind`, `section` (a name), `sort` a column, `way` down, `from` the first row.
    """
    rows = strip_rows(space)
    words = asked.get("q", "").casefold().split()
    kept = [
        row
        for row in rows
        if all(word in row.text for word in words)
        and asked.get("kind", "") in ("", row.strip.kind)
        and asked.get("section", "") in ("", row.section)
    ]
    by = next((key for name, _head, _is_figure, key in COLUMNS if name == asked.get("sort")), None)
    if by is not None:
        kept.sort(key=by, reverse=asked.get("way") == "down")
    start = int(asked["from"]) if asked.get("from", "").isdecimal() else 0
    start = min(start, max(len(kept) - 1, 0) // MOST_ROWS * MOST_ROWS)
    return {
        "columns": [_column(name, head, is_figure, asked) for name, head, is_figure, _key in COLUMNS],
        "rows": kept[start : start + MOST_ROWS],
        "total": len(kept),
        "all": len(rows),
        "first": start + 1,
        "last": min(start + MOST_ROWS, len(kept)),
        "before": _query(asked, **{"from": str(start - MOST_ROWS)}) if start else "",
        "after": _query(asked, **{"from": str(start + MOST_ROWS)}) if start + MOST_ROWS < len(kept) else "",
        "found_ids": " ".join(row.strip.id for row in kept),
        "asked": asked,
        "kinds_used": [kind for kind in KIND_ORDER if any(row.strip.kind == kind for row in rows)],
        "sections_used": list(dict.fromkeys(row.section for row in rows if row.section)),
        "assumed": sum(row.is_assumed for row in rows),
    }


def _column(name: str, head: str, is_figure: bool, asked: dict[str, str]) -> dict[str, Any]:
    """A column head that sorts by its column, in reverse at the second press."""
    is_sorted = asked.get("sort") == name
    way = "down" if (is_sorted and asked.get("way") != "down") or (is_figure and not is_sorted) else "up"
    sorts = ("descending" if asked.get("way") == "down" else "ascending") if is_sorted else "none"
    query = _query(asked, sort=name, way=way, **{"from": ""})
    return {"name": name, "head": head, "is_figure": is_figure, "sorts": sorts, "query": query}


def _query(asked: dict[str, str], **changes: str) -> str:
    return urlencode({name: value for name, value in {**asked, **changes}.items() if value})
