"""Outboard in one step: an external instrument with its notes and its return, or a device in a chain."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Piece, Text, Whole, name_of
from lattice.edits.described import edit
from lattice.edits.inserts import add_insert
from lattice.edits.pieces import position, strip_of
from lattice.edits.strips import add_strip
from lattice.errors import EditError
from lattice.model.document import Machine, Route, Template, machine_id
from lattice.model.layouts import layout_of_count
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.units import parse_channels


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
    says="Outboard instrument {name}",
)
def outboard_instrument(
    template: Template, name: str, inputs: str, port: int = 1, channel: int | None = None, section: str | None = None
) -> Template:
    """An instrument outside: notes that play it, its machine, its cable, and the live input it comes back on.

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
        The section of its notes and its input; the input feeds the section's bus.

    Raises
    ------
    EditError
        Where the main machine has not these inputs.
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
    routes += [Route(id=next(numbers), kind="feed", from_strip=ids["input"], to=bus)] if bus else []
    return replace(template, routes=(*template.routes, *routes))


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
