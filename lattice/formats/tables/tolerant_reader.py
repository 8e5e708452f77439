"""Tables with any heads and words, read together with a template: strips by name, by bus, by physical channels.

No cell is lost: an unknown destination with physical channels becomes an output. Otherwise it becomes a bus, or a
return if it has sends alone.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from msgspec.structs import replace

from lattice.formats.tables import words
from lattice.formats.tables.guessing_reader import GuessingReader
from lattice.formats.tables.headers import BARE_LEVEL, cells_of, table_of
from lattice.formats.tables.insert_words import insert_of_words
from lattice.formats.tables.name_guesses import Guess
from lattice.formats.tables.rows import Row, SheetProblem, in_sections, widened
from lattice.formats.tables.section_cells import cells_of_defaults
from lattice.formats.tables.short_forms import spell_out
from lattice.formats.tables.state_cells import USUAL as USUAL_STATE
from lattice.formats.tables.state_cells import read_state
from lattice.formats.track_sheet_cells import ReadRoute, entries, read_route, read_tags
from lattice.model.document import Insert, Section, Source, Strip, Template
from lattice.model.layouts import layout_of_count
from lattice.model.palette import next_colour
from lattice.model.section_defaults import NONE, may_take
from lattice.model.strip_kinds import ENDS, NO_START, PLAYING, SUMS

SECTION_BUS = "*section"  # as `feed`: the bus of the section a strip comes into; no name has such a sign
POP = Source(peak_dbfs=-20.0, rms_dbfs=-23.01)  # a sine at −20 dBFS (common practice)
IS = "="  # before an answer: the strip that is meant
ROUTING = frozenset(("feed", "sends", "keys", "ties", "midi", "input"))  # columns that lead somewhere
ANSWERS: Mapping[str, str] = {}


@dataclass
class ReadRows:
    """The additions of a table to a template, and its unclear cells."""

    template: Template
    added: list[str] = field(default_factory=list)  # ids of the rows' strips, in their order
    made: list[str] = field(default_factory=list)  # names of strips and buses that were made for destinations
    problems: list[SheetProblem] = field(default_factory=list)
    unused: list[str] = field(default_factory=list)  # heads of columns that are not used
    guessed: dict[str, Guess] = field(default_factory=dict)  # strip → what its name told
    open: set[str] = field(default_factory=set)  # strips whose rows state no kind
    rows: dict[str, int] = field(default_factory=dict)  # strip → number of its row
    states_routes: bool = False  # a cell, or a usual value, says where something goes


def read_rows(
    template: Template,
    text: str,
    usual: Mapping[str, str],
    *,
    with_buses: bool = False,
    roles: Mapping[str, str] = ANSWERS,
) -> ReadRows:
    """A template with a strip for each line of a list or a table.

    Parameters
    ----------
    template
        The template they are added to; cells may name its strips, sections and machines.
    text
        A name a line, or a pasted table, with or without a row of heads (`tables.heads`).
    usual
        Values for cells missing in a line, by column; `feed` may be SECTION_BUS.
    with_buses
        Whether a new section without a bus gets one.
    roles
        Changes of guessed kinds: row number, or the words a kind was read from → kind.

    Returns
    -------
    ReadRows
        With every cell that was not understood; those are left out of the template.

    Raises
    ------
    DocumentError
        If it has too many rows, or is not text.
    """
    names = {strip.name.casefold() for strip in template.strips}
    table = table_of(text, names, {section.name.casefold() for section in template.sections})
    lines = [(number, cells_of(table.columns, line)) for number, line in table.rows]
    reader = LooseReader(template, usual, with_buses=with_buses, roles=roles)
    read = reader.read([(number, cells) for number, cells in lines if any(cells.values())])
    made = in_sections(read.template, {row.id for row in reader.rows})
    added = [row.id for row in reader.rows if row.id not in reader.made]
    numbers = {row.id: row.number for row in reader.rows}
    routed = {column for _number, cells in lines for column, cell in cells.items() if cell} & ROUTING
    routed |= {column for column in ROUTING & reader.usual.keys() if reader.usual[column] != SECTION_BUS}
    return ReadRows(
        made,
        added,
        list(reader.made.values()),
        read.problems,
        table.unused,
        guessed=dict(reader.guesses),
        open=set(reader.guessed_rows),
        rows=numbers,
        states_routes=bool(routed),
    )


class LooseReader(GuessingReader):
    """A reader that knows the trade's words and creates missing destinations."""

    def __init__(
        self,
        base: Template,
        usual: Mapping[str, str],
        *,
        with_buses: bool = False,
        answers: Mapping[str, str] = ANSWERS,
        roles: Mapping[str, str] = ANSWERS,
        by_bus: bool = True,
    ) -> None:
        super().__init__(base, usual, roles)
        self.answers = answers  # folded name of a destination → meaning (`choices.Choices.destinations`)
        self.by_bus = by_bus  # whether an output joins the strip with it as input before the strip of its name
        self.unknown: dict[str, list[tuple[Row, str, str]]] = defaultdict(list)  # unknown destinations
        self.with_buses = with_buses
        self.made: dict[str, str] = {}  # id → name of strips created as destinations
        self.takers: dict[str, list[str]] = defaultdict(list)  # folded name of a bus → strips that take it
        self.named: dict[str, list[str]] = defaultdict(list)  # folded name → strips of the rows that have it
        self.targets: set[str] = set()  # folded names that cells lead to
        self.buses: dict[str, str | None] = {}  # section → its bus
        self.layouts: dict[str, str] = {}
        self.widths: dict[str, int] = {}  # of outputs made for physical channels
        self.ids_of_sections = {section.id: section for section in base.sections}

    # rows

    def _row(self, row: Row) -> None:
        before = len(self.rows)
        row.cells["name"] = " ".join(row.cells.get("name", "").split())
        super()._row(row)
        if len(self.rows) == before:
            return
        self._spell_state(row)
        self.named[row.cells["name"].casefold()].append(row.id)
        for column in ("feed", "sends"):
            self.targets |= {self._target(entry).casefold() for entry in entries(row.cells.get(column, ""))}
        for source in entries(row.cells.get("input", "")):
            if not words.is_nothing(source):
                self.takers[source.casefold()].append(row.id)

    def _spell_state(self, row: Row) -> None:
        """“muted; armed” in one cell; columns of their own come first."""
        try:
            state = read_state(row.cells.pop("state", ""))
        except ValueError as wrong:
            self._problem(row, "state", f"{wrong}; skipped")
            return
        for column, cell in state.items():
            if cell != USUAL_STATE[column]:
                row.cells[column] = row.cells.get(column) or cell

    def _target(self, entry: str) -> str:
        try:
            return read_route(self._with_at(entry), "feed").target
        except ValueError:
            return entry

    def _with_at(self, entry: str) -> str:
        """An entry with a level after an @, if the whole entry is not a name."""
        match = BARE_LEVEL.fullmatch(entry)
        if "@" in entry or match is None or self._place(entry) or entry.casefold() in self.takers:
            return entry
        level = match["level"].casefold().removesuffix("db").strip()
        if not re.search(r"[-−–+]|db", match["level"], re.I) and self._place(match["place"]) is None:
            return entry  # “Hall 2” is a name, unless there is a Hall
        return f"{match['place']}@{level}{' pre-fader' if match['tap'] else ''}"

    def _inserts(self, row: Row) -> list[Insert]:
        """Every row passes here before its routes: missing values get their usual ones."""
        if row is self.rows[0]:
            sends = (entry for one in self.rows for entry in entries(one.cells.get("sends", "")))
            self._guess_by_names({self._target(entry).casefold() for entry in sends})
        self._fill(row)
        return super()._inserts(row)

    def _fill(self, row: Row) -> None:
        said = {column: cell for column, cell in row.cells.items() if cell}
        row.cells.clear()
        usual = self._usual_cells(row, said)
        row.cells |= {column: "" if words.is_nothing(cell) else cell for column, cell in {**usual, **said}.items()}
        row.cells.setdefault("section", "")
        kind = self._kind(row)
        is_source = (kind or "audio") in PLAYING and row.cells["name"].casefold() not in self.targets
        if "sends" not in said and not is_source:
            row.cells.pop("sends", None)
        if "feed" not in said and kind in (*ENDS, *NO_START, "master"):
            row.cells.pop("feed", None)
        if kind in NO_START and kind not in ENDS:  # notes take no inserts
            row.cells.pop("inserts", None)
        self._take_physical(row, kind)
        spell_out(row.cells)

    def _usual_cells(self, row: Row, said: Mapping[str, str]) -> Mapping[str, str]:
        """Values for missing cells: those of the form; of a strip that plays, the defaults of its section first."""
        name = said.get("section") or self.usual.get("section", "")
        section = self.ids_of_sections.get(name) or self.sections.get(name.casefold())
        kind = words.kind_of(said.get("kind") or self.usual.get("kind", "")) or self._kind(row) or "audio"
        if section is None or section.defaults == NONE or not may_take(kind):
            return self.usual
        own = {column: cell for column, cell in cells_of_defaults(section.defaults).items() if cell}
        stated = {column: cell for column, cell in self.usual.items() if column != "feed" or cell != SECTION_BUS}
        return {**self.usual, **own, **stated}

    def _take_physical(self, row: Row, kind: str) -> None:
        """A physical input makes an auxiliary a live input; a track records it, as its note states."""
        physical = words.physical_of(row.cells.get("input", ""), may_be_bare=True)
        if physical is None or physical.is_output:
            return
        if kind in ("", "input", "bus", "return"):
            first, last = physical.channels[0], physical.channels[-1]
            row.cells |= {"kind": "input", "io": f"{first}-{last}"}
        else:
            note = row.cells.get("note", "")
            row.cells["note"] = f"{note}; records {physical.name}" if note else f"Records {physical.name}"

    # words

    def _kind_of(self, text: str) -> str | None:
        return words.kind_of(text)

    def _layout_of(self, text: str) -> str:
        found = words.layout_of(text)
        return found if found is not None else super()._layout_of(text)

    def _colour_of(self, text: str) -> str:
        return words.colour_of(text) or super()._colour_of(text)

    def _insert_of(self, entry: str, new_id: str) -> Insert:
        return insert_of_words(entry, new_id)

    def _source(self, row: Row) -> dict[str, Any]:
        """A sync pop has its own level by default."""
        found = super()._source(row)
        return {"source": POP} if not found and "pop" in read_tags(row.cells.get("tags", "")) else found

    def _guess(self, row: Row) -> str:
        """An audio track fed by a bus records it; the rest follows from cells and routes."""
        kind = super()._guess(row)
        if kind == "audio" and row.id in self.aux:
            return "bus"  # an auxiliary is never a source
        taken = map(str.casefold, entries(row.cells.get("input", "")))
        return "print" if kind == "audio" and not self.targets.isdisjoint(taken) else kind

    def _kind(self, row: Row) -> str:
        kind = super()._kind(row)
        takes_bus = "feed" in self.brought[row.id] and row.cells.get("input")
        return "print" if kind == "audio" and takes_bus else kind

    # routes

    def _routes(self, row: Row) -> None:
        if row.cells.get("feed") == SECTION_BUS:
            bus = self._bus_of(row.cells.get("section", ""))
            row.cells["feed"] = bus if bus and bus != row.id else ""
        if row.cells.get("sends"):
            row.cells["sends"] = "; ".join(map(self._with_at, entries(row.cells["sends"])))
        self._feed_from_named(row)
        super()._routes(row)

    def _feed_from_named(self, row: Row) -> None:
        """Inputs that no cell leads to, and that are names of strips, mean those; into a return they are sends."""
        for source in entries(row.cells.get("input", "")):
            if source.casefold() in self.targets:
                continue
            read = self._read_source(source)
            start = self._place(read.target)
            if start is not None and start != row.id:
                kind = "send" if self._kind(row) == "return" else "feed"
                self._add(row, "input", kind, start, row.id, **read.fields)

    def _read_source(self, source: str) -> ReadRoute:
        """Where an input comes from, with its level; the whole text where it does not read as a route."""
        try:
            return read_route(self._with_at(source), "feed")
        except ValueError:
            return ReadRoute(source, None, {})

    def _ends(self, row: Row, column: str, target: str) -> list[str]:
        if column not in ("feed", "sends"):
            return super()._ends(row, column, target)
        if not target:
            self._problem(row, column, "has no destination")
            return []
        takers = [strip for strip in self.takers.get(target.casefold(), ()) if strip != row.id]
        place = self._place(target)
        if takers and (self.by_bus or place is None):
            return takers
        physical = words.physical_of(target, may_be_bare=column == "feed")
        if place is None and physical is not None:
            return [self._physical_end(row, physical)]
        if place is None or target.casefold() in self.unknown or self._is_ambiguous(target):
            return self._unknown_end(row, column, target)
        return self._other_than(row, column, target, place)

    def _other_than(self, row: Row, column: str, target: str, place: str) -> list[str]:
        if place != row.id:
            return [place]
        self._problem(row, column, f"“{target}” is the strip itself")
        return []

    def _is_ambiguous(self, target: str) -> bool:
        """Return whether several rows have the name, and none the id."""
        return target not in self.taken and len(self.named.get(target.casefold(), ())) > 1

    def _unknown_end(self, row: Row, column: str, target: str) -> list[str]:
        """An unknown or ambiguous destination: the user's choice, the first match, or a new strip."""
        self.unknown[target.casefold()].append((row, column, target))
        answer = self.answers.get(target.casefold(), "")
        if answer == words.LEAVE:
            return []
        if answer.startswith(IS):
            return self._meant_ends(row, column, answer.removeprefix(IS))
        place = self._place(target)
        if place is not None:
            return self._other_than(row, column, target, place)
        made = self._make(row, target, {"kind": answer} if answer else {})
        return [made] if made else []  # the reason, if not

    def _meant_ends(self, row: Row, column: str, name: str) -> list[str]:
        """The strips that an answer names: those that take a bus of that name, else the one of that id or name."""
        takers = [strip for strip in self.takers.get(name.casefold(), ()) if strip != row.id]
        place = self._place(name)
        if takers and (self.by_bus or place is None):
            return takers
        if place is None:
            self._problem(row, column, f"strip “{name}” does not exist")
            return []
        return self._other_than(row, column, name, place)

    def _physical_end(self, row: Row, physical: words.Physical) -> str:
        """The output strip of physical channels, made where there is none."""
        outputs = words.Physical(is_output=True, channels=physical.channels)
        first, last = outputs.channels[0], outputs.channels[-1]
        known = self._place(outputs.name) or self._with_channels(outputs)
        if known is not None:
            return known
        made = self._make(row, outputs.name, {"kind": "output", "io": f"{first}-{last}"})
        self.widths[made] = len(outputs.channels)
        return made

    def _with_channels(self, outputs: words.Physical) -> str | None:
        """An output of the main machine that has these channels under another name."""
        main = self.base.machines[0].id
        ours = (strip for strip in self.base.strips if strip.kind == "output" and strip.machine in (None, main))
        return next((strip.id for strip in ours if tuple(strip.io or ()) == outputs.channels), None)

    def _make(self, row: Row, name: str, cells: dict[str, str]) -> str:
        """A strip that a cell leads to and that is none yet; no id where it may not be made."""
        new = Row(row.number, {"name": name, **cells})
        GuessingReader._row(self, new)
        if not new.id:
            return ""
        self.inserts[new.id] = []
        self.made[new.id] = name
        return new.id

    # sections

    def _section(self, text: str) -> str | None:
        """By id or by name; a new one gets the next colour of the palette."""
        if text in self.ids_of_sections:
            return text
        new = text.casefold() not in self.sections
        found = super()._section(text)
        if found is not None and new:
            known = self.sections[text.casefold()]
            others = [section for section in self.sections.values() if section is not known]
            self.sections[text.casefold()] = replace(known, colour=next_colour(others))
        return found

    def _machine(self, text: str) -> str | None:
        """By id or by name."""
        known = next((machine for machine in self.base.machines if machine.id == text), None)
        return (None if known is self.base.machines[0] else known.id) if known else super()._machine(text)

    def _bus_of(self, text: str) -> str | None:
        """The bus of a section: its own, else the first bus among its rows, else one that is made for it."""
        section = self._section(text)
        if section is None:
            return None
        if section not in self.buses:
            known = self.ids_of_sections.get(section)
            rows = (row for row in self.rows if row.cells.get("section") and self._kind(row) == "bus")
            own = next((row.id for row in rows if self._section(row.cells["section"]) == section), None)
            self.buses[section] = known.bus if known and known.bus else own
            if self.buses[section] is None and self.with_buses:
                self.buses[section] = self._make_bus(text)
        return self.buses[section]

    def _make_bus(self, text: str) -> str:
        name = f"{self.ids_of_sections[text].name if text in self.ids_of_sections else text} bus"
        bus = self._make(Row(0, {}), name, {"kind": "bus", "section": text})
        onward = self._end_of_buses()
        if onward is not None:
            self._add(Row(0, {}), "feed", "feed", bus, onward)
        return bus

    def _end_of_buses(self) -> str | None:
        """Where the buses of the other sections go; else the one master there is."""
        buses = {section.bus for section in self.base.sections if section.bus}
        ends = Counter(route.to for route in self.base.routes if route.kind == "feed" and route.from_strip in buses)
        if ends:
            return ends.most_common(1)[0][0]
        masters = [strip.id for strip in self.base.strips if strip.kind == "master"]
        return masters[0] if len(masters) == 1 else None

    def _with_bus(self, section: Section, strips: dict[str, Strip]) -> Section:
        """The destination of its rows, else the one of its own strips that they feed, else their common destination."""
        known = self.buses.get(section.id) or self._own_bus(section.id, strips)
        return replace(section, bus=known) if known else self._with_own_bus(section, strips)

    def _own_bus(self, section: str, strips: dict[str, Strip]) -> str | None:
        """The first bus of a section that more than half of its playing strips feed; any where none plays."""
        inside = [strip for strip in strips.values() if strip.section == section]
        playing = {strip.id for strip in inside if strip.kind in PLAYING}
        fed = Counter(end for strip in playing for end in self._fed_by.get(strip, ()))
        buses = (strip.id for strip in inside if strip.kind == "bus")
        return next((bus for bus in buses if fed[bus] * 2 > len(playing) or not playing), None)

    @cached_property
    def _fed_by(self) -> dict[str, list[str]]:
        """Strip → what the rows feed it to, once all of them are read."""
        found: dict[str, list[str]] = defaultdict(list)
        for _row, _column, route in self.routes:
            if route.kind == "feed":
                found[route.from_strip].append(route.to)
        return found

    def _with_own_bus(self, section: Section, strips: dict[str, Strip]) -> Section:
        """The common destination of all of its strips is its bus, if no other strips feed it."""
        found = super()._with_bus(section, strips)
        feeding = {strips[r.from_strip].section for _row, _column, r in self.routes if r.to == found.bus}
        return found if feeding == {section.id} else section

    # open points of a row

    def _usual(self, row: Row, kind: str) -> dict[str, Any]:
        if not self.layouts:
            self.layouts = self._settled_layouts()
        passes_on = kind == "print" and any(route.from_strip == row.id for _row, _column, route in self.routes)
        return {"layout": self.layouts.get(row.id, "mono"), "monitor": "always" if passes_on else "never"}

    def _settled_layouts(self) -> dict[str, str]:
        """Layouts by strip: as stated; for sums and ends else the widest of their inputs, at least stereo."""
        layouts = {strip.id: strip.layout for strip in self.base.strips}
        open_ones = []
        for row in self.rows:
            said = words.layout_of(row.cells.get("layout", ""))
            kind = self._kind(row) or self._guess(row)
            layouts[row.id] = said or ("stereo" if kind in (*SUMS, *ENDS, "instrument") else "mono")
            if row.id in self.widths:
                layouts[row.id] = layout_of_count(self.widths[row.id])
            elif said is None and kind in (*SUMS, *ENDS):
                open_ones.append(row.id)
        return widened(layouts, open_ones, [route for _row, _column, route in self.routes], self.widths)
