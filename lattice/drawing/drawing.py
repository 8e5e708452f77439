"""The finished sheet: boxes, bands, columns and lines with their coordinates in pixels."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from math import ceil
from typing import Any

from lattice.drawing.lines import BOX_HEIGHT, ROW, Lines, Xs, junctions, union
from lattice.drawing.nodes import NO_SECTION, ROLE_NAMES, Node, NodeSet
from lattice.drawing.slots import SlotRows, Slots
from lattice.drawing.text import width as text_width
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Section, Strip
from lattice.model.layouts import channel_count
from lattice.model.units import channel_span
from lattice.model.views import FOLD_ABOVE

# A column is as wide as its longest name, up to so many letters, and a figure beside it.
MOST_LETTERS = 26
LEAST_BOX, LEAST_FOLD = 76.0, 104.0
FIGURE_LETTER = 6.7  # width of one, px
FIGURE_LETTERS = 3  # “5.1”, “7–8”; a longer one shortens the name
LEFT, TOP = 34.0, 62.0  # of the frame's inside: zone letters, zone numbers and column heads are outside
LEAST_GUTTER = 20.0
FOOT = 128.0  # room below the bands for legend and title block
# Legend and title block are side by side below the bands.
LEAST_WIDTH = 900.0
LAYOUT_SHORT = {"mono": "1", "stereo": "st"}


@dataclass(frozen=True)
class Box:
    """A strip, or a folded section, as drawn. x, y: top left corner."""

    id: str
    name: str
    kind: str
    x: float
    y: float
    width: float
    height: float
    colour: str | None
    zone: str
    strip: bool
    spare: bool = False
    out: bool = False
    figures: dict[str, str] = field(default_factory=dict)
    outlets: tuple[tuple[float, str, bool], ...] = ()  # (middle y, name, open)
    members: tuple[str, ...] = ()
    band: str | None = None


@dataclass(frozen=True)
class Line:
    """A trunk: the union of its routes' segments, drawn once, with its dots."""

    key: str
    kind: str
    feedback: bool
    segments: tuple[tuple[float, float, float, float], ...]
    dots: tuple[tuple[float, float], ...]
    arrow: tuple[float, float] | None


@dataclass(frozen=True)
class Wire:
    """One link with its corners, for highlighting: routes, ends, points."""

    routes: tuple[str, ...]
    kind: str
    start: str
    end: str
    points: tuple[tuple[float, float], ...]
    feedback: bool
    trunk: str = ""  # the key of its line


@dataclass(frozen=True)
class Stub:
    """A short end in place of routes to hidden strips: a line `dx` long from the edge of a box, and words behind it."""

    kind: str
    x: float
    y: float
    dx: float
    words: str
    names: str  # of all of them
    room: float  # px for the words, up to the next box


@dataclass(frozen=True)
class Band:
    """The band of a section: name, letter, place, and how deep it lies in others."""

    id: str
    name: str
    letter: str
    colour: str | None
    y: float
    height: float
    folded: bool
    depth: int


@dataclass(frozen=True)
class Frame:
    """The frame around the strips of another machine in one band."""

    name: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class Column:
    """A column of strips of one role, numbered from 1."""

    number: int
    name: str
    x: float
    width: float


@dataclass(frozen=True)
class Sheet:
    """Everything to draw. The same template, folds and slots give the same sheet."""

    width: float
    height: float
    columns: tuple[Column, ...]
    bands: tuple[Band, ...]
    boxes: tuple[Box, ...]
    lines: tuple[Line, ...]
    wires: tuple[Wire, ...]
    zone_of: dict[str, str]  # strip id → zone
    frames: tuple[Frame, ...] = ()
    stubs: tuple[Stub, ...] = ()


def draw(graph: SignalGraph, feedback: Collection[int], folded: Collection[str], slots: Slots) -> Sheet:
    """Lays a template out.

    Parameters
    ----------
    graph
        The signal graph.
    feedback
        Routes that are drawn as feedback: the cut.
    folded
        Ids of the sections that are drawn as one box.
    slots
        Positions of strips so far. It is changed in place: new strips get a free slot and keep it.

    Returns
    -------
    Sheet
        Coordinates in pixels. The same template, folds and slots give the same sheet.
    """
    nodes = NodeSet(graph, feedback, folded)
    rows = SlotRows(nodes, slots)
    lines = Lines(nodes)
    xs = Xs(lines, LEFT, _column_widths(graph, nodes, lines.columns), LEAST_GUTTER)
    return _Drawing(graph, nodes, rows, lines, xs).sheet()


