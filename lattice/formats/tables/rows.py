"""Lines of a table, their parsed values, and the layouts of their destinations."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from lattice.model.document import Route, Strip, Template
from lattice.model.layouts import DISCRETE, channel_count

# Chains of sums that widen each other end after as many passes as the longest has strips; more than this is a loop.
MOST_PASSES = 16


@dataclass(frozen=True)
class SheetProblem:
    """One cell (or row) that was not understood and is left out."""

    row: int
    column: str
    sentence: str

    def __str__(self) -> str:
        return f"row {self.row}, column {self.column}: {self.sentence}"


@dataclass
class ReadSheet:
    """The parsed values of a sheet, and its errors."""

    template: Template
    problems: list[SheetProblem] = field(default_factory=list)
    guessed: dict[str, str] = field(default_factory=dict)  # strip id → kind


@dataclass
class Row:
    """One line of a table: its number, its cells by column, and the id of the strip it becomes."""

    number: int
    cells: dict[str, str]
    id: str = ""


def widened(
    layouts: Mapping[str, str], open_ones: Collection[str], routes: Sequence[Route], widths: Mapping[str, int]
) -> dict[str, str]:
    """Layouts by strip; open ones get the widest layout of their inputs. O(passes · routes).

    `widths`: strips of so many physical channels; if their inputs have as many, they have its layout.
    """
    found = dict(layouts)
    fed: dict[str, list[str]] = {strip: [] for strip in open_ones}
    for route in routes:
        if route.to in fed:
            fed[route.to].append(route.from_strip)
    for _ in range(MOST_PASSES):
        before = dict(found)
        for strip, starts in fed.items():
            named = (found[start] for start in starts if not found[start].startswith(DISCRETE))
            found[strip] = max((found[strip], *named), key=channel_count)
        if found == before:
            break
    for route in routes:
        if channel_count(found[route.from_strip]) == widths.get(route.to):
            found[route.to] = found[route.from_strip]
    return found


def in_sections(template: Template, added: set[str]) -> Template:
    """New strips behind the last strip of their section that was there before; last of all where there is none."""
    last = {s.section: at for at, s in enumerate(template.strips) if s.id not in added and s.section is not None}
    behind: dict[int, list[Strip]] = defaultdict(list)
    rest = []
    for strip in template.strips:
        if strip.id in added and strip.section in last:
            behind[last[strip.section]].append(strip)
        elif strip.id in added:
            rest.append(strip)
    before = (strip for strip in template.strips if strip.id not in added)
    ordered = [piece for at, strip in enumerate(before) for piece in (strip, *behind[at])]
    return replace(template, strips=(*ordered, *rest))
