"""The columns of the table of strips, and the text of each cell: what is shown is what is typed.

Destinations are written by name. A name that would not be read as that strip alone is replaced by its id.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass

from lattice.formats.insert_cells import insert_text
from lattice.formats.tables import words
from lattice.formats.tables.state_cells import state_text
from lattice.formats.track_sheet_cells import (
    level_text,
    midi_in_text,
    number_text,
    read_route,
    route_text,
    tags_text,
)
from lattice.model.document import Insert, Route, Source, Strip, Template
from lattice.model.strip_kinds import PLAYING

NEW_LINE = "⏎"  # of a note, in a cell of one line


@dataclass(frozen=True)
class CellColumn:
    """One column of the table of strips.

    Attributes
    ----------
    name, label
        Of the address and of the head.
    sheet
        The columns of the track sheet that a cell sets; none where the program computes it.
    is_figure
        Whether its cells are numbers.
    is_shown
        Whether a table shows it before anybody has chosen columns.
    """

    name: str
    label: str
    sheet: tuple[str, ...] = ()
    is_figure: bool = False
    is_shown: bool = True


CELL_COLUMNS = (
    CellColumn("name", "Strip", ("name",)),
    CellColumn("kind", "Kind", ("kind",)),
    CellColumn("layout", "Layout", ("layout",)),
    CellColumn("section", "Section", ("section",)),
    CellColumn("to", "Goes to", ("feed",)),
    CellColumn("sends", "Sends", ("sends",)),
    CellColumn("keys", "Keys", ("keys",), is_shown=False),
    CellColumn("plays", "Plays", ("midi",), is_shown=False),
    CellColumn("inserts", "Inserts", ("inserts",)),
    CellColumn("fader", "Fader, dB", ("fader_db",), is_figure=True),
    CellColumn("pan", "Pan", ("pan",), is_figure=True, is_shown=False),
    CellColumn("state", "State", ("mute", "in_service", "invert", "armed", "monitor")),
    CellColumn("tags", "Tags", ("tags",)),
    CellColumn("machine", "Machine", ("machine",), is_shown=False),
    CellColumn("channels", "Channels", ("io",), is_shown=False),
    CellColumn("peak", "Source peak, dBFS", ("source_peak_dbfs",), is_figure=True, is_shown=False),
    CellColumn("rms", "Source RMS, dBFS", ("source_rms_dbfs",), is_figure=True, is_shown=False),
    CellColumn("latency", "Latency, samples", ("latency_samples",), is_figure=True, is_shown=False),
    CellColumn("note", "Note", ("note",), is_shown=False),
    CellColumn("likely", "Likely peak, dBFS", is_figure=True),
    CellColumn("arrives", "Arrives, samples", is_figure=True),
    CellColumn("findings", "Findings", is_figure=True),
)  # fmt: skip
EDITABLE = {column.name: column for column in CELL_COLUMNS if column.sheet}
COMPUTED = {column.name: column for column in CELL_COLUMNS if not column.sheet}


def sheet_columns(column: CellColumn, strip: Strip) -> tuple[str, ...]:
    """The columns of the track sheet behind a cell of a strip: note strips go to instruments, outputs are tied."""
    if column.name == "to":
        return ({"midi": "midi", "output": "ties"}.get(strip.kind, "feed"),)
    if column.name == "channels" and strip.kind == "instrument":
        return ("midi_in",)
    return column.sheet


class StripCells:
    """The cells of a template's strips as text."""

    def __init__(self, template: Template) -> None:
        self.sections = {section.id: section.name for section in template.sections}
        self.machines = {machine.id: machine.name for machine in template.machines}
        self.strips = {strip.id: strip for strip in template.strips}
        self.main = template.machines[0].id
        self.routes: dict[str, list[Route]] = defaultdict(list)
        for route in template.routes:
            self.routes[route.from_strip].append(route)
        self.count = Counter(strip.name.casefold() for strip in template.strips)
        self.names: dict[str, str] = {}

    def row(self, strip: Strip) -> dict[str, str]:
        """The cells of one strip that can be typed, by column."""
        peak, rms = _levels(strip)
        goes = sheet_columns(EDITABLE["to"], strip)[0]
        return {
            "name": strip.name,
            "kind": strip.kind,
            "layout": strip.layout,
            "section": self.sections.get(strip.section or "", ""),
            "to": self._routed(strip, {"midi": "midi", "ties": "tie"}.get(goes, "feed")),
            "sends": self._routed(strip, "send"),
            "keys": self._routed(strip, "key"),
            "plays": self._routed(strip, "midi"),
            "inserts": "; ".join(shown_insert(insert) for insert in strip.inserts),
            "fader": level_text(strip.fader_db),
            "pan": number_text(strip.pan),
            "state": state_text(strip),
            "tags": tags_text(strip.tags),
            "machine": self.machines[strip.machine or self.main] if len(self.machines) > 1 else "",
            "channels": midi_in_text(strip.midi) if strip.kind == "instrument" else _channels(strip),
            "peak": peak,
            "rms": rms,
            "latency": str(strip.latency_samples or ""),
            "note": strip.note.replace("\n", NEW_LINE),
        }

    def name_of(self, strip: str) -> str:
        """A strip as a cell names it: by its name where that is read as this strip alone, else by its id."""
        if strip not in self.names:
            self.names[strip] = self._name_of(self.strips[strip])
        return self.names[strip]

    def _name_of(self, strip: Strip) -> str:
        name = strip.name
        is_plain = (
            self.count[name.casefold()] == 1
            and name == " ".join(name.split())
            and not any(sign in name for sign in ";/\t")
            and name not in self.strips
            and not words.is_nothing(name)
        )
        return name if is_plain and _is_read_back(name) else strip.id

    def _routed(self, strip: Strip, kind: str) -> str:
        routes = (route for route in self.routes.get(strip.id, ()) if route.kind == kind)
        return "; ".join(route_text(route, self.place(route)) for route in routes)

    def place(self, route: Route) -> str:
        """The destination of a route as a cell names it; of a key with its insert."""
        place = self.name_of(route.to)
        if route.kind != "key":
            return place
        able = [insert for insert in self.strips[route.to].inserts if insert.traits.can_be_keyed]
        keyed = next(insert for insert in able if insert.id == route.to_insert)
        title = keyed.title
        is_alone = sum(insert.title.casefold() == title.casefold() for insert in able) == 1
        return f"{place}/{title if is_alone and ';' not in title and _is_read_back(title) else keyed.id}"


def _levels(strip: Strip) -> tuple[str, str]:
    """Peak and RMS of a source; nothing where they are not stated, or where the strip plays nothing."""
    if strip.kind not in PLAYING:
        return "", ""
    if strip.source is None:
        return "off", "off"
    if isinstance(strip.source, Source):
        return number_text(strip.source.peak_dbfs), number_text(strip.source.rms_dbfs)
    return "", ""


def _is_read_back(name: str) -> bool:
    """Return whether an entry of just this name is read as a destination of this name."""
    try:
        read = read_route(name, "feed")
    except ValueError:
        return False
    return read.target == name and not read.fields


def _channels(strip: Strip) -> str:
    """“3-4” for channels in a row, else each of them."""
    io = strip.io or ()
    if len(io) > 1 and list(io) == list(range(io[0], io[-1] + 1)):
        return f"{io[0]}-{io[-1]}"
    return ", ".join(map(str, io))


def shown_insert(insert: Insert) -> str:
    """An insert as a cell shows it: with all of its settings, without its id."""
    return insert_text(insert, insert.id, is_keyed=insert.key == "external")