def box_width(name: str, outlets: Collection[str] = ()) -> float:
    """How wide a box wants to be for its name, with room for a figure or for the names of its outlets."""
    beside = max((len(outlet[:8]) for outlet in outlets), default=FIGURE_LETTERS) if outlets else FIGURE_LETTERS
    return max(LEAST_BOX, ceil(8 + text_width(name[:MOST_LETTERS]) + 7 + FIGURE_LETTER * beside))


def outlet_names(strip: Strip) -> list[str]:
    """The labels of the rows of a box."""
    return [outlet.name or outlet.id for outlet in strip.outlets] if len(strip.outlets) > 1 else []


def _column_widths(graph: SignalGraph, nodes: NodeSet, columns: int) -> list[float]:
    widths = [LEAST_BOX] * columns
    for node in nodes.nodes.values():
        outlets = outlet_names(graph.strips[node.strip]) if node.strip >= 0 else []
        least = LEAST_FOLD if node.strip < 0 else LEAST_BOX
        widths[node.column] = max(widths[node.column], least, box_width(node.name, outlets))
    return widths


class _Drawing:
    def __init__(self, graph: SignalGraph, nodes: NodeSet, rows: SlotRows, lines: Lines, xs: Xs) -> None:
        self.graph = graph
        self.nodes = nodes
        self.rows = rows
        self.lines = lines
        self.xs = xs
        self.sections = nodes.sections

    def sheet(self) -> Sheet:
        width = max(self.xs.right + 8, LEAST_WIDTH)
        bands = self._bands()
        columns = self._columns(width)
        bottom = max([TOP + self.rows.total * ROW, *(self._y(y) + 10 for y in self.lines.tracks)])
        boxes = tuple(self._box(node, bands, columns) for node in self.nodes.nodes.values())
        zone = {box.id: box.zone for box in boxes}
        zone_of = {strip.id: zone[self.nodes.node_of[number]] for number, strip in enumerate(self.graph.strips)}
        lines, wires = self._lines()
        return Sheet(width, bottom + FOOT, columns, bands, boxes, lines, wires, zone_of, self._frames(boxes))

    def _frames(self, boxes: tuple[Box, ...]) -> tuple[Frame, ...]:
        """Strips of another machine are in a frame of their own, band by band."""
        names = {machine.id: machine.name for machine in self.graph.template.machines[1:]}
        groups: dict[tuple[str, str], list[Box]] = {}
        for box in boxes:
            node = self.nodes.nodes[box.id]
            machine = self.graph.machine_of(node.strip) if node.strip >= 0 else ""
            if machine in names:
                groups.setdefault((node.band or "", machine), []).append(box)
        frames = []
        for (_band, machine), inside in groups.items():
            left, top = min(box.x for box in inside) - 5, min(box.y for box in inside) - 4
            right = max(box.x + box.width for box in inside) + 5
            foot = max(box.y + box.height for box in inside) + 4
            frames.append(Frame(names[machine], left, top, right - left, foot - top))
        return tuple(frames)

    def _y(self, y: float) -> float:
        """From row coordinates (middle of row 0 at 0) to the drawing."""
        return round(TOP + y + ROW / 2, 1)

    def _bands(self) -> tuple[Band, ...]:
        bands = []
        for index, band in enumerate(self.nodes.bands):
            section = self.sections.get(band)
            bands.append(
                Band(
                    id=band,
                    name=section.name if section else "No section",
                    letter=_letter(index),
                    colour=section.colour if section else None,
                    y=TOP + self.rows.top[band] * ROW,
                    height=self.rows.height[band] * ROW,
                    folded=self.nodes.fold_of.get(band) is not None,
                    depth=self._depth(band),
                )
            )
        return tuple(bands)

    def _depth(self, band: str) -> int:
        depth, section = 0, self.sections.get(band)
        while section is not None and section.parent is not None:
            depth, section = depth + 1, self.sections.get(section.parent)
        return depth

    def _columns(self, width: float) -> tuple[Column, ...]:
        """One head for each role that is there, over all its sub-columns."""
        roles = sorted({role for role, _rank in self.nodes.columns})
        firsts = [min(c for c, (r, _rank) in enumerate(self.nodes.columns) if r == role) for role in roles]
        edges = (
            [LEFT]
            + [
                (self.xs.column_x[first] + self.xs.column_x[first - 1] + self.xs.widths[first - 1]) / 2
                for first in firsts[1:]
            ]
            + [width]
        )
        return tuple(
            Column(
                column_number + 1,
                ROLE_NAMES[role],
                edges[column_number],
                edges[column_number + 1] - edges[column_number],
            )
            for column_number, role in enumerate(roles)
        )

    def _box(self, node: Node, bands: tuple[Band, ...], columns: tuple[Column, ...]) -> Box:
        y = self._y(node.row * ROW)
        x = self.xs.box(node)
        column_number = next((c.number for c in columns if c.x <= x < c.x + c.width), 1)
        letter = next((band.letter for band in bands if band.y <= y < band.y + band.height), _letter(len(bands)))
        shared: dict[str, Any] = {
            "id": node.id, "name": node.name, "x": x, "y": y - BOX_HEIGHT / 2, "zone": f"{letter}{column_number}",
            "width": self.xs.widths[node.column], "height": (node.rows - 1) * ROW + BOX_HEIGHT, "band": node.band,
        }  # fmt: skip
        if node.strip < 0:
            section = self.sections[node.band or ""]
            members = tuple(self.graph.strips[member].id for member in node.members)
            count = f"×{len(members)}"
            figures = {"fader": count, "layout": count, "routes": count}
            return Box(**shared, kind="fold", colour=section.colour, strip=False, figures=figures, members=members)
        strip = self.graph.strips[node.strip]
        return Box(
            **shared,
            kind=strip.kind,
            strip=True,
            **look_of(strip, node.band, self.sections),
            figures=figures_of(self.graph, node.strip),
            outlets=tuple(
                (self._y((node.row + row) * ROW), outlet.name or outlet.id, outlet.open)
                for row, outlet in enumerate(strip.outlets)
            )
            if len(strip.outlets) > 1
            else (),
            members=(strip.id,),
        )

    def _lines(self) -> tuple[tuple[Line, ...], tuple[Wire, ...]]:
        lines, wires = [], []
        for trunk in self.lines.trunks:
            paths = []
            for link in trunk.links:
                points = [(round(x, 1), self._y(y)) for x, y in self.lines.points(trunk, link, self.xs)]
                paths.append(points)
                routes = tuple(self.graph.routes[route].id for route in link.routes)
                wires.append(Wire(routes, link.kind, link.start, link.end, tuple(points), link.feedback, trunk.key))
            segments = union(paths)
            arrow = paths[0][-1] if trunk.feedback else None
            lines.append(
                Line(trunk.key, trunk.kind, trunk.feedback, tuple(segments), tuple(junctions(segments)), arrow)
            )
        return tuple(lines), tuple(wires)


