"""A newer table of an existing template: its rows give the changes, the rest stays.

In a sheet with our own heads an empty cell means none; in another one it means no change.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from msgspec.structs import replace

from lattice.formats.insert_cells import says_key
from lattice.formats.tables import words
from lattice.formats.tables.choices import Choices
from lattice.formats.tables.matching import Matched, matched, with_ids
from lattice.formats.tables.reader import COLUMNS, ROUTED, Reader
from lattice.formats.tables.rows import Row, SheetProblem
from lattice.formats.tables.tabled import Cells, Tabled
from lattice.formats.tables.tolerant_reader import LooseReader
from lattice.formats.tables.workbooks import AS_IT_IS
from lattice.formats.track_sheet_cells import entries
from lattice.formats.track_sheet_writer import cells_of_strips
from lattice.model.dangling import without_dangling
from lattice.model.document import Insert, Route, Strip, Template
from lattice.model.names import free_route_ids

# Columns that set other fields of a strip than their own name.
FIELDS = {
    "midi_in": ("midi",), "source_peak_dbfs": ("source",), "source_rms_dbfs": ("source",), "id": (),
    **dict.fromkeys(ROUTED, ()),
}  # fmt: skip


@dataclass(frozen=True)
class SheetUpdate:
    """A template updated from a newer table. Strips missing in the table are still in it."""

    template: Template
    order: tuple[str, ...]  # ids of the table's strips
    gone: tuple[str, ...]  # strips that no row means
    renamed: frozenset[str]
    problems: tuple[SheetProblem, ...]
    reader: LooseReader | None  # None: a track sheet, without open choices


def newer(template: Template, rows: list[tuple[int, Cells]], table: Tabled | None, choices: Choices) -> SheetUpdate:
    """A template as a newer table has it.

    Parameters
    ----------
    template
        The template.
    rows
        Number and cells of each row, by column of the track sheet.
    table
        A table with other heads; None for a sheet with our own.
    choices
        Answers to unclear cells.

    Returns
    -------
    SheetUpdate
        Its template may always be stored. O(rows + strips), beside names that are compared where they are left over.
    """
    known = matched(template, rows, choices.keep_apart)
    lines, called = with_ids(template, rows, known)
    reader: Keeping = (
        _Strict(template, known)
        if table is None
        else _Loose(template, known, {}, answers=choices.destinations, by_bus=table.is_by_bus)
    )
    reader.known = called | reader.known
    read = reader.read(lines)
    order = tuple(row.id for row in reader.rows)
    meant = set(known.strips.values())
    gone = tuple(strip.id for strip in template.strips if strip.id not in meant)
    loose = reader if isinstance(reader, LooseReader) else None
    return SheetUpdate(read.template, order, gone, known.renamed, tuple(read.problems), loose)


class Keeping(Reader):
    """Common steps of both readers for existing strips."""

    def __init__(self, template: Template, known: Matched, *arguments: Any, **choices: Any) -> None:
        meant = set(known.strips.values())
        others = tuple(strip for strip in template.strips if strip.id not in meant)
        super().__init__(replace(template, strips=others), *arguments, **choices)
        self.whole = template
        self.old = {strip.id: strip for strip in template.strips if strip.id in meant}
        self.known = {strip.name.casefold(): strip.id for strip in self.old.values()} | self.known
        self.insert_ids |= {insert.id for strip in self.old.values() for insert in strip.inserts}
        self.written = cells_of_strips(template, self.old)
        self.keyed_before = {route.to_insert for route in template.routes if route.kind == "key"}
        self.said: dict[str, set[str]] = {}  # strip → columns that its row changes
        self.route_fields: dict[str, set[str]] = {}  # route → fields from its cell
        self.only_added: set[str] = set()  # routes that a row lists: others of that strip stay

    def _is_said(self, column: str, cells: Cells) -> bool:
        """Return whether a row has a value in a column."""
        raise NotImplementedError

    def _updated(self, old: Route, new: Route) -> Route:
        """A route that is there, as a cell has it."""
        raise NotImplementedError

    def _id_of(self, wanted: str, name: str) -> str:
        """A strip that is there keeps its id, even where that is spent: another user may have removed it since."""
        return wanted if wanted in self.old else super()._id_of(wanted, name)

    def _row(self, row: Row) -> None:
        cells = dict(row.cells)
        super()._row(row)
        if row.id in self.old:
            written = self.written[row.id]
            said = (column for column in COLUMNS if self._is_said(column, cells))
            self.said[row.id] = {column for column in said if cells.get(column, "") != written[column]}

    def _is_kept(self, row: Row, column: str) -> bool:
        return row.id in self.old and column not in self.said[row.id]

    def _kind(self, row: Row) -> str:
        return self.old[row.id].kind if self._is_kept(row, "kind") else super()._kind(row)

    def _inserts(self, row: Row) -> list[Insert]:
        if self._is_kept(row, "inserts"):
            return list(self.old[row.id].inserts)
        return super()._inserts(row)

    def _strip(self, row: Row, kind: Any) -> Strip:
        strip = super()._strip(row, kind)
        old = self.old.get(row.id)
        if old is None:
            return strip
        fields = {field for column in self.said[row.id] for field in FIELDS.get(column, (column,))} | {"inserts"}
        new = replace(old, **{field: getattr(strip, field) for field in fields})
        is_main = new.machine is None and old.machine == self.whole.machines[0].id
        return replace(new, machine=old.machine) if is_main else new

    def _with_strips(self, strips: list[Strip]) -> Template:
        read = {strip.id: strip for strip in strips}
        others = {strip.id: self._with_keys(strip) for strip in self.base.strips}
        placed = in_order([strip.id for strip in self.whole.strips], [row.id for row in self.rows])
        all_strips = tuple(read.get(one) or others[one] for one in placed)
        return replace(self.whole, strips=all_strips, machines=tuple(self.machines.values()))

    def _with_keys(self, strip: Strip) -> Strip:
        """A strip that no row means; rows may key its inserts. The same object where none does."""
        inserts = tuple(self.inserts[strip.id])
        return strip if inserts == strip.inserts else replace(strip, inserts=inserts)

    def _with_routes(self, template: Template) -> Template:
        """Without routes that were there and that may not be any more, as where an insert they key is gone."""
        template = without_dangling(super()._with_routes(template))
        keyed = {route.to_insert for route in template.routes if route.kind == "key"}
        strips = []
        for strip in template.strips:
            inserts = tuple(self._as_keyed(strip, insert, keyed) for insert in strip.inserts)
            strips.append(strip if inserts == strip.inserts else replace(strip, inserts=inserts))
        return replace(template, strips=tuple(strips))

    def _as_keyed(self, strip: Strip, insert: Insert, keyed: set[str | None]) -> Insert:
        """An insert with its key as the routes say it, where its entry does not: keyed from outside or not at all."""
        if strip.id not in self.old or insert.id in self.said_keys:
            return insert
        if insert.id in keyed and insert.key == "none" and "inserts" in self.said[strip.id]:
            return replace(insert, key="external")
        is_let_go = insert.key == "external" and insert.id in self.keyed_before and insert.id not in keyed
        return replace(insert, key="none") if is_let_go else insert

    def _routes(self, row: Row) -> None:
        for column in ROUTED:
            if self._is_kept(row, column):
                row.cells[column] = ""
        super()._routes(row)

    def _add(self, row: Row, column: str, kind: Any, start: str, end: str, **fields: Any) -> None:
        if column == "input" and any(r.to == end and r.kind == kind for r in self.there.get((start, kind), ())):
            return
        super()._add(row, column, kind, start, end, **fields)
        route_id = self.routes[-1][2].id
        self.route_fields[route_id] = set(fields) - {"to_insert"}
        if column == "input":
            self.only_added.add(route_id)

    @cached_property
    def there(self) -> dict[tuple[str, str], list[Route]]:
        """Routes that are there, by strip and kind."""
        found: dict[tuple[str, str], list[Route]] = defaultdict(list)
        for route in self.whole.routes:
            found[route.from_strip, route.kind].append(route)
        return found

    def _numbered(self, routes: list[Route]) -> tuple[Route, ...]:
        """Existing routes, with those of each strip and kind that a row changes."""
        said = {
            (strip, ROUTED[c]): list[Route]() for strip, columns in self.said.items() for c in columns if c in ROUTED
        }
        added: list[Route] = []
        for route in routes:
            place = (route.from_strip, route.kind)
            (added if place not in said or route.id in self.only_added else said[place]).append(route)
        instead: dict[str, Route | None] = {}
        for place, new in said.items():
            added += self._paired(self.there.get(place, []), new, instead)
        kept = (instead.get(route.id, route) for route in self.whole.routes)
        ids = free_route_ids(self.whole)
        return (*(route for route in kept if route), *(replace(route, id=next(ids)) for route in added))

    def _paired(self, there: list[Route], new: list[Route], instead: dict[str, Route | None]) -> list[Route]:
        """Reports the result for existing routes; returns the new ones.

        Routes with the same ends are the same; the rest of both are redirected, in order.
        """
        left, open_ones = list(there), []
        for route in new:
            same = next((old for old in left if _ends(old) == _ends(route)), None)
            if same is None:
                open_ones.append(route)
            else:
                left.remove(same)
                instead[same.id] = self._updated(same, route)
        for old, route in zip(left, open_ones, strict=False):
            instead[old.id] = self._updated(old, route)
        instead |= dict.fromkeys((old.id for old in left[len(open_ones) :]), None)
        return open_ones[len(left) :]


def _ends(route: Route) -> tuple[Any, ...]:
    return route.to, route.to_insert, route.from_outlet, route.port, route.channel


def in_order(there: list[str], said: list[str]) -> list[str]:
    """Existing pieces, those of the table in its order; new ones after their predecessors there."""
    known = set(there)
    both = iter([one for one in said if one in known])
    shared = set(said)
    there = [next(both) if one in shared else one for one in there]
    behind: dict[str, list[str]] = defaultdict(list)
    last = ""
    for one in said:
        if one in known:
            last = one
        else:
            behind[last].append(one)
    return [*behind[""], *(piece for one in there for piece in (one, *behind[one]))]


class _Strict(Keeping):
    """A sheet with our own heads: an empty cell removes the value."""

    def _is_said(self, column: str, cells: Cells) -> bool:
        return column in cells and cells[column] != AS_IT_IS

    def _inserts(self, row: Row) -> list[Insert]:
        old = self.old[row.id].inserts if row.id in self.old else ()
        if self._is_kept(row, "inserts"):
            said = zip(old, entries(row.cells.get("inserts", "")), strict=False)
            self.said_keys |= {insert.id for insert, entry in said if says_key(entry)}
        else:
            self.insert_ids -= {insert.id for insert in old}
        return super()._inserts(row)

    def _updated(self, old: Route, new: Route) -> Route:
        return replace(new, id=old.id)


class _Loose(Keeping, LooseReader):
    """A table with other heads: an empty cell changes nothing, “-” or “none” removes the value."""

    def _is_said(self, column: str, cells: Cells) -> bool:
        cell = cells.get(column, "")
        if column == "io":
            physical = words.physical_of(cells.get("input", ""), may_be_bare=True)
            return bool(cell) or (physical is not None and cells.get("kind") == "input")
        if column == "kind" and cell == words.OPEN_WORD:
            return False
        return bool(cell) and (column in (*ROUTED, "inserts") or not words.is_nothing(cell))

    def _inserts(self, row: Row) -> list[Insert]:
        if self._is_kept(row, "inserts"):
            self._fill(row)
            return list(self.old[row.id].inserts)
        found = super()._inserts(row)
        if row.id not in self.old:
            return found
        left = list(self.old[row.id].inserts)
        kept = []
        for insert in found:
            same = next((old for old in left if _called(old) == _called(insert)), None)
            if same is not None:
                left.remove(same)
            kept.append(same or insert)
        return kept

    def _updated(self, old: Route, new: Route) -> Route:
        fields = {"to", "to_insert", *self.route_fields[new.id]}
        return replace(old, **{field: getattr(new, field) for field in fields})


def _called(insert: Insert) -> str:
    """The name of an insert in a list: its own, else its type."""
    return insert.title.casefold()
