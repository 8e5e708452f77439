"""The track sheet: one row a strip, as people keep it in a spreadsheet, to a template and back."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar

from msgspec.structs import replace

from lattice.errors import DocumentError, first_problems
from lattice.formats import table
from lattice.formats.gate import passed, piece_problems
from lattice.formats.track_sheet_cells import (
    entries,
    read_insert,
    read_midi_in,
    read_outlet,
    read_part,
    read_route,
    read_tags,
)
from lattice.model import document as doc
from lattice.model import strip_kinds
from lattice.model.document import MAIN_MACHINE, Insert, Machine, Outlet, Part, Route, Section, Source, Strip, Template
from lattice.model.layouts import DISCRETE, NAMED
from lattice.model.names import free_id, slug
from lattice.model.units import parse_channels, parse_db, parse_pan
from lattice.model.validate import route_rules

COLUMNS = (
    "id", "name", "kind", "layout", "section", "machine", "tags", "fader_db", "pan", "mute", "monitor", "feed", "sends",
    "keys", "ties", "midi", "inserts", "io", "midi_in", "outlets", "parts", "source_peak_dbfs", "source_rms_dbfs",
    "note",
)  # fmt: skip
# Columns of routes: kind, by column.
ROUTED = {"feed": "feed", "sends": "send", "keys": "key", "ties": "tie", "midi": "midi"}
KINDS = tuple(strip_kinds.TRAITS)
P = TypeVar("P", Outlet, Part)
MONITORS = ("never", "when-armed", "always")
OUTBOARD = "(outboard)"
YES = frozenset({"yes", "y", "true", "1", "x", "on", "muted"})
NO = frozenset({"", "no", "n", "false", "0", "off", "-"})


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
    """What was understood of a sheet, and what was not."""

    template: Template
    problems: list[SheetProblem] = field(default_factory=list)
    guessed: dict[str, str] = field(default_factory=dict)  # strip id → kind


@dataclass
class _Row:
    number: int
    cells: dict[str, str]
    id: str = ""


def load(data: bytes, name: str = "Track sheet") -> Template:
    """The template of a sheet that is good as a whole.

    Parameters
    ----------
    data
        A sheet with a header row, or a plain list of names.
    name
        Name of the template, as a sheet has none.

    Raises
    ------
    DocumentError
        With every cell that was not understood.
    """
    read = read_sheet(data, name)
    if read.problems:
        raise DocumentError(first_problems(map(str, read.problems)))
    return read.template


def read_sheet(data: bytes, name: str = "Track sheet") -> ReadSheet:
    """All that can be understood of a sheet or of a plain list of names.

    Parameters
    ----------
    data
        The file.
    name
        Name of the template.

    Returns
    -------
    ReadSheet
        The template of what was understood, the cells that were not, and the kinds that were guessed.

    Raises
    ------
    DocumentError
        Where nothing can be understood: no text, no rows, or too many.
    """
    lines = table.rows(table.decode(data), doc.MAX_STRIPS + 1)
    if not lines:
        raise DocumentError(["the sheet is empty"])
    return _Reader(name, lines).read()


class _Reader:
    """Reads in three passes: rows and ids, routes by name, kinds that were left open."""

    def __init__(self, name: str, lines: list[table.Line]) -> None:
        self.name = name
        self.lines = lines
        self.problems: list[SheetProblem] = []
        self.rows: list[_Row] = []
        self.sections: dict[str, Section] = {}
        self.machines: dict[str, Machine] = {"": MAIN_MACHINE}
        self.places: dict[str, str] = {}  # id or folded name → strip id
        self.routes: list[tuple[_Row, str, Route]] = []
        self.inserts: dict[str, list[Insert]] = {}
        self.insert_ids: set[str] = set()

    def read(self) -> ReadSheet:
        self._rows()
        for row in self.rows:
            self.inserts[row.id] = self._inserts(row)
        for row in self.rows:
            self._routes(row)
        guessed = {row.id: self._guess(row) for row in self.rows if not self._kind(row)}
        strips = [self._fitting(row, self._strip(row, self._kind(row) or guessed[row.id])) for row in self.rows]
        machines = tuple(self.machines.values())
        template = Template(name=self.name[:120] or "Track sheet", strips=tuple(strips), machines=machines)
        template = self._with_routes(template)
        template = passed(Template(name=template.name), template)  # a safeguard: all is said by row and column before
        return ReadSheet(template, sorted(self.problems, key=lambda problem: problem.row), guessed)

    def _problem(self, row: _Row, column: str, sentence: str) -> None:
        self.problems.append(SheetProblem(row.number, column, sentence))

    # rows and ids

    def _rows(self) -> None:
        first, heads = self.lines[0]
        header = [cell.lower().replace(" ", "_") for cell in heads]
        if "name" in header or "id" in header:
            known = [column if column in COLUMNS else "" for column in header]
            for position, column in enumerate(header):
                if column and (column not in COLUMNS or column in header[:position]):
                    sentence = (
                        "is there twice"
                        if column in header[:position]
                        else f"unknown column; known are {', '.join(COLUMNS)}"
                    )
                    self.problems.append(SheetProblem(first, heads[position], sentence))
            body = self.lines[1:]
        else:
            known, body = ["name"], self.lines
        taken: set[str] = set()
        for row_number, line in body:
            cells = {column: cell for column, cell in zip(known, line, strict=False) if column}
            if any(cells.values()):
                self._row(_Row(row_number, cells), taken)
        if not self.rows and not self.problems:
            raise DocumentError(["the sheet has a header and no rows"])

    def _row(self, row: _Row, taken: set[str]) -> None:
        name = row.cells.get("name") or row.cells.get("id", "")
        if not name:
            self._problem(row, "name", "is empty; the row is left out")
            return
        if len(name) > 500:
            self._problem(row, "name", "is longer than 500 characters; the row is left out")
            return
        wanted = row.cells.get("id", "")
        if wanted and slug(wanted) != wanted:
            self._problem(row, "id", f"“{wanted}” is not an id: a–z, 0–9 and -; one is made from the name")
            wanted = ""
        if wanted in taken:
            self._problem(row, "id", f"{wanted} is taken by an earlier row; another is made")
        row.id = free_id(wanted or slug(name), taken)
        row.cells["name"] = name
        taken.add(row.id)
        self.places.setdefault(name.casefold(), row.id)
        self.places[row.id] = row.id
        self.rows.append(row)

    # cells

    def _cell(self, row: _Row, column: str, read: Callable[[str], Any], default: Any) -> Any:
        text = row.cells.get(column, "")
        if not text:
            return default
        try:
            return read(text)
        except ValueError as wrong:
            self._problem(row, column, str(wrong))
            return default

    def _kind(self, row: _Row) -> str:
        text = row.cells.get("kind", "").lower()
        if text and text not in KINDS:
            self._problem(row, "kind", f"“{text}” is not one of {', '.join(KINDS)}; it is guessed")
            row.cells["kind"] = ""
            return ""
        return text

    def _guess(self, row: _Row) -> str:
        """What others feed is a bus; what they only send to, a return; with physical channels, an end."""
        if row.cells.get("outlets") or row.cells.get("parts") or row.cells.get("midi_in"):
            return "instrument"
        if row.cells.get("midi"):
            return "midi"
        kinds = {route.kind for _row, _column, route in self.routes if route.to == row.id}
        if "feed" in kinds:
            return "output" if row.cells.get("io") else "bus"
        if "send" in kinds:
            return "output" if row.cells.get("io") else "return"
        return "input" if row.cells.get("io") else "audio"

    def _strip(self, row: _Row, kind: Any) -> Strip:
        outlets = self._listed(row, "outlets", read_outlet)
        if kind != "instrument" and (row.cells.get("outlets") or row.cells.get("parts")):
            self._problem(row, "kind", f"only an instrument has outlets and parts; this is of kind {kind}")
            row.cells |= {"outlets": "", "parts": ""}
            outlets = ()
        return Strip(
            id=row.id,
            name=row.cells["name"],
            kind=kind,
            layout=self._cell(row, "layout", _layout, "mono"),
            section=self._section(row.cells.get("section", "")),
            machine=self._machine(row.cells.get("machine", "")),
            monitor=self._cell(row, "monitor", _monitor, "never"),
            tags=read_tags(row.cells.get("tags", "")),
            fader_db=self._cell(row, "fader_db", parse_db, 0.0),
            pan=self._cell(row, "pan", parse_pan, 0.0),
            mute=self._cell(row, "mute", _yes_or_no, False),
            io=self._cell(row, "io", parse_channels, None),
            note=row.cells.get("note", "")[:100_000],
            inserts=tuple(self.inserts[row.id]),
            midi=self._cell(row, "midi_in", read_midi_in, None),
            outlets=outlets,
            parts=self._parts(row, outlets),
            **self._source(row),
        )

    def _fitting(self, row: _Row, strip: Strip) -> Strip:
        """The strip without what does not fit its fields; that is said."""
        wrong: dict[str, str] = {}
        for said in piece_problems(strip, Strip):
            field_name = re.split(r"[.:\[]", said, maxsplit=1)[0]
            wrong.setdefault(field_name, said)
        for field_name, said in wrong.items():
            self._problem(row, field_name, f"{said}; left out")
        if "name" in wrong or "id" in wrong:
            return Strip(id=row.id, name=f"Row {row.number}", kind=strip.kind)
        default = Strip(id=strip.id, name=strip.name, kind=strip.kind)
        return replace(strip, **{name: getattr(default, name) for name in wrong})

    def _source(self, row: _Row) -> dict[str, Any]:
        if not (row.cells.get("source_peak_dbfs") or row.cells.get("source_rms_dbfs")):
            return {}
        usual = doc.USUAL_SOURCE
        peak = self._cell(row, "source_peak_dbfs", parse_db, usual.peak_dbfs)
        rms = self._cell(row, "source_rms_dbfs", parse_db, usual.rms_dbfs)
        return {"source": None if peak is None or rms is None else Source(peak_dbfs=peak, rms_dbfs=rms)}

    def _section(self, text: str) -> str | None:
        if not text:
            return None
        folded = text.casefold()
        if folded not in self.sections:
            taken = {section.id for section in self.sections.values()}
            self.sections[folded] = Section(id=free_id(slug(text), taken), name=text[:500])
        return self.sections[folded].id

    def _machine(self, text: str) -> str | None:
        """The machine of that name, made where it is new; none named is the main one."""
        folded = text.casefold().replace(OUTBOARD, "").strip()
        if folded and folded not in self.machines:
            outboard = text.casefold().endswith(OUTBOARD)
            name = text[: -len(OUTBOARD)].strip() if outboard else text
            taken = {machine.id for machine in self.machines.values()}
            kind: Any = "outboard" if outboard else "computer"
            self.machines[folded] = Machine(id=free_id(slug(name), taken), name=name[:500], kind=kind)
        return self.machines[folded].id if folded else None

    def _listed(self, row: _Row, column: str, read: Callable[[str], P]) -> tuple[P, ...]:
        """The entries of a cell that can be read, each id once."""
        by_id: dict[str, P] = {}
        for entry in entries(row.cells.get(column, "")):
            try:
                listed = read(entry)
            except ValueError as wrong:
                self._problem(row, column, str(wrong))
                continue
            if listed.id in by_id:
                self._problem(row, column, f"{listed.id} is there twice")
            by_id.setdefault(listed.id, listed)
        return tuple(by_id.values())

    def _parts(self, row: _Row, outlets: tuple[Outlet, ...]) -> tuple[Part, ...]:
        known = {outlet.id for outlet in outlets}
        parts = self._listed(row, "parts", read_part)
        for part in parts:
            if part.outlet is not None and part.outlet not in known:
                self._problem(row, "parts", f"{part.id} comes out of outlet {part.outlet}, which is not there")
        return tuple(part if part.outlet in known else replace(part, outlet=None) for part in parts)

    def _inserts(self, row: _Row) -> list[Insert]:
        inserts = []
        for entry in entries(row.cells.get("inserts", "")):
            kind = entry.lower().partition(" ")[0].partition(":")[0].strip()
            new = free_id(f"{row.id}-{kind}"[:64], self.insert_ids)
            try:
                inserts.append(read_insert(entry, new))
                self.insert_ids.add(new)
            except ValueError as wrong:
                self._problem(row, "inserts", str(wrong))
        return inserts

    # routes

    def _routes(self, row: _Row) -> None:
        for column in ROUTED:
            for entry in entries(row.cells.get(column, "")):
                self._route(row, column, entry)

    def _route(self, row: _Row, column: str, entry: str) -> None:
        kind: Any = ROUTED[column]
        try:
            read = read_route(entry, kind)
        except ValueError as wrong:
            self._problem(row, column, str(wrong))
            return
        to = self.places.get(read.target) or self.places.get(read.target.casefold())
        if to is None:
            self._problem(row, column, f"there is no strip “{read.target}”")
            return
        insert = self._keyed(row, to, read.insert) if read.insert is not None else None
        if kind != "key" or insert:
            new = f"r{len(self.routes) + 1}"
            route = Route(id=new, kind=kind, from_strip=row.id, to=to, to_insert=insert, **read.fields)
            self.routes.append((row, column, route))

    def _keyed(self, row: _Row, to: str, wanted: str) -> str | None:
        """The insert a key names by id or type; a strip's only insert that can be keyed takes the name."""
        inserts = self.inserts[to]
        able = [index for index, insert in enumerate(inserts) if insert.traits.can_be_keyed]
        named = [index for index in able if wanted in (inserts[index].id, inserts[index].name)]
        named = named or [index for index in able if inserts[index].type == wanted.lower()]
        if not named and len(able) == 1 and not inserts[able[0]].name and slug(wanted) == wanted:
            named = able
            if wanted not in self.insert_ids:
                self.insert_ids.add(wanted)
                inserts[able[0]] = replace(inserts[able[0]], id=wanted, name=wanted)
        if not named:
            self._problem(row, "keys", f"{to} has no insert “{wanted}” that can be keyed")
            return None
        inserts[named[0]] = replace(inserts[named[0]], key="external")
        return inserts[named[0]].id

    def _with_routes(self, template: Template) -> Template:
        """The template with sections and with the routes that may be; the others are said."""
        strips = {strip.id: strip for strip in template.strips}
        template = replace(
            template, sections=tuple(self._with_bus(section, strips) for section in self.sections.values())
        )
        routes: list[Route] = []
        sentences_of = route_rules(template)
        for row, column, route in self.routes:
            if sentences := sentences_of(route):
                self._problem(row, column, sentences[0])
            else:
                routes.append(replace(route, id=f"r{len(routes) + 1}"))
        return replace(template, routes=tuple(routes))

    def _with_bus(self, section: Section, strips: dict[str, Strip]) -> Section:
        """A section whose strips all feed one bus has that bus."""
        fed = {
            route.to
            for _row, _column, route in self.routes
            if route.kind == "feed" and strips[route.from_strip].section == section.id and route.from_strip != route.to
            and strips[route.from_strip].kind != "bus"
        }  # fmt: skip
        only = fed.pop() if len(fed) == 1 else None
        return replace(section, bus=only) if only and strips[only].kind == "bus" else section


def _monitor(text: str) -> str:
    if text.lower() in MONITORS:
        return text.lower()
    raise ValueError(f"“{text}” is not one of {', '.join(MONITORS)}")


def _layout(text: str) -> str:
    plain = text.lower().replace(" ", "")
    number = plain.removeprefix(DISCRETE)
    if plain in NAMED or (
        plain != number and number.isdecimal() and 1 <= int(number) <= 64 and not number.startswith("0")
    ):
        return plain
    raise ValueError(f"“{text}” is not a layout: {', '.join(NAMED)} or discrete:1 to discrete:64")


def _yes_or_no(text: str) -> bool:
    if text.lower() in YES | NO:
        return text.lower() in YES
    raise ValueError(f"“{text}” is not yes or no")
