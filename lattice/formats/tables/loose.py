"""Tables in anybody's own words, read beside what a template has: strips by name, by bus, by physical channels.

Nothing that a cell names is lost: a destination that is no strip becomes an output where it names physical channels,
and a bus (or a return, where it is only sent to) where it does not.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from msgspec.structs import replace

from lattice.formats.insert_cells import INSERT_TYPES, read_insert
from lattice.formats.tables import words
from lattice.formats.tables.heads import cells_of, table_of
from lattice.formats.tables.reader import Reader
from lattice.formats.tables.rows import Row, SheetProblem
from lattice.formats.track_sheet_cells import entries, read_outlet, read_route, read_tags
from lattice.model.document import Insert, Section, Source, Strip, Template
from lattice.model.layouts import channel_count, layout_of_count
from lattice.model.palette import next_colour
from lattice.model.strip_kinds import ENDS, NO_START, PLAYING, SUMS

SECTION_BUS = "*section"  # as `feed`: the bus of the section a strip comes into; no name has such a sign
# “Hall -12 dB pre”: a level behind a name, as people write sends without an @.
BARE_LEVEL = re.compile(
    r"(?P<place>.*\S)\s+(?P<level>[-−–+]?\d+(?:[.,]\d+)?\s*(?:db)?)(?P<tap>\s+pre(?:-fader)?)?", re.I
)
POP = Source(peak_dbfs=-20.0, rms_dbfs=-23.01)  # a sine at −20 dBFS (common practice)
COUNT = re.compile(r"(?P<count>[1-9]\d?)(?P<layout>\s+\S+)?")
ALL = "all>"  # before a destination: every outlet leads there
# Chains of sums that widen each other settle in as many passes as the longest has strips; more than this is a loop.
MOST_PASSES = 16


@dataclass
class ReadRows:
    """What a table adds to a template, and what of it was not understood."""

    template: Template
    added: list[str] = field(default_factory=list)  # ids of the rows' strips, in their order
    made: list[str] = field(default_factory=list)  # names of strips and buses that were made for destinations
    problems: list[SheetProblem] = field(default_factory=list)
    unused: list[str] = field(default_factory=list)  # heads of columns that are not used


def read_rows(template: Template, text: str, usual: Mapping[str, str], *, with_buses: bool = False) -> ReadRows:
    """A template with a strip for each line of a list or a table.

    Parameters
    ----------
    template
        What they are added to; cells may name its strips, sections and machines.
    text
        A name a line, or a pasted table, with or without a row of heads (`tables.heads`).
    usual
        Cells of what a line does not say, by column; `feed` may be SECTION_BUS.
    with_buses
        Whether a new section without a bus gets one.

    Returns
    -------
    ReadRows
        With every cell that was not understood; those are left out of the template.

    Raises
    ------
    DocumentError
        Where it has too many rows, or is no text.
    """
    names = {strip.name.casefold() for strip in template.strips}
    table = table_of(text, names, {section.name.casefold() for section in template.sections})
    lines = [(number, cells_of(table.columns, line)) for number, line in table.rows]
    reader = LooseReader(template, usual, with_buses=with_buses)
    read = reader.read([(number, cells) for number, cells in lines if any(cells.values())])
    made = _in_sections(read.template, {row.id for row in reader.rows})
    added = [row.id for row in reader.rows if row.id not in reader.made]
    return ReadRows(made, added, list(reader.made.values()), read.problems, table.unused)


class LooseReader(Reader):
    """A reader that knows the trade's words and makes what destinations want."""

    def __init__(self, base: Template, usual: Mapping[str, str], *, with_buses: bool) -> None:
        super().__init__(base)
        self.usual = {column: cell for column, cell in usual.items() if not words.is_nothing(cell)}
        self.with_buses = with_buses
        self.made: dict[str, str] = {}  # id → name of what is made for destinations
        self.takers: dict[str, list[str]] = defaultdict(list)  # folded name of a bus → strips that take it
        self.targets: set[str] = set()  # folded names that cells lead to
        self.buses: dict[str, str | None] = {}  # section → its bus
        self.layouts: dict[str, str] = {}
        self.ids_of_sections = {section.id: section for section in base.sections}

    # rows

    def _row(self, row: Row) -> None:
        before = len(self.rows)
        row.cells["name"] = " ".join(row.cells.get("name", "").split())
        super()._row(row)
        if len(self.rows) == before:
            return
        for column in ("feed", "sends"):
            self.targets |= {self._target(entry).casefold() for entry in entries(row.cells.get(column, ""))}
        source = row.cells.get("input", "")
        if not words.is_nothing(source):
            self.takers[source.casefold()].append(row.id)

    def _target(self, entry: str) -> str:
        try:
            return read_route(self._with_at(entry), "feed").target
        except ValueError:
            return entry

    def _with_at(self, entry: str) -> str:
        """An entry whose level stands behind an @, where it stands behind a name that is none as a whole."""
        match = BARE_LEVEL.fullmatch(entry)
        if "@" in entry or match is None or self._place(entry) or entry.casefold() in self.takers:
            return entry
        level = match["level"].casefold().removesuffix("db").strip()
        if not re.search(r"[-−–+]|db", match["level"], re.I):
            return entry  # “Hall 2” is a name
        return f"{match['place']}@{level}{' pre-fader' if match['tap'] else ''}"

    def _inserts(self, row: Row) -> list[Insert]:
        """Every row comes by here before its routes: what it does not say is as usual."""
        self._fill(row)
        return super()._inserts(row)

    def _fill(self, row: Row) -> None:
        said = {column: cell for column, cell in row.cells.items() if cell}
        row.cells.clear()
        row.cells |= {column: "" if words.is_nothing(cell) else cell for column, cell in {**self.usual, **said}.items()}
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
        self._take_counts(row)

    def _take_counts(self, row: Row) -> None:
        """Outlets and parts in short: “8 stereo”, “16”; parts are laid over the outlets in order."""
        outlets = COUNT.fullmatch(row.cells.get("outlets", ""))
        if outlets:
            layout = words.layout_of(outlets["layout"] or "") or "stereo"
            entries_of = [f"{n} {layout}{' main' if n == 1 else ''}" for n in range(1, int(outlets["count"]) + 1)]
            row.cells["outlets"] = "; ".join(entries_of)
        parts = COUNT.fullmatch(row.cells.get("parts", ""))
        if parts and outlets:
            many, ends = int(parts["count"]), int(outlets["count"])
            laid = (f"part-{n} outlet {(n - 1) * ends // many + 1} = Part {n}" for n in range(1, many + 1))
            row.cells["parts"] = "; ".join(laid)
        if row.cells.get("outlets") and row.cells.get("feed", "").startswith(ALL):
            row.cells["feed"] = _all_to(row.cells["outlets"], row.cells["feed"].removeprefix(ALL))

    def _take_physical(self, row: Row, kind: str) -> None:
        """A physical input makes an auxiliary a live input; a track records it, which its note says."""
        physical = words.physical_of(row.cells.get("input", ""))
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

    def _insert_of(self, entry: str, new_id: str) -> Insert:
        """By the sheet's own words; else a processor by its name."""
        try:
            return read_insert(entry, new_id)
        except ValueError:
            if entry.lower().split()[0].partition(":")[0] in INSERT_TYPES:
                raise
            kind: Any = words.insert_type_of(entry)
            return Insert(id=new_id, name=entry, type=kind)

    def _source(self, row: Row) -> dict[str, Any]:
        """A sync pop stands at its own level where none is said."""
        found = super()._source(row)
        return {"source": POP} if not found and "pop" in read_tags(row.cells.get("tags", "")) else found

    def _guess(self, row: Row) -> str:
        """An audio track that takes a bus records it; what nothing is known of is as the cells and routes tell."""
        kind = super()._guess(row)
        taken = row.cells.get("input", "").casefold()
        return "print" if kind == "audio" and taken in self.targets else kind

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
        """An input that no cell leads to, and that is the name of a strip, means that strip."""
        source = row.cells.get("input", "")
        start = self._place(source) if source and source.casefold() not in self.targets else None
        if start is not None and start != row.id:
            self._add(row, "input", "feed", start, row.id)

    def _ends(self, row: Row, column: str, target: str) -> list[str]:
        takers = [strip for strip in self.takers.get(target.casefold(), ()) if strip != row.id]
        if takers and column in ("feed", "sends"):
            return takers
        place = self._place(target)
        if place == row.id:
            self._problem(row, column, f"“{target}” is the strip itself")
            return []
        if place is not None or column not in ("feed", "sends"):
            return super()._ends(row, column, target)
        if not target:
            self._problem(row, column, "names nowhere to go")
            return []
        physical = words.physical_of(target)
        if physical is None:
            made = self._make(row, target, {})
            return [made] if made else []  # why not is said
        known = self._place(physical.name)
        first, last = physical.channels[0], physical.channels[-1]
        layout = layout_of_count(len(physical.channels))
        cells = {"kind": "output", "io": f"{first}-{last}", "layout": layout}
        return [known or self._make(row, physical.name, cells)]

    def _make(self, row: Row, name: str, cells: dict[str, str]) -> str:
        """A strip that a cell leads to and that is none yet; no id where it may not be made."""
        new = Row(row.number, {"name": name, **cells})
        Reader._row(self, new)
        if not new.id:
            return ""
        self.inserts[new.id] = []
        self.made[new.id] = name
        return new.id

    # sections

    def _section(self, text: str) -> str | None:
        """By id or by name; a new one takes the next colour of the palette."""
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
        """The bus that its rows were fed to, else the first bus among them, else what all of them feed."""
        known = self.buses.get(section.id)
        if known:
            return replace(section, bus=known)
        own = next((s.id for s in strips.values() if s.section == section.id and s.kind == "bus"), None)
        return replace(section, bus=own) if own else self._with_own_bus(section, strips)

    def _with_own_bus(self, section: Section, strips: dict[str, Strip]) -> Section:
        """What all of its strips feed is its bus, where nobody else feeds that."""
        found = super()._with_bus(section, strips)
        feeding = {strips[r.from_strip].section for _row, _column, r in self.routes if r.to == found.bus}
        return found if feeding == {section.id} else section

    # what a row leaves open

    def _usual(self, row: Row, kind: str) -> dict[str, Any]:
        if not self.layouts:
            self.layouts = self._settled_layouts()
        passes_on = kind == "print" and any(route.from_strip == row.id for _row, _column, route in self.routes)
        return {"layout": self.layouts.get(row.id, "mono"), "monitor": "always" if passes_on else "never"}

    def _settled_layouts(self) -> dict[str, str]:
        """Layouts by strip: as said; of sums and ends else the widest of what is fed to them, at least stereo."""
        layouts = {strip.id: strip.layout for strip in self.base.strips}
        open_ones = []
        for row in self.rows:
            said = words.layout_of(row.cells.get("layout", ""))
            kind = self._kind(row) or self._guess(row)
            layouts[row.id] = said or ("stereo" if kind in (*SUMS, *ENDS, "instrument") else "mono")
            if said is None and kind in (*SUMS, *ENDS):
                open_ones.append(row.id)
        for _ in range(MOST_PASSES):
            before = dict(layouts)
            for strip in open_ones:
                fed = [route.from_strip for _row, _column, route in self.routes if route.to == strip]
                fed = [start for start in fed if not layouts[start].startswith("discrete")]
                widest = max((layouts[start] for start in fed), key=channel_count, default="stereo")
                layouts[strip] = max(layouts[strip], widest, key=channel_count)
            if layouts == before:
                break
        return layouts


def _all_to(outlets: str, to: str) -> str:
    """A cell that leads every outlet to one strip; the main one by the strip's own feed."""
    try:
        known = [read_outlet(entry) for entry in entries(outlets)]
    except ValueError:
        return to  # it is said where the outlets are read
    return "; ".join(to if outlet.main else f"{outlet.id}>{to}" for outlet in known)


def _in_sections(template: Template, added: set[str]) -> Template:
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