def look_of(strip: Strip, band: str | None, sections: Mapping[str, Section]) -> dict[str, Any]:
    """The look of a strip's box, wherever it is: its colour, or that of its band or section."""
    inherited = [sections[section].colour for section in (band, strip.section) if section and section in sections]
    return {
        "colour": next((colour for colour in (strip.colour, *inherited) if colour), None),
        "spare": bool({"spare", "backup"} & set(strip.tags)),
        "out": not strip.in_service,
    }


def figures_of(graph: SignalGraph, number: int) -> dict[str, str]:
    """The figures at the right of a strip's box, one of which is shown; states that silence it come before all."""
    strip = graph.strips[number]
    routes = len(graph.outs[number]) + len(graph.ins[number])
    state = "out" if not strip.in_service else "mute" if strip.mute else "off" if strip.fader_db is None else ""
    layout = LAYOUT_SHORT.get(strip.layout, strip.layout)
    if strip.layout.startswith("discrete:"):
        layout = f"{channel_count(strip.layout)} ch"
    if strip.io:
        layout = channel_span(strip.io)
    if strip.kind == "midi":
        layout = _midi_channel(graph, number)
    fader = "" if strip.kind == "midi" else f"{strip.fader_db or 0:.1f}".replace("-", "−")
    return {"fader": state or fader, "layout": state or layout, "routes": state or str(routes)}


def _midi_channel(graph: SignalGraph, number: int) -> str:
    """Port and channel of the first route from a midi strip, “2·1”; the port only where it is not 1."""
    for route in graph.midis:
        if graph.tail[route] == number:
            piece = graph.routes[route]
            channel = "all" if piece.channel is None else str(piece.channel)
            return f"{piece.port}·{channel}" if (piece.port or 1) > 1 else f"ch {channel}"
    return ""


def _letter(index: int) -> str:
    """Letters of a row: A to Z, then AA, AB and so on."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def opens_folded(graph: SignalGraph) -> frozenset[str]:
    """The sections a sheet opens with folded: all of them, above a number of strips."""
    sections = graph.template.sections
    return frozenset(section.id for section in sections) if len(graph.strips) > FOLD_ABOVE else frozenset()


__all__ = ["NO_SECTION", "Band", "Box", "Column", "Line", "Sheet", "Stub", "Wire", "draw", "opens_folded"]
