"""Outboard in one step: an external instrument with its notes and its return, or a device in a chain."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Piece, Text, Whole, name_of
from lattice.edits.described import edit
from lattice.edits.inserts import add_insert
from lattice.edits.pieces import position, strip_of
from lattice.edits.strips import add_strip
from lattice.errors import EditError
from lattice.graph.destinations import Destinations
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Machine, Route, Template, machine_id
from lattice.model.layouts import layout_of_count
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.strip_kinds import SUMS
from lattice.model.units import parse_channels

KEYS = ("no keys", "keys that play")


def _channels(text: str, what: str, most: int, machine: Machine) -> tuple[int, ...]:
    """Physical channels that were typed. Raises EditError where there are none, or the machine has them not."""
    try:
        channels = parse_channels(text)
    except ValueError as wrong:
        raise EditError(f"{what}: {wrong}") from None
    if not channels:
        raise EditError(f"{what}: name the physical channels, like 7 or 7-8")
    if max(channels) > most:
        raise EditError(f"{what}: {machine.name} has only {most} channels; {max(channels)} is out of range")
    return channels


def live_samples(template: Template, machine: Machine) -> int:
    """The minimum latency of a live path: its input converter and one buffer."""
    return machine.input_latency_samples + template.buffer_samples


@edit(
    Text("name"),
    Text("inputs", "inputs"),
    Whole("port", "MIDI port", default=1, low=1, high=1024),
    Whole("channel", "MIDI channel", default=None, low=1, high=16),
    Piece("section", kind="section", default=None, may_be_none=True),
    Choice("keys", options=KEYS, default=KEYS[0]),
    Piece("plays", default=None, may_be_none=True),
    says="Outboard instrument {name}",
)
def outboard_instrument(
    template: Template,
    name: str,
    inputs: str,
    port: int = 1,
    channel: int | None = None,
    section: str | None = None,
    keys: str = KEYS[0],
    plays: str | None = None,
) -> Template:
    """An instrument outside: notes that play it, its machine, its cable, and the live input it comes back on.

    A keyboard has a second note strip: what is played on its keys.

    Parameters
    ----------
    template
        The template.
    name
        Of the instrument and of its machine.
    inputs
        Physical inputs of the main machine that it comes back on, like 7 or 7-8.
    port, channel
        Its MIDI port and channel; no channel is all of them.
    section
        The section of its notes and its input; the input feeds the section's bus, else the nearest sum.
    keys
        Whether its keys play something.
    plays
        The instrument or midi strip that its keys play; None with keys: none yet.

    Raises
    ------
    EditError
        Where the main machine has not these inputs, or the keys would play a strip that takes no notes.
    """
    main = template.machines[0]
    if not name.strip():
        raise EditError("name is missing")
    io = _channels(inputs, "inputs", main.inputs, main)
    machine = Machine(
        id=free_id(slug(name), {known.id for known in template.machines}), name=name, kind="outboard",
        inputs=0, outputs=len(io), midi_ports=port, tie_latency_samples=live_samples(template, main),
    )  # fmt: skip
    main = replace(main, midi_ports=max(main.midi_ports, port))
    template = replace(template, machines=(main, *template.machines[1:], machine))
    layout = layout_of_count(len(io))
    place = {"section": section, "layout": layout}
    outside = {**place, "machine": machine.id}
    ids: dict[str, str] = {}
    for kind, fields in (
        ("midi", {"name": f"{name} notes", "section": section}),
        ("instrument", {**outside, "name": name, "midi": {"ports": port}}),
        ("output", {**outside, "name": f"{name} out", "io": list(range(1, len(io) + 1))}),
        ("input", {**place, "name": f"{name} in", "io": list(io)}),
    ):
        at = _behind(template, section)
        template = add_strip(template, {**fields, "kind": kind}, at)
        ids[kind] = template.strips[at].id
    numbers = free_route_ids(template)
    routes = [
        Route(id=next(numbers), kind="midi", from_strip=ids["midi"], to=ids["instrument"], port=port, channel=channel),
        Route(id=next(numbers), kind="feed", from_strip=ids["instrument"], to=ids["output"]),
        Route(id=next(numbers), kind="tie", from_strip=ids["output"], to=ids["input"]),
    ]
    bus = next((known.bus for known in template.sections if known.id == section), None)
    to = bus or (_nearest_sum(template, ids["input"]) if section else None)
    routes += [Route(id=next(numbers), kind="feed", from_strip=ids["input"], to=to)] if to else []
    template = replace(template, routes=(*template.routes, *routes))
    return _with_keys(template, name, section, plays) if plays or keys != KEYS[0] else template


def _nearest_sum(template: Template, strip: str) -> str | None:
    """Where others of the section go, else the last sum; None where there is none."""
    graph = SignalGraph(template)
    ends = (graph.strips[number] for number in Destinations(graph).nearest(graph.index[strip]))
    return next((end.id for end in ends if end.kind in SUMS), None)


def _with_keys(template: Template, name: str, section: str | None, plays: str | None) -> Template:
    """With the notes that are played on an instrument's keys, and their route."""
    at = _behind(template, section)
    template = add_strip(template, {"name": f"{name} keys", "kind": "midi", "section": section}, at)
    if plays is None:
        return template
    played = strip_of(template, plays)[1]
    if played.kind not in ("instrument", "midi"):
        raise EditError(f"{played.name} is of kind {played.kind}; keys play an instrument or a MIDI strip")
    route = Route(id=next(free_route_ids(template)), kind="midi", from_strip=template.strips[at].id, to=plays, port=1)
    return replace(template, routes=(*template.routes, route))


