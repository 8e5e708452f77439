"""Free channels: physical ones of a machine, midi ones of an instrument; numbering in sequence."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec.structs import replace

from lattice.edits.arguments import Piece, Pieces, Whole
from lattice.edits.described import edit
from lattice.edits.pieces import all_known
from lattice.errors import EditError
from lattice.model.document import Route, Strip, Template, machine_id
from lattice.model.layouts import channel_count

MIDI_CHANNELS = 16  # a port, MIDI 1.0


def next_io(template: Template, added: Sequence[Strip], strip: Strip) -> tuple[int, ...] | None:
    """The next free run of physical channels for a copy of `strip`; None where it has none or none is free."""
    if strip.io is None or not strip.traits.has_physical_channels:
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
    played = next(strip for strip in template.strips if strip.id == instrument)
    ports = played.midi.ports if played.midi else 1
    received = (
        range(1, MIDI_CHANNELS + 1) if played.midi is None or played.midi.channels == "all" else played.midi.channels
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
    raise EditError(f"{played.name} has no free MIDI channel from port {port} on")


@edit(
    Pieces("strips"),
    Whole("first", default=1),
    Whole("stride", "step", default=None, low=1, high=1024),
    says="Number channels of {strips}",
)
def number_channels(template: Template, strips: list[str], first: int = 1, stride: int | None = None) -> Template:
    """Physical channels in sequence, in document order, as many for each strip as its layout has.

    `stride`: channels from the first of one strip to the first of the next; None: one behind the other.
    """
    wanted = all_known(template.strips, strips, "strip")
    chosen = (strip for strip in template.strips if strip.id in wanted)
    others = [strip.name for strip in chosen if not strip.traits.has_physical_channels]
    if others:
        raise EditError(f"{', '.join(others[:5])} has no physical channels; only inputs and outputs have")
    new, channel = [], first
    for strip in template.strips:
        if strip.id in wanted:
            width = channel_count(strip.layout)
            strip = replace(strip, io=tuple(range(channel, channel + width)))  # noqa: PLW2901 - the changed one
            channel += stride or width
        new.append(strip)
    return replace(template, strips=tuple(new))


@edit(
    Piece("instrument"),
    Pieces("strips", default=None),
    Whole("port", default=1),
    Whole("channel", default=1),
    says="{instrument}: channels in sequence from port {port}, channel {channel}",
)
def number_midi(
    template: Template, instrument: str, strips: list[str] | None = None, port: int = 1, channel: int = 1
) -> Template:
    """Ports and channels in sequence for strips that play an instrument: 16 a port, then the next port.

    `strips`: the midi strips meant, in document order (None: all that play it). Channels that the instrument does
    not receive, and those that others play, are passed over. Raises EditError where the ports do not suffice.
    """
    played = next((strip for strip in template.strips if strip.id == instrument), None)
    if played is None or played.kind != "instrument":
        raise EditError(f"instrument {instrument} does not exist")
    wanted = None if strips is None else all_known(template.strips, strips, "strip")
    place = {strip.id: strip_number for strip_number, strip in enumerate(template.strips)}
    playing = [route for route in template.routes if route.kind == "midi" and route.to == instrument]
    meant = [route for route in playing if wanted is None or route.from_strip in wanted]
    if not meant:
        raise EditError(f"none of these strips has a MIDI route to {played.name}")
    ids = {route.id for route in meant}
    taken = {(route.port or 1, route.channel) for route in playing if route.id not in ids}
    free = iter([at for at in _sequence(played, port, channel) if at not in taken])
    given: dict[str, tuple[int, int]] = {}
    for route in sorted(meant, key=lambda route: place[route.from_strip]):
        at = next(free, None)
        if at is None:
            ports = played.midi.ports if played.midi else 1
            raise EditError(
                f"{len(meant)} strips do not fit: {played.name} has {ports} port{'s' if ports > 1 else ''}, and"
                f" {len(given)} channels are free from port {port}, channel {channel} on"
            )
        given[route.id] = at
    routes = tuple(
        replace(route, port=given[route.id][0], channel=given[route.id][1]) if route.id in given else route
        for route in template.routes
    )
    return replace(template, routes=routes)


def _sequence(instrument: Strip, port: int, channel: int) -> list[tuple[int, int]]:
    """(port, channel) in order, from one on, of those that an instrument receives."""
    midi = instrument.midi
    received = range(1, MIDI_CHANNELS + 1) if midi is None or midi.channels == "all" else sorted(midi.channels)
    ports = midi.ports if midi else 1
    return [(p, c) for p in range(port, ports + 1) for c in received if p > port or c >= channel]
