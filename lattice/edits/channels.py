"""Free channels: physical ones of a machine, midi ones of an instrument; numbering in sequence."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec.structs import replace

from lattice.edits.pieces import all_known
from lattice.errors import EditError
from lattice.model.document import Route, Strip, Template, machine_id
from lattice.model.layouts import channel_count

MIDI_CHANNELS = 16  # a port, MIDI 1.0


def next_io(template: Template, added: Sequence[Strip], strip: Strip) -> tuple[int, ...] | None:
    """The next free run of physical channels for a copy of `strip`; None where it has none or none is free."""
    if strip.io is None or strip.kind not in ("input", "output"):
        return strip.io
    machine = machine_id(template, strip)
    has = next(known for known in template.machines if known.id == machine)
    most = has.inputs if strip.kind == "input" else has.outputs
    used = {
        channel
        for known in (*template.strips, *added)
        if known.kind == strip.kind and machine_id(template, known) == machine
        for channel in known.io or ()
    }
    width = len(strip.io)
    for first in range(max(strip.io) + 1, most - width + 2):
        run = tuple(range(first, first + width))
        if not used & set(run):
            return run
    return None


def next_midi(template: Template, added: Iterable[Route], instrument: str, port: int = 1) -> tuple[int, int]:
    """The next free (port, channel) of an instrument from a port on. Raises EditError where all are taken."""
    piece = next(strip for strip in template.strips if strip.id == instrument)
    ports = piece.midi.ports if piece.midi else 1
    received = (
        range(1, MIDI_CHANNELS + 1) if piece.midi is None or piece.midi.channels == "all" else piece.midi.channels
    )
    taken = {
        (route.port or 1, route.channel)
        for route in (*template.routes, *added)
        if route.kind == "midi" and route.to == instrument
    }
    for at in range(port, ports + 1):
        for channel in received:
            if (at, channel) not in taken:
                return at, channel
    raise EditError(f"{piece.name} has no free midi channel from port {port} on")


def number_channels(template: Template, strips: list[str], first: int = 1) -> Template:
    """Physical channels in sequence, in document order, as many for each strip as its layout has."""
    wanted = all_known(template.strips, strips, "strip")
    others = [strip.name for strip in template.strips if strip.id in wanted and strip.kind not in ("input", "output")]
    if others:
        raise EditError(f"only inputs and outputs have physical channels; not {', '.join(others[:5])}")
    new, channel = [], first
    for strip in template.strips:
        if strip.id in wanted:
            width = channel_count(strip.layout)
            strip = replace(strip, io=tuple(range(channel, channel + width)))  # noqa: PLW2901 - the changed one
            channel += width
        new.append(strip)
    return replace(template, strips=tuple(new))