def outboard_around(template: Template, strips: Collection[str]) -> list[str]:
    """Strips with the whole of each outboard instrument among them: notes, outputs, and the inputs they are tied to.

    Returns
    -------
    list of str
        Ids, in session order.
    """
    outside = {machine.id for machine in template.machines if machine.kind == "outboard"}
    machines = {machine_id(template, strip) for strip in template.strips if strip.id in strips}
    machines |= {machine_id(template, strip) for strip in template.strips for r in template.routes
                 if r.kind == "tie" and r.to in strips and r.from_strip == strip.id}  # fmt: skip
    whole = set(strips) | {s.id for s in template.strips if machine_id(template, s) in machines & outside}
    ties = {route.to for route in template.routes if route.kind == "tie" and route.from_strip in whole}
    notes = {route.from_strip for route in template.routes if route.kind == "midi" and route.to in whole}
    return [strip.id for strip in template.strips if strip.id in whole | ties | notes]


def _behind(template: Template, section: str | None) -> int:
    """The place behind the last strip of a section; last of all where it has none."""
    at = (number + 1 for number, strip in enumerate(template.strips) if section and strip.section == section)
    return max(at, default=len(template.strips))


def _insert_words(template: Template, arguments: dict[str, Any]) -> str:
    return f"{name_of(template, 'strip', arguments['strip'])}: outboard {arguments['name']}"


@edit(
    Piece("strip"),
    Text("name"),
    Text("outputs", "outputs"),
    Text("inputs", "inputs"),
    says=_insert_words,
)
def outboard_insert(template: Template, strip: str, name: str, outputs: str, inputs: str) -> Template:
    """An external device in a strip's chain: its send, its return and its latency.

    Its latency is both converters of the strip's machine and one buffer. Raises EditError if the machine does not have
    these channels, or their number differs from the layout.
    """
    _index, host = strip_of(template, strip)
    machine = template.machines[position(template.machines, machine_id(template, host), "machine")]
    out = _channels(outputs, "outputs", machine.outputs, machine)
    back = _channels(inputs, "inputs", machine.inputs, machine)
    if len(out) != len(back):
        raise EditError(f"{len(out)} channels are sent and {len(back)} return; the numbers must be equal")
    latency = live_samples(template, machine) + machine.output_latency_samples
    insert = {"name": name, "type": "external", "io_out": list(out), "io_in": list(back), "latency_samples": latency}
    return add_insert(template, strip, insert)
