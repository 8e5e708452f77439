"""Sets around an instrument: strips for its outlets, strips that play it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Lines, Piece, Text, name_of
from lattice.edits.channels import next_midi
from lattice.edits.described import edit
from lattice.edits.pieces import position, strip_of, with_strip
from lattice.edits.routes import add_route
from lattice.edits.sections import add_section
from lattice.edits.strips import add_strip, change_strip
from lattice.edits.ties import move_to_machine
from lattice.errors import EditError
from lattice.formats.document_json import to_plain
from lattice.formats.track_sheet_cells import read_midi_in
from lattice.graph.destinations import Destinations
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import LONGEST_LABEL, Outlet, Route, Strip, Template, main_outlet
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.palette import next_colour

# Four ports of all their notes: the size of common articulation lists.
MOST_NOTES = 512
MOST_NAMES = 96
FIRST_NOTE = 36  # bass drum 1 of the General MIDI percussion map; parts go up from there


@edit(Piece("strip"), Piece("bus", default=None), says="Add strips for the outlets of {strip}")
def outlet_set(template: Template, strip: str, bus: str | None = None) -> Template:
    """A strip for each unrouted outlet, named after its parts, in order, fed to a bus.

    Closed outlets are opened. The main outlet enters the instrument's own chain: that is fed to the bus
    where it goes nowhere yet. `bus` None: the bus of the instrument's section.
    """
    return with_listeners(template, strip, bus, _named_after)


def with_listeners(template: Template, strip: str, bus: str | None, called: Callable[[Strip, Outlet], str]) -> Template:
    """A strip for each unrouted outlet, as `outlet_set` adds them; `called` gives their names."""
    index, kit = strip_of(template, strip)
    if len(kit.outlets) < 2:
        raise EditError(f"{kit.name} has only its main outlet")
    bus = bus or next((section.bus for section in template.sections if section.id == kit.section), None)
    template = with_strip(
        template, index, replace(kit, outlets=tuple(replace(outlet, open=True) for outlet in kit.outlets))
    )
    taken = {known.id for known in template.strips}
    heard = {route.from_outlet for route in template.routes if route.from_strip == strip and route.kind != "key"}
    ids, listeners, routes = free_route_ids(template), [], []
    for outlet in kit.outlets:
        if outlet is main_outlet(kit) or outlet.id in heard:
            continue
        name = called(kit, outlet)
        listener = Strip(
            id=free_id(slug(name), taken), name=name, kind="audio", layout=outlet.layout, section=kit.section,
            machine=kit.machine, source=None, monitor="always",
        )  # fmt: skip
        taken.add(listener.id)
        listeners.append(listener)
        routes.append(Route(id=next(ids), kind="feed", from_strip=strip, from_outlet=outlet.id, to=listener.id))
        if bus:
            routes.append(Route(id=next(ids), kind="feed", from_strip=listener.id, to=bus))
    if not listeners:
        raise EditError(f"every outlet of {kit.name} is routed already")
    if bus and None not in heard and bus != strip:
        routes.append(Route(id=next(ids), kind="feed", from_strip=strip, to=bus))
    strips = (*template.strips[: index + 1], *listeners, *template.strips[index + 1 :])
    return replace(template, strips=strips, routes=(*template.routes, *routes))


def _named_after(kit: Strip, outlet: Outlet) -> str:
    """“Snare, Rim” if parts use the outlet, else “Kit 3–4”."""
    parts = [part.name or part.id for part in kit.parts if part.outlet == outlet.id]
    return (", ".join(parts[:3]) or f"{kit.name} {outlet.name or outlet.id}")[:LONGEST_LABEL]


@edit(Piece("strip"), Lines("names"), says="{names} MIDI strips for {strip}")
def note_set(template: Template, strip: str, names: list[str]) -> Template:
    """Midi strips that play an instrument, on free channels in sequence: 16 a port, then the next port."""
    index, kit = strip_of(template, strip)
    names = [name.strip() for name in names if name.strip()]
    if kit.kind != "instrument":
        raise EditError(f"{kit.name} is of kind {kit.kind}; MIDI strips play instruments only")
    if not 1 <= len(names) <= MOST_NOTES:
        raise EditError(f"{len(names)} names; 1 to {MOST_NOTES} are allowed")
    taken = {known.id for known in template.strips}
    ids, strips = free_route_ids(template), []
    routes: list[Route] = []
    for name in names:
        new = Strip(id=free_id(slug(name), taken), name=name, kind="midi", section=kit.section)
        taken.add(new.id)
        port, channel = next_midi(template, routes, strip, routes[-1].port or 1 if routes else 1)
        strips.append(new)
        routes.append(Route(id=next(ids), kind="midi", from_strip=new.id, to=strip, port=port, channel=channel))
    return replace(
        template,
        strips=(*template.strips[:index], *strips, *template.strips[index:]),
        routes=(*template.routes, *routes),
    )


def _received_words(template: Template, arguments: dict[str, Any]) -> str:
    name = name_of(template, "strip", arguments["strip"])
    return f"{name}: receives {arguments['midi'] or 'one port, all channels'}"


@edit(Piece("strip"), Text("midi", default=""), says=_received_words)
def change_midi(template: Template, strip: str, midi: str = "") -> Template:
    """The ports and channels of an instrument, as “2: all” or “1: 1-4, 10”; empty is one port, all channels."""
    try:
        received = to_plain(read_midi_in(midi)) if midi else None
    except ValueError as wrong:
        raise EditError(f"midi: {wrong}") from None
    return change_strip(template, strip, {"midi": received})


def _built_words(_template: Template, arguments: dict[str, Any]) -> str:
    what = "MIDI strips" if arguments.get("played_by") == "midi" else "parts"
    return f"{arguments.get('name') or 'Instrument'} with {len(arguments['names'])} {what}"


@edit(
    Lines("names"),
    Text("name", default="Instrument"),
    Choice("played_by", "add each as", options=("parts", "midi"), default="parts"),
    Text("layout", "outlets", default="mono"),
    Piece("section", kind="section", default=None),
    Piece("machine", kind="machine", default=None),
    says=_built_words,
)
def build_instrument(
    template: Template,
    names: list[str],
    name: str = "Instrument",
    played_by: str = "parts",
    layout: str = "mono",
    section: str | None = None,
    machine: str | None = None,
) -> Template:
    """An instrument from a list of names, in a section that is there, or in a new one of its name with colour and bus.

    Parameters
    ----------
    template
        The template.
    names
        1 to 96. Each is a part on an outlet and a listening strip of its own (`played_by` parts), or a midi strip
        that plays the instrument (midi).
    name
        Of the instrument, and of its section where that is new.
    played_by, layout
        `parts` or `midi`, and the layout of each outlet.
    section
        The section's id; None makes one.
    machine
        The machine's id; None is the main one. From another, ties are created to the section's bus.

    Raises
    ------
    EditError
        Where there are too few or too many names, or the new section's bus would take an id that is there.
    """
    if not 1 <= len(names) <= MOST_NAMES:
        raise EditError(f"{len(names)} names; 1 to {MOST_NAMES} are allowed, one a line")
    name = name or "Instrument"
    template, section, kit = placed(template, name, section)
    fields: dict[str, Any] = {"id": kit, "name": name, "kind": "instrument", "layout": "stereo", "section": section}
    if played_by == "midi":
        fields["midi"] = {"ports": -(-len(names) // 16), "channels": "all"}
        bus = template.sections[position(template.sections, section, "section")].bus
        template = note_set(add_strip(template, fields), kit, names)
        template = add_route(template, {"kind": "feed", "from": kit, "to": bus}) if bus else template
    else:
        template = outlet_set(add_strip(template, fields | _outlets_and_parts(names, layout)), kit)
    return on_machine(template, kit, machine)


def placed(template: Template, name: str, section: str | None) -> tuple[Template, str, str]:
    """The template, the section and the free id of a new instrument; without a section, a new one of its name."""
    if section is None:
        section = free_id(slug(name), {known.id for known in template.sections})
        template = with_section(template, section, name)
    return template, section, free_id(slug(name), {strip.id for strip in template.strips})


def on_machine(template: Template, instrument: str, machine: str | None) -> Template:
    """With a new instrument on its machine; None is the main one. From another, ties lead to the section's bus."""
    is_elsewhere = machine is not None and machine != template.machines[0].id
    return move_to_machine(template, [instrument], str(machine)) if is_elsewhere else template


