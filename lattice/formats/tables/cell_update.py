"""Cells typed into the table of strips: each sets what its column says of a strip, the rest stays.

The words are those of `tolerant_reader`. Unlike a table that is imported, an unknown destination is refused: a slip of
the pen shall not make a bus. Physical outputs that no strip has make that strip.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from msgspec.structs import replace

from lattice.errors import EditError, refusal
from lattice.formats.insert_cells import USUAL as USUAL_INSERT
from lattice.formats.insert_cells import says_key
from lattice.formats.tables import words
from lattice.formats.tables.matching import Matched
from lattice.formats.tables.reader import ROUTED, Reader
from lattice.formats.tables.rows import Row
from lattice.formats.tables.sheet_update import Keeping
from lattice.formats.tables.short_forms import spell_out
from lattice.formats.tables.state_cells import read_state
from lattice.formats.tables.strip_cells import COMPUTED, EDITABLE, NEW_LINE, sheet_columns, shown_insert
from lattice.formats.tables.tabled import Cells
from lattice.formats.tables.tolerant_reader import LooseReader
from lattice.formats.track_sheet_cells import entries
from lattice.model.document import Insert, Route, Strip, Template
from lattice.model.names import ambiguous
from lattice.model.strip_kinds import PLAYING

MAX_NAME = 500  # characters
ROUTING = frozenset((*ROUTED, "kind", "layout", "machine", "inserts"))  # columns that routes depend on
SOURCE_LEVELS = ("source_peak_dbfs", "source_rms_dbfs")


@dataclass(frozen=True)
class TypedCell:
    """The text of one cell: strip by id, column by its name in `strip_cells.CELL_COLUMNS`."""

    strip: str
    column: str
    text: str


def with_cells(template: Template, typed: Sequence[TypedCell]) -> Template:
    """A template with some cells of its table of strips changed.

    Parameters
    ----------
    template
        The template.
    typed
        The cells; of two for the same place the later one holds.

    Returns
    -------
    Template
        A valid template. O(strips + routes + cells).

    Raises
    ------
    EditError
        With a sentence for each cell that cannot be read, up to eight of them; then nothing is changed.
    """
    strips = {strip.id: strip for strip in template.strips}
    problems = _misplaced(template, strips, typed)
    if problems:
        raise EditError(*refusal(problems))
    rows: dict[str, Cells] = {}
    for cell in typed:
        row = rows.setdefault(cell.strip, {"id": cell.strip})
        try:
            row.update(_sheet_cells(strips[cell.strip], cell))
        except ValueError as wrong:
            problems.append(f"{_where(strips[cell.strip], cell.column)}: {wrong}")
    reader = _Cells(template, Matched(dict(enumerate(rows)), frozenset()))
    lines = [(number, reader.completed(cells)) for number, cells in enumerate(rows.values())]
    read = reader.read(lines)
    ids = list(rows)
    for problem in read.problems:
        strip = strips[ids[problem.row]]
        problems.append(f"{_where(strip, _column_of(strip, problem.column))}: {_alone(problem.sentence)}")
    problems += reader.lost(read.template)
    if problems:
        raise EditError(*refusal(list(dict.fromkeys(problems))))
    return read.template


def _misplaced(template: Template, strips: dict[str, Strip], typed: Sequence[TypedCell]) -> list[str]:
    """Cells of removed strips, of unknown columns, of computed ones, and those that no strip of their kind has."""
    machines = [name.casefold() for machine in template.machines for name in (machine.id, machine.name)]
    problems: list[str] = []
    for cell in typed:
        if cell.strip not in strips:
            problems.append(f"strip {cell.strip} does not exist; it may have been removed")
        elif cell.column in COMPUTED:
            problems.append(f"{COMPUTED[cell.column].label} is computed; type or paste in another column")
        elif cell.column not in EDITABLE:
            problems.append(f"“{cell.column}” is not a column: {', '.join(EDITABLE)}")
        elif said := _unfit(strips[cell.strip], cell, machines):
            problems.append(f"{_where(strips[cell.strip], cell.column)}: {said}")
    return list(dict.fromkeys(problems))


def _unfit(strip: Strip, cell: TypedCell, machines: Sequence[str]) -> str:
    """The reason why a cell does not fit its strip, as far as the reader of rows would not say so."""
    text = cell.text.strip()
    if cell.column == "name" and not 0 < len(text) <= MAX_NAME:
        return "is empty" if not text else f"is longer than {MAX_NAME} characters"
    if cell.column in ("peak", "rms") and text and strip.kind not in PLAYING:
        return f"only strips of kind {', '.join(sorted(PLAYING))} have source levels"
    if cell.column == "machine" and not words.is_nothing(text) and text.casefold() not in machines:
        return f"machine “{text}” does not exist; add it in Settings"
    return ""


def _alone(sentence: str) -> str:
    """A problem without the words that say how a table that is imported goes on."""
    for ending in ("; skipped", "; detected instead", "; another id is made"):
        sentence = sentence.removesuffix(ending)
    return sentence


def _where(strip: Strip, column: str) -> str:
    label = EDITABLE[column].label.partition(",")[0] if column in EDITABLE else column
    return f"{strip.name}, {label}"


def _column_of(strip: Strip, sheet_column: str) -> str:
    """The column of the table whose cell sets a column of the track sheet."""
    sets = (name for name, column in EDITABLE.items() if sheet_column in sheet_columns(column, strip))
    return next(sets, sheet_column)


def _sheet_cells(strip: Strip, cell: TypedCell) -> Cells:
    """A cell as those of the track sheet. Raises ValueError with a sentence."""
    text = " ".join(cell.text.split()) if cell.column != "note" else cell.text.strip()
    if cell.column == "state":
        return dict(read_state(text))
    if cell.column == "note":
        return {"note": text.replace(NEW_LINE, "\n")}
    column = sheet_columns(EDITABLE[cell.column], strip)[0]
    if column in SOURCE_LEVELS and strip.kind not in PLAYING:
        return {}
    if column == "io":
        physical = words.physical_of(text, may_be_bare=True)
        text = f"{physical.channels[0]}-{physical.channels[-1]}" if physical else text
    may_be_nothing = column in (*ROUTED, "inserts", "section", "machine", "io", "layout", "tags")
    return {column: "" if may_be_nothing and words.is_nothing(text) else text}


class _Cells(Keeping, LooseReader):
    """Rows of strips that are there, with cells in some columns only."""

    def __init__(self, template: Template, known: Matched) -> None:
        super().__init__(template, known, {})
        names: Counter[str] = Counter(strip.name.casefold() for strip in template.strips)
        self.is_several = {name for name, count in names.items() if count > 1}

    def completed(self, cells: Cells) -> Cells:
        """A row with its name, and with both levels of a source where one is typed."""
        written = self.written[cells["id"]]
        if any(level in cells for level in SOURCE_LEVELS):
            cells = {level: written[level] for level in SOURCE_LEVELS} | cells
        return {"name": written["name"], **cells}

    def _is_said(self, column: str, cells: Cells) -> bool:
        return column in cells

    def _fill(self, row: Row) -> None:
        row.cells.setdefault("section", "")
        spell_out(row.cells)

    def _guess(self, row: Row) -> str:
        """An auxiliary is a return where strips send to it, else a bus."""
        return "return" if row.id in self._sent_to else "bus"

    @cached_property
    def _sent_to(self) -> set[str]:
        return {route.to for route in self.whole.routes if route.kind == "send"}

    def _inserts(self, row: Row) -> list[Insert]:
        """Entries as shown are the inserts that are there; those of the same name take their id and latency."""
        self._fill(row)
        old = list(self.old[row.id].inserts)
        if self._is_kept(row, "inserts"):
            return old
        said = list(entries(row.cells.get("inserts", "")))
        kept = {position: self._same(entry, old) for position, entry in enumerate(said)}
        row.cells["inserts"] = "; ".join(entry for position, entry in enumerate(said) if kept[position] is None)
        read = iter(Reader._inserts(self, row) if row.cells["inserts"] else [])
        typed = [entry for position, entry in enumerate(said) if kept[position] is None]
        changed = iter([self._carried(insert, entry, old) for insert, entry in zip(read, typed, strict=False)])
        found = (kept[position] or next(changed, None) for position in range(len(said)))
        return [insert for insert in found if insert is not None]

    def _same(self, entry: str, old: list[Insert]) -> Insert | None:
        """The insert that an entry shows, taken out of those that are left."""
        found = next((insert for insert in old if shown_insert(insert) == entry), None)
        if found is not None:
            old.remove(found)
            if found.id in self.keyed_before:
                self.said_keys.add(found.id)  # its key stays as it is
        return found

    def _carried(self, new: Insert, entry: str, old: list[Insert]) -> Insert:
        """A typed insert with the id of the one that it changes, and its latency where the entry states none."""
        before = next((insert for insert in old if insert.title.casefold() == new.title.casefold()), None)
        if before is None:
            return new
        old.remove(before)
        head = entry.partition("=")[0].split()[0]
        latency = new.latency_samples if ":" in head else before.latency_samples
        if says_key(entry) or new.key != USUAL_INSERT["key"]:
            self.said_keys.add(before.id)
        return replace(new, id=before.id, latency_samples=latency)

    def _with_routes(self, template: Template) -> Template:
        """Most cells say nothing that a route depends on: then only new sections come in."""
        said = set().union(*self.said.values())
        if said & ROUTING:
            return super()._with_routes(template)
        known = {section.id for section in self.whole.sections}
        new = (section for section in self.sections.values() if section.id not in known)
        return replace(template, sections=(*self.whole.sections, *new))

    def lost(self, after: Template) -> list[str]:
        """Sentences about routes that strips of another kind cannot have: a typed kind removes none."""
        kinds = {strip.id: strip.kind for strip in after.strips}
        turned = {strip.id for strip in self.old.values() if kinds.get(strip.id, strip.kind) != strip.kind}
        kept = {route.id for route in after.routes}
        names = {strip.id: strip.name for strip in self.whole.strips}
        said = {(strip, ROUTED[c]) for strip, columns in self.said.items() for c in columns if c in ROUTED}
        return [
            f"{names[end]}, Kind: a strip of kind {kinds[end]} cannot have the {route.kind} "
            f"{names[route.from_strip]} → {names[route.to]}; remove it first"
            for route in self.whole.routes
            if route.id not in kept and (route.from_strip, route.kind) not in said
            for end in (route.from_strip, route.to)
            if end in turned
        ]

    def _keyed(self, row: Row, to: str, wanted: str) -> str | None:
        """An insert that is keyed already keeps its way of being keyed."""
        before = list(self.inserts[to])
        found = super()._keyed(row, to, wanted)
        if found in self.keyed_before:
            self.inserts[to] = before
        return found

    def _ends(self, row: Row, column: str, target: str) -> list[str]:
        if not target:
            self._problem(row, column, "has no destination")
            return []
        folded = target.casefold()
        if folded in self.is_several and target not in self.taken:
            ids = [strip.id for strip in self.whole.strips if strip.name.casefold() == folded]
            self._problem(row, column, ambiguous(target, ids))
            return []
        place = self._place(target)
        physical = words.physical_of(target, may_be_bare=column == "feed")
        if place is None and physical is not None and physical.is_output and column in ("feed", "sends"):
            return [self._physical_end(row, physical)]
        if place is None:
            self._problem(row, column, f"strip “{target}” does not exist")
            return []
        is_there = any(route.to == place for route in self.there.get((row.id, ROUTED[column]), ()))
        return [place] if is_there or column == "keys" else self._other_than(row, column, target, place)

    def _updated(self, old: Route, new: Route) -> Route:
        """The cell shows all of a route, so it says all of it."""
        return replace(new, id=old.id)
