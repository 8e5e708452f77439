"""An instrument of names by articulations: its MIDI strips, parts, outlets, listening strips and bus in one edit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lattice.edits.arguments import Choice, Lines, Piece, Text
from lattice.edits.described import edit
from lattice.edits.instruments import MOST_NOTES, on_machine, placed, with_listeners
from lattice.edits.pieces import position
from lattice.edits.routes import add_route
from lattice.edits.strips import add_strip
from lattice.errors import EditError
from lattice.model.document import LONGEST_LABEL, Outlet, Strip, Template
from lattice.model.names import free_id, slug

CHANNELS = 16  # of one port, MIDI 1.0
MOST_OUTLETS = 64
MAIN = "main"  # the outlet of the instrument's own chain, which plays nothing


@dataclass(frozen=True)
class Voice:
    """One articulation of one name: where its notes arrive, and the outlet it comes out on."""

    name: str
    port: int
    channel: int
    outlet: str


def _words(_template: Template, arguments: dict[str, Any]) -> str:
    names, articulations = len(arguments["names"]), len(arguments["articulations"])
    return f"{arguments.get('name') or 'Instrument'}: {names} names × {articulations} articulations"


@edit(
    Lines("names"),
    Lines("articulations"),
    Text("name", default="Instrument"),
    Text("outlets", default=""),
    Choice("layout", "each outlet", options=("stereo", "mono"), default="stereo"),
    Piece("section", kind="section", default=None),
    Piece("machine", kind="machine", default=None),
    says=_words,
)
def build_articulations(
    template: Template,
    names: list[str],
    articulations: list[str],
    name: str = "Instrument",
    outlets: str = "",
    layout: str = "stereo",
    section: str | None = None,
    machine: str | None = None,
) -> Template:
    """An instrument that plays each articulation of each name on a channel of its own.

    Parameters
    ----------
    template
        The template.
    names, articulations
        A MIDI strip and a part for each articulation of each name. All articulations of a name are on one port: where
        the rest of a port is too short for them, the next port begins.
    name
        Of the instrument, and of its section where that is new.
    outlets
        Empty: one for each articulation. Names like “long, short”: an articulation comes out on the outlet whose name
        is in its own, else in order. A number: as many outlets, with the names spread over them in order.
    layout
        Of each outlet and its listening strip.
    section
        The section's id; None makes one with a bus.
    machine
        The machine's id; None is the main one.

    Raises
    ------
    EditError
        Without names or articulations, with more than 16 articulations or 512 MIDI strips, or for wrong outlets.
    """
    _check(names, articulations)
    name = name or "Instrument"
    template, section, kit = placed(template, name, section)
    made, voices = _outlets(outlets, articulations), list[Voice]()
    for at, (own, port, channel) in enumerate(_places(names, len(articulations))):
        for number, articulation in enumerate(articulations):
            outlet = made[at * len(made) // len(names)] if outlets.isdecimal() else _of(articulation, number, made)
            voices.append(Voice(f"{own} {articulation}"[:LONGEST_LABEL], port, channel + number, slug(outlet)))
    template = add_strip(template, _instrument(kit, name, section, made, layout, voices))
    template = _with_notes(template, kit, section, voices)
    bus = template.sections[position(template.sections, section, "section")].bus
    template = with_listeners(template, kit, bus, _listener_name)
    return on_machine(template, kit, machine)


def _check(names: Sequence[str], articulations: Sequence[str]) -> None:
    for what, lines in (("names", names), ("articulations", articulations)):
        if not lines:
            raise EditError(f"{what}: at least one is needed, one a line")
        twice = next((line for line in lines if [one.casefold() for one in lines].count(line.casefold()) > 1), None)
        if twice is not None:
            raise EditError(f"{what}: {twice} appears twice")
    if len(articulations) > CHANNELS:
        raise EditError(f"{len(articulations)} articulations; a port has {CHANNELS} channels (MIDI 1.0)")
    if len(names) * len(articulations) > MOST_NOTES:
        raise EditError(f"{len(names) * len(articulations)} MIDI strips; at most {MOST_NOTES} are allowed")


def _places(names: Sequence[str], width: int) -> list[tuple[str, int, int]]:
    """Name, port and first channel: no name is split over two ports."""
    per_port = CHANNELS // width
    return [(name, at // per_port + 1, at % per_port * width + 1) for at, name in enumerate(names)]


def _outlets(said: str, articulations: Sequence[str]) -> list[str]:
    """Names of the outlets."""
    if said.isdecimal():
        count = int(said)
        if not 1 <= count <= MOST_OUTLETS:
            raise EditError(f"{said} outlets; 1 to {MOST_OUTLETS} are allowed")
        return [str(number) for number in range(1, count + 1)]
    named = [" ".join(word.split()) for word in said.replace(";", ",").split(",") if word.strip()]
    found = named or list(articulations)
    ids = [slug(name) for name in found]
    if len(set(ids)) < len(ids) or MAIN in ids:
        raise EditError(f"outlets: “{said}” needs different names, other than {MAIN}")
    return found


def _of(articulation: str, number: int, outlets: Sequence[str]) -> str:
    """The outlet of an articulation: the one whose name is in its own, else in order."""
    folded = articulation.casefold()
    return next((one for one in outlets if one.casefold() in folded), outlets[number % len(outlets)])


def _instrument(
    kit: str, name: str, section: str, outlets: Sequence[str], layout: str, voices: Sequence[Voice]
) -> dict[str, Any]:
    parts = [
        {"id": f"part-{n}", "name": one.name, "port": one.port, "channel": one.channel, "outlet": one.outlet}
        for n, one in enumerate(voices, start=1)
    ]
    made = [{"id": MAIN, "main": True, "source": None}]
    made += [{"id": slug(outlet), "name": outlet, "layout": layout} for outlet in outlets]
    midi = {"ports": voices[-1].port, "channels": "all"}
    fields = {"id": kit, "name": name, "kind": "instrument", "layout": "stereo", "section": section}
    return fields | {"midi": midi, "outlets": made, "parts": parts}


def _with_notes(template: Template, kit: str, section: str, voices: Sequence[Voice]) -> Template:
    """MIDI strips in front of the instrument, each on the port and channel of its part."""
    taken = {strip.id for strip in template.strips}
    at = next(n for n, strip in enumerate(template.strips) if strip.id == kit)
    for number, voice in enumerate(voices):
        new = free_id(slug(voice.name), taken)
        taken.add(new)
        template = add_strip(template, {"id": new, "name": voice.name, "kind": "midi", "section": section}, at + number)
        route = {"kind": "midi", "from": new, "to": kit, "port": voice.port, "channel": voice.channel}
        template = add_route(template, route)
    return template


def _listener_name(kit: Strip, outlet: Outlet) -> str:
    return f"{kit.name} {outlet.name or outlet.id}"[:LONGEST_LABEL]
