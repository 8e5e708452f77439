"""Which strip of a template each row of a newer table means.

A row means the strip with its id, else the one with its name (and section), else, where both are left over, one whose
name is alike.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from difflib import SequenceMatcher

from lattice.formats.tables.tabled import Cells
from lattice.model.document import Strip, Template
from lattice.model.names import free_id, slug

ALIKE = 0.72  # of two names, by difflib's ratio; numbers must be the same
MOST_COMPARED = 250_000  # pairs of names


@dataclass(frozen=True)
class Matched:
    """Which strip each row means: row → id; renamed ones among them by id."""

    strips: dict[int, str]
    renamed: frozenset[str]


def matched(template: Template, rows: Iterable[tuple[int, Cells]], apart: Collection[str] = ()) -> Matched:
    """The strip that each row means, where it means one.

    Parameters
    ----------
    template
        The template.
    rows
        Number and cells of each row.
    apart
        Ids of strips that are not meant by a name that is alike.
    """
    left = {strip.id: strip for strip in template.strips}
    sections = {section.id: section.name.casefold() for section in template.sections}
    found: dict[int, str] = {}
    open_rows: dict[int, Cells] = {}
    for number, cells in rows:
        if cells.get("id", "") in left:
            found[number] = cells["id"]
            del left[cells["id"]]
        else:
            open_rows[number] = cells
    for with_section in (True, False):
        places: dict[tuple[str, str], list[str]] = defaultdict(list)
        for strip in left.values():
            section = sections.get(strip.section or "", "") if with_section else ""
            places[strip.name.casefold(), section].append(strip.id)
        for number, cells in list(open_rows.items()):
            section = cells.get("section", "").casefold() if with_section else ""
            here = places.get((cells.get("name", "").casefold(), section))
            if here:
                found[number] = here.pop(0)
                del left[found[number]], open_rows[number]
    renamed = _alike(open_rows, {id_: strip for id_, strip in left.items() if id_ not in apart})
    return Matched(found | renamed, frozenset(renamed.values()))


def _alike(rows: Mapping[int, Cells], left: Mapping[str, Strip]) -> dict[int, str]:
    """Rows and strips left over whose names are alike, the most alike first."""
    if len(rows) * len(left) > MOST_COMPARED:
        return {}
    pairs = []
    for number, cells in rows.items():
        name = cells.get("name", "").casefold()
        matcher = SequenceMatcher(None, "", name)
        for strip in left.values():
            other = strip.name.casefold()
            if _digits(name) == _digits(other):
                matcher.set_seq1(other)
                if matcher.real_quick_ratio() >= ALIKE and (ratio := matcher.ratio()) >= ALIKE:
                    pairs.append((-ratio, number, strip.id))
    found: dict[int, str] = {}
    for _ratio, number, strip_id in sorted(pairs):
        if number not in found and strip_id not in found.values():
            found[number] = strip_id
    return found


def _digits(name: str) -> str:
    return "".join(filter(str.isdigit, name))


def with_ids(
    template: Template, rows: list[tuple[int, Cells]], known: Matched
) -> tuple[list[tuple[int, Cells]], dict[str, str]]:
    """Rows with the ids of their strips, and ids in other cells: as in the table → as in the template.

    New strips get ids that nothing has, nor any other row.
    """
    taken = {strip.id for strip in template.strips}
    lines, called = [], {}
    for number, cells in rows:
        wanted = cells.get("id", "")
        own = known.strips.get(number)
        if own is None:
            good = wanted if slug(wanted) == wanted else ""
            own = free_id(good or slug(cells.get("name", "")), taken)
            taken.add(own)
        if wanted and wanted != own:
            called[wanted] = own
        lines.append((number, {**cells, "id": own}))
    return lines, called
