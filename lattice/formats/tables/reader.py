"""Rows of a table to strips, routes, sections and machines beside those that a template has already."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from typing import Any, TypeVar

from msgspec.structs import replace

from lattice.formats.gate import piece_problems, validated
from lattice.formats.insert_cells import ids_in, read_insert, says_key, usual_ids
from lattice.formats.tables.rows import ReadSheet, Row, SheetProblem
from lattice.formats.track_sheet_cells import (
    entries,
    read_midi_in,
    read_outlet,
    read_part,
    read_route,
    read_tags,
)
from lattice.model import document as doc
from lattice.model import strip_kinds
from lattice.model.document import Insert, Machine, Outlet, Part, Route, Section, Source, Strip, Template
from lattice.model.layouts import LAYOUTS, NAMED
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.units import parse_channels, parse_db, parse_mb, parse_pan, parse_whole
from lattice.model.validate import route_rules

COLUMNS = (
    "id", "name", "kind", "layout", "section", "machine", "tags", "fader_db", "pan", "mute", "monitor", "feed", "sends",
    "keys", "ties", "midi", "inserts", "io", "midi_in", "outlets", "parts", "source_peak_dbfs", "source_rms_dbfs",
    "note", "colour", "in_service", "invert", "armed", "records", "latency_samples", "measured_latency_samples",
    "memory_mb",
)  # fmt: skip
# Columns of routes: kind, by column.
ROUTED = {"feed": "feed", "sends": "send", "keys": "key", "ties": "tie", "midi": "midi"}
KINDS = tuple(strip_kinds.TRAITS)
P = TypeVar("P", Outlet, Part)
MONITORS = ("never", "when-armed", "always")
RECORDED = ("in", "pre")  # stages that a print may record
OUTBOARD = "(outboard)"
COLOUR = re.compile(r"#[0-9a-fA-F]{6}")
YES = frozenset({"yes", "y", "true", "1", "x", "on", "muted"})
NO = frozenset({"", "no", "n", "false", "0", "off", "-"})


class Reader:
    """Reads in three passes: rows and ids, routes by name, kinds that were left open.

    Parameters
    ----------
    base
        The template of the rows; names of its strips, sections and machines refer to those.
    """

    def __init__(self, base: Template) -> None:
        self.base = base
        self.problems: list[SheetProblem] = []
        self.rows: list[Row] = []
        self.sections = {section.name.casefold(): section for section in base.sections}
        self.machines = {"": base.machines[0], **{machine.name.casefold(): machine for machine in base.machines[1:]}}
        self.taken = {strip.id for strip in base.strips}
        self.known = _places(base)  # those of the base, by id or folded name
        self.places: dict[str, str] = {}  # those of the rows: id or folded name → strip id
        self.routes: list[tuple[Row, str, Route]] = []
        self.brought: dict[str, set[str]] = defaultdict(set)  # strip → kinds of routes that end at it
        self.inserts = {strip.id: list(strip.inserts) for strip in base.strips}
        self.insert_ids = {insert.id for strip in base.strips for insert in strip.inserts}
        self.said_keys: set[str] = set()  # inserts whose entry states the key
        self.read_ids = set(self.insert_ids)  # without those that rows say further down

    def read(self, lines: Sequence[tuple[int, Mapping[str, str]]]) -> ReadSheet:
        """The base with a strip for each line that can be understood.

        Parameters
        ----------
        lines
            The number of each line, and its cells by column (`track_sheet.COLUMNS`).

        Returns
        -------
        ReadSheet
            The template, the cells that were not understood, and the kinds that were guessed.
        """
        for number, cells in lines:
            if any(cells.values()):
                self._row(Row(number, dict(cells)))
        for row in self.rows:
            self.insert_ids.update(ids_in(row.cells.get("inserts", "")))
        for row in self.rows:
            self.inserts[row.id] = self._inserts(row)
        for row in self.rows:
            self._routes(row)
        guessed = {row.id: self._guess(row) for row in self.rows if not self._kind(row)}
        strips = [self._fitting(row, self._strip(row, self._kind(row) or guessed[row.id])) for row in self.rows]
        template = self._with_routes(self._with_strips(strips))
        # A safeguard: all errors are reported by row and column before.
        template = validated(self.base, template)
        return ReadSheet(template, sorted(self.problems, key=lambda problem: problem.row), guessed)

    def _with_strips(self, strips: list[Strip]) -> Template:
        """The base with strips behind its own, whose inserts may have become keyed."""
        before = (
            replace(strip, inserts=tuple(self.inserts[strip.id]))
            if list(strip.inserts) != self.inserts[strip.id]
            else strip
            for strip in self.base.strips
        )
        return replace(self.base, strips=(*before, *strips), machines=tuple(self.machines.values()))

    def _problem(self, row: Row, column: str, sentence: str) -> None:
        self.problems.append(SheetProblem(row.number, column, sentence))

    # rows and ids

    def _row(self, row: Row) -> None:
        name = row.cells.get("name") or row.cells.get("id", "")
        if not name:
            self._problem(row, "name", "is empty; the row is skipped")
            return
        if len(name) > 500:
            self._problem(row, "name", "is longer than 500 characters; the row is skipped")
            return
        wanted = row.cells.get("id", "")
        if wanted and slug(wanted) != wanted:
            self._problem(row, "id", f"“{wanted}” is not an ID: a–z, 0–9 and -; replaced by an ID from the name")
            wanted = ""
        if wanted in self.taken:
            self._problem(row, "id", f"{wanted} is used by an earlier row; replaced by a new ID")
        row.id = self._id_of(wanted, name)
        row.cells["name"] = name
        self.taken.add(row.id)
        self.places.setdefault(name.casefold(), row.id)
        self.places[row.id] = row.id
        self.rows.append(row)

    def _id_of(self, wanted: str, name: str) -> str:
        """The id of a row's strip: the one it states where that is free, else one made from its name."""
        return free_id(wanted or slug(name), self.taken)

    # cells

    def _cell(self, row: Row, column: str, read: Callable[[str], Any], default: Any) -> Any:
        text = row.cells.get(column, "")
        if not text:
            return default
        try:
            return read(text)
        except ValueError as wrong:
            self._problem(row, column, str(wrong))
            return default

    def _kind(self, row: Row) -> str:
        text = row.cells.get("kind", "").lower()
        kind = self._kind_of(text) if text else ""
        if kind is None:
            self._problem(row, "kind", f"“{text}” is not one of {', '.join(KINDS)}; detected instead")
            row.cells["kind"] = ""
        return kind or ""

    def _kind_of(self, text: str) -> str | None:
        """The kind that a word means; empty where the routes have to tell, None where it means none."""
        return text if text in KINDS else None

    def _layout_of(self, text: str) -> str:
        """The layout that a word means. Raises ValueError with a sentence."""
        plain = text.lower().replace(" ", "")
        if plain in LAYOUTS:
            return plain
        raise ValueError(f"“{text}” is not a layout: {', '.join(NAMED)} or discrete:1 to discrete:64")

    def _colour_of(self, text: str) -> str:
        """The colour that a cell means. Raises ValueError with a sentence."""
        if COLOUR.fullmatch(text):
            return text
        raise ValueError(f"“{text}” is not a colour like #8a4b2d")

    def _insert_of(self, entry: str, new_id: str) -> Insert:
        """The insert that an entry means. Raises ValueError with a sentence."""
        return read_insert(entry, new_id)

    def _usual(self, row: Row, kind: str) -> dict[str, Any]:
        """Fields of a strip that its row does not say, and that are not the document's own defaults."""
        return {}

    def _guess(self, row: Row) -> str:
        """A strip fed by others is a bus; with sends alone, a return; with physical channels, an end."""
        if row.cells.get("outlets") or row.cells.get("parts") or row.cells.get("midi_in"):
            return "instrument"
        if row.cells.get("midi"):
            return "midi"
        kinds = self.brought[row.id]
        if "feed" in kinds:
            return "output" if row.cells.get("io") else "bus"
        if "send" in kinds:
            return "output" if row.cells.get("io") else "return"
        return "input" if row.cells.get("io") else "audio"

    def _strip(self, row: Row, kind: Any) -> Strip:
        outlets = self._listed(row, "outlets", read_outlet)
        if kind != "instrument" and (row.cells.get("outlets") or row.cells.get("parts")):
            self._problem(row, "kind", f"only an instrument has outlets and parts; this is of kind {kind}")
            row.cells |= {"outlets": "", "parts": ""}
            outlets = ()
        usual = {"layout": "mono", "monitor": "never"} | self._usual(row, kind)
        return Strip(
            id=row.id,
            name=row.cells["name"],
            kind=kind,
            layout=self._cell(row, "layout", self._layout_of, usual["layout"]),
            section=self._section(row.cells.get("section", "")),
            machine=self._machine(row.cells.get("machine", "")),
            colour=self._cell(row, "colour", self._colour_of, None),
            monitor=self._cell(row, "monitor", _one_of(MONITORS), usual["monitor"]),
            tags=read_tags(row.cells.get("tags", "")),
            fader_db=self._cell(row, "fader_db", parse_db, 0.0),
            pan=self._cell(row, "pan", parse_pan, 0.0),
            mute=self._cell(row, "mute", _yes_or_no, False),
            in_service=self._cell(row, "in_service", _yes_or_no, True),
            invert=self._cell(row, "invert", _yes_or_no, False),
            armed=self._cell(row, "armed", _yes_or_no, False),
            records=self._cell(row, "records", _one_of(RECORDED), "in"),
            latency_samples=self._cell(row, "latency_samples", parse_whole, 0),
            measured_latency_samples=self._cell(row, "measured_latency_samples", parse_whole, None),
            memory_mb=self._cell(row, "memory_mb", parse_mb, None),
            io=self._cell(row, "io", parse_channels, None),
            note=row.cells.get("note", "")[:100_000],
            inserts=tuple(self.inserts[row.id]),
            midi=self._cell(row, "midi_in", read_midi_in, None),
            outlets=outlets,
            parts=self._parts(row, outlets),
            **self._source(row),
        )

    def _fitting(self, row: Row, strip: Strip) -> Strip:
        """The strip without values that do not fit its fields; these are reported."""
        wrong: dict[str, str] = {}
        for said in piece_problems(strip, Strip):
            field_name = re.split(r"[.:\[]", said, maxsplit=1)[0]
            wrong.setdefault(field_name, said)
        for field_name, said in wrong.items():
            self._problem(row, field_name, f"{said}; skipped")
        if "name" in wrong or "id" in wrong:
            return Strip(id=row.id, name=f"Row {row.number}", kind=strip.kind)
        default = Strip(id=strip.id, name=strip.name, kind=strip.kind)
        return replace(strip, **{name: getattr(default, name) for name in wrong})

    def _source(self, row: Row) -> dict[str, Any]:
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
        if folded == self.base.machines[0].name.casefold() and folded not in self.machines:
            return None
        if folded and folded not in self.machines:
            outboard = text.casefold().endswith(OUTBOARD)
            name = text[: -len(OUTBOARD)].strip() if outboard else text
            taken = {machine.id for machine in self.machines.values()}
            kind: Any = "outboard" if outboard else "computer"
            self.machines[folded] = Machine(id=free_id(slug(name), taken), name=name[:500], kind=kind)
        return self.machines[folded].id if folded else None

    def _listed(self, row: Row, column: str, read: Callable[[str], P]) -> tuple[P, ...]:
        """The entries of a cell that can be read, each id once."""
        by_id: dict[str, P] = {}
        for entry in entries(row.cells.get(column, "")):
            try:
                listed = read(entry)
            except ValueError as wrong:
                self._problem(row, column, str(wrong))
                continue
            if listed.id in by_id:
                self._problem(row, column, f"{listed.id} appears twice")
            by_id.setdefault(listed.id, listed)
        return tuple(by_id.values())

    def _parts(self, row: Row, outlets: tuple[Outlet, ...]) -> tuple[Part, ...]:
        known = {outlet.id for outlet in outlets}
        parts = self._listed(row, "parts", read_part)
        for part in parts:
            if part.outlet is not None and part.outlet not in known:
                self._problem(row, "parts", f"{part.id} uses outlet {part.outlet}, which does not exist")
        return tuple(part if part.outlet in known else replace(part, outlet=None) for part in parts)

    def _inserts(self, row: Row) -> list[Insert]:
        inserts = []
        said = list(entries(row.cells.get("inserts", "")))
        types = (entry.lower().partition(" ")[0].partition(":")[0].strip() for entry in said)
        for entry, usual in zip(said, usual_ids(row.id, types), strict=True):
            new = free_id(usual, self.insert_ids)
            try:
                inserts.append(self._with_own_id(row, self._insert_of(entry, new), new))
                if says_key(entry):
                    self.said_keys.add(inserts[-1].id)
            except ValueError as wrong:
                self._problem(row, "inserts", str(wrong))
        return inserts

    def _with_own_id(self, row: Row, insert: Insert, new: str) -> Insert:
        if insert.id in self.read_ids:
            self._problem(row, "inserts", f"#{insert.id} is taken; another id is made")
            insert = replace(insert, id=new)
        self.insert_ids.add(insert.id)
        self.read_ids.add(insert.id)
        return insert

    # routes

    def _routes(self, row: Row) -> None:
        for column in ROUTED:
            for entry in entries(row.cells.get(column, "")):
                self._route(row, column, entry)

    def _route(self, row: Row, column: str, entry: str) -> None:
        kind: Any = ROUTED[column]
        try:
            read = read_route(entry, kind)
        except ValueError as wrong:
            self._problem(row, column, str(wrong))
            return
        for to in self._ends(row, column, read.target):
            insert = self._keyed(row, to, read.insert) if read.insert is not None else None
            if kind != "key" or insert:
                self._add(row, column, kind, row.id, to, to_insert=insert, **read.fields)

    def _add(self, row: Row, column: str, kind: Any, start: str, end: str, **fields: Any) -> None:
        """A route from a cell; its validity is checked once all strips exist."""
        route = Route(id=f"r{len(self.routes) + 1}", kind=kind, from_strip=start, to=end, **fields)
        self.routes.append((row, column, route))
        self.brought[end].add(kind)

    def _ends(self, row: Row, column: str, target: str) -> list[str]:
        """The strips that a cell leads to."""
        to = self._place(target)
        if to is None:
            self._problem(row, column, f"strip “{target}” does not exist")
            return []
        return [to]

    def _place(self, target: str) -> str | None:
        """The strip of an id or a name: of the rows first, which name each other."""
        found = (places.get(text) for places in (self.places, self.known) for text in (target, target.casefold()))
        return next((strip for strip in found if strip is not None), None)

    def _keyed(self, row: Row, to: str, wanted: str) -> str | None:
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
            self._problem(row, "keys", f"{to} has no insert “{wanted}” with a key input")
            return None
        if inserts[named[0]].id not in self.said_keys:
            inserts[named[0]] = replace(inserts[named[0]], key="external")
        return inserts[named[0]].id

    def _with_routes(self, template: Template) -> Template:
        """The template with sections and with the valid routes; the others are reported."""
        strips = {strip.id: strip for strip in template.strips}
        known = {section.id for section in self.base.sections}
        sections = (
            section if section.id in known else self._with_bus(section, strips) for section in self.sections.values()
        )
        template = replace(template, sections=tuple(sections))
        sentences_of = route_rules(template)
        good: list[Route] = []
        for row, column, route in self.routes:
            if sentences := sentences_of(route):
                self._problem(row, column, sentences[0])
            else:
                good.append(route)
        return replace(template, routes=self._numbered(good))

    def _numbered(self, routes: list[Route]) -> tuple[Route, ...]:
        """The routes of the base, and those of the rows with ids that are free."""
        ids = free_route_ids(self.base)
        return (*self.base.routes, *(replace(route, id=next(ids)) for route in routes))

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


def _places(template: Template) -> dict[str, str]:
    """Ids of strips by id and by folded name, the first of a name."""
    places = {strip.name.casefold(): strip.id for strip in reversed(template.strips)}
    return places | {strip.id: strip.id for strip in template.strips}


def _one_of(words: tuple[str, ...]) -> Callable[[str], str]:
    def read(text: str) -> str:
        if text.lower() in words:
            return text.lower()
        raise ValueError(f"“{text}” is not one of {', '.join(words)}")

    return read


def _yes_or_no(text: str) -> bool:
    if text.lower() in YES | NO:
        return text.lower() in YES
    raise ValueError(f"“{text}” is not yes or no")