def _outlets_and_parts(names: list[str], layout: str) -> dict[str, Any]:
    """The first outlet is the instrument's own chain and plays nothing: each part has an outlet of its own."""
    outlets: list[dict[str, Any]] = [{"id": "main", "main": True, "source": None}]
    outlets += [{"id": str(number), "layout": layout} for number in range(1, len(names) + 1)]
    parts = [
        {"id": f"part-{n}", "name": part, "note": min(FIRST_NOTE + n - 1, 127), "outlet": str(n)}
        for n, part in enumerate(names, start=1)
    ]
    return {"outlets": outlets, "parts": parts}


def with_section(template: Template, section: str, name: str) -> Template:
    """With a section of the next colour of the palette, and its bus, which goes to the last sum where there is one."""
    bus = f"{section}-bus"
    if any(strip.id == bus for strip in template.strips):
        raise EditError(f"a strip {bus} exists already; choose a different name, or a section")
    colour = next_colour(template.sections)
    strip = {"id": bus, "name": f"{name} bus", "kind": "bus", "layout": "stereo", "section": section}
    end = Destinations(SignalGraph(template)).last_sum
    onward = template.strips[end].id if end is not None else None
    template = add_section(add_strip(template, strip), {"id": section, "name": name, "colour": colour, "bus": bus})
    return add_route(template, {"kind": "feed", "from": bus, "to": onward}) if onward else template
