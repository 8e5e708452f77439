"""Several machines: strips moved from one to another, and a player machine tied to the main one in pairs."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Piece, Pieces, Rows, Text, name_of
from lattice.edits.connections import connect
from lattice.edits.described import edit, nothing_else
from lattice.edits.machines import add_machine
from lattice.edits.pieces import all_known, position
from lattice.edits.sections import add_section
from lattice.errors import EditError
from lattice.formats.tables.headers import cells_of, table_of
from lattice.gain_staging.gains import pan_of
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import LONGEST_LABEL, Route, Strip, Template, machine_id
from lattice.model.layouts import LAYOUTS, channel_count
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.palette import next_colour

MOST_TIES = 200


class _Ties:
    """Pairs of output and input that are added to a template, on the next free channels of both machines."""

    def __init__(self, template: Template) -> None:
        self.machines = {machine.id: machine for machine in template.machines}
        self.main = template.machines[0].id
        self.taken = {strip.id for strip in template.strips}
        self.strips: list[Strip] = []
        self.routes: list[Route] = []
        self.ids = free_route_ids(template)
        self.used: dict[tuple[str, str], set[int]] = {}
        for strip in template.strips:
            if strip.traits.has_physical_channels:
                self.used.setdefault((machine_id(template, strip), strip.kind), set()).update(strip.io or ())

    def tie(
        self, name: str, layout: str, start: str, end: str, section: str | None = None, pan: float = 0.0
    ) -> tuple[str, str]:
        """An output on one machine, an input at a pan on the other, tied; their ids."""
        out = self._end(f"{name} out", "output", layout, start, section)
        into = self._end(f"{name} in", "input", layout, end, section, pan)
        self.routes.append(Route(id=next(self.ids), kind="tie", from_strip=out, to=into))
        return out, into

    def _end(self, name: str, kind: Any, layout: str, machine: str, section: str | None, pan: float = 0.0) -> str:
        new = free_id(slug(name), self.taken)
        self.taken.add(new)
        on = None if machine == self.main else machine
        io = self._channels(machine, kind, channel_count(layout))
        strip = Strip(
            id=new, name=name[:LONGEST_LABEL], kind=kind, layout=layout, machine=on, io=io, section=section, pan=pan
        )
        self.strips.append(strip)
        return new

    def _channels(self, machine: str, kind: str, width: int) -> tuple[int, ...]:
        """The first free channels in a row; a machine that has too few gets as many as it takes."""
        used = self.used.setdefault((machine, kind), set())
        first = next(at for at in range(1, len(used) * (width + 1) + 2) if not used & set(range(at, at + width)))
        channels = tuple(range(first, first + width))
        used |= set(channels)
        side = "outputs" if kind == "output" else "inputs"
        known = self.machines[machine]
        self.machines[machine] = replace(known, **{side: max(getattr(known, side), channels[-1])})
        return channels

    def added_to(self, template: Template, routes: tuple[Route, ...]) -> Template:
        return replace(
            template,
            machines=tuple(self.machines.values()),
            strips=(*template.strips, *self.strips),
            routes=(*routes, *self.routes),
        )


def _moved_words(template: Template, arguments: dict[str, Any]) -> str:
    many = Pieces("strips").said(arguments["strips"], template)
    return f"Move {many} to {name_of(template, 'machine', arguments['machine'])}"


@edit(Pieces("strips"), Piece("machine", kind="machine"), says=_moved_words, keeps_sound=nothing_else)
def move_to_machine(template: Template, strips: list[str], machine: str) -> Template:
    """Strips on another machine; their routes between machines then go through new ties.

    A tie for each strip, tap, outlet and pan that routes leave by; its input feeds, or sends to, where they went, at
    their levels. Machines get as many channels as that takes. Raises EditError where a strip is tied itself.
    """
    wanted = all_known(template.strips, strips, "strip")
    position(template.machines, machine, "machine")
    tied = {end for route in template.routes if route.kind == "tie" for end in (route.from_strip, route.to)}
    ends = [strip.name for strip in template.strips if strip.id in wanted & tied]
    if ends:
        raise EditError(f"{', '.join(ends[:5])}: the end of a tie stays on its machine; remove the tie first")
    graph = SignalGraph(template)
    leaving = {route.id: layout for route, layout in zip(template.routes, graph.leaving, strict=True)}
    on = None if machine == template.machines[0].id else machine
    moved = tuple(replace(strip, machine=on) if strip.id in wanted else strip for strip in template.strips)
    template = replace(template, strips=moved)
    of = {strip.id: machine_id(template, strip) for strip in template.strips}
    by_id = {strip.id: strip for strip in template.strips}
    ties, routes = _Ties(template), []
    inputs: dict[tuple[object, ...], dict[float, str]] = {}  # where sound leaves → pan → input on the other machine
    for route in template.routes:
        if route.kind not in ("feed", "send") or of[route.from_strip] == of[route.to]:
            routes.append(route)
            continue
        start = by_id[route.from_strip]
        there = inputs.setdefault((start.id, route.from_outlet, route.tap, of[route.to]), {})
        into = there.get(pan_of(route, start)) if route.kind == "feed" else next(iter(there.values()), None)
        if into is None:
            outlet = next((one for one in start.outlets if one.id == route.from_outlet), None)
            name = f"{start.name} {outlet.name or outlet.id}" if outlet else start.name
            layout = leaving[route.id]
            pan = pan_of(route, start) if layout == "mono" else 0.0
            out, into = ties.tie(name, layout, of[start.id], of[route.to], start.section, pan)
            there[pan_of(route, start)] = into
            at_start = replace(route, id=next(ties.ids), kind="feed", to=out, gain_db=0.0, channels=None, pan=0.0)
            routes.append(replace(at_start, enabled=True, automated=False))
        routes.append(replace(route, from_strip=into, from_outlet=None, tap="post-fader"))
    return ties.added_to(template, tuple(routes))


def _player_words(_template: Template, arguments: dict[str, Any]) -> str:
    return f"Machine {arguments['name']} with its ties"


@edit(Text("name"), Rows("names"), Text("layout", default="stereo"), says=_player_words)
def player_machine(template: Template, name: str, names: list[str], layout: str = "stereo") -> Template:
    """A computer that plays for the main one: a bus and an output there for each line, tied to an input here.

    Parameters
    ----------
    template
        The template.
    name
        Of the machine.
    names
        1 to 200 lines: the name of a bus, and behind a tab the section its input comes into (else one of that name).
        Sections that are new are made with a bus each; the input feeds the section's bus.
    layout
        Of all of them; channels are consecutive on both machines, which get as many as needed.

    Raises
    ------
    EditError
        Where there is no name, or too many.
    """
    table = table_of("\n".join(names))
    rows = [cells_of(table.columns, line) for _number, line in table.rows]
    if not name.strip() or not 1 <= len(rows) <= MOST_TIES:
        raise EditError(f"a machine has a name and 1 to {MOST_TIES} lines of names")
    if layout not in LAYOUTS:
        raise EditError(f"layout: “{layout}” is not a layout")
    template = add_machine(template, {"name": name.strip(), "inputs": 0, "outputs": 0})
    machine = template.machines[-1].id
    for row in rows:
        template = _with_tie(template, machine, row["name"], row.get("section") or row["name"], layout)
    return template


def _with_tie(template: Template, machine: str, name: str, section_name: str, layout: str) -> Template:
    section = next((known for known in template.sections if known.name.casefold() == section_name.casefold()), None)
    if section is None:
        fields = {"name": section_name, "colour": next_colour(template.sections)}
        template = add_section(template, fields, with_bus=True)
        section = template.sections[-1]
    ties = _Ties(template)
    bus = Strip(
        id=free_id(slug(f"{name} there"), ties.taken), name=name, kind="bus", layout=layout, machine=machine,
        section=section.id,
    )  # fmt: skip
    ties.taken.add(bus.id)
    ties.strips.append(bus)
    out, into = ties.tie(name, layout, machine, ties.main, section.id)
    template = ties.added_to(template, template.routes)
    template = connect(template, {"from": bus.id, "to": out})
    return connect(template, {"from": into, "to": section.bus}) if section.bus else template
