"""MIDI: strips without an instrument, instruments without notes, ports and channels that do not fit.

MIDI 1.0 has 16 channels a port.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene

CHANNELS = 16  # a port, MIDI 1.0


@check("midi.no-instrument")
def no_instrument(scene: Scene) -> Iterator[Finding]:
    """Midi strips in service without an enabled midi route."""
    playing = {scene.compiled.tail[route] for route in scene.compiled.midis if scene.compiled.routes[route].enabled}
    for number, strip in enumerate(scene.compiled.strips):
        if strip.kind == "midi" and strip.in_service and number not in playing and "spare" not in strip.tags:
            yield Finding(
                code="midi.no-instrument",
                severity="warning",
                message=f"{strip.name} plays no instrument",
                strips=(strip.id,),
                evidence=("no enabled midi route leaves it",),
            )


@check("midi.unplayed")
def unplayed(scene: Scene) -> Iterator[Finding]:
    """Instruments that no midi route reaches."""
    played = {scene.compiled.head[route] for route in scene.compiled.midis if scene.compiled.routes[route].enabled}
    for number, strip in enumerate(scene.compiled.strips):
        if strip.kind == "instrument" and number not in played and "spare" not in strip.tags:
            yield Finding(
                code="midi.unplayed",
                severity="note",
                message=f"No midi reaches {strip.name}",
                strips=(strip.id,),
                evidence=("no enabled midi route ends at it",),
            )


@check("midi.port-range", "midi.channel-filtered")
def ports_and_channels(scene: Scene) -> Iterator[Finding]:
    """Ports beyond what an instrument or its machine has, and channels it does not receive."""
    compiled = scene.compiled
    machines = {machine.id: machine for machine in scene.template.machines}
    for number in compiled.midis:
        route, instrument = compiled.routes[number], compiled.strips[compiled.head[number]]
        if instrument.kind != "instrument":
            continue
        port, machine = route.port or 1, machines[compiled.machine_of(compiled.head[number])]
        limits = [(instrument.name, instrument.midi.ports)] if instrument.midi else []
        if instrument.midi is None or compiled.machine_of(compiled.tail[number]) != machine.id:
            limits.append((machine.name, machine.midi_ports))
        for name, has in limits:
            if port > has:
                yield _about(scene, number, "midi.port-range", f"uses port {port}, and {name} has {has}")
                break
        received = instrument.midi.channels if instrument.midi else "all"
        if received != "all" and route.channel is not None and route.channel not in received:
            listens = f"{instrument.name} receives {', '.join(map(str, received)) or 'none'}"
            yield _about(scene, number, "midi.channel-filtered", f"uses channel {route.channel}, and {listens}")


def _about(scene: Scene, route: int, code: str, words: str) -> Finding:
    tail, head = scene.compiled.tail[route], scene.compiled.head[route]
    return Finding(
        code=code,
        severity="blocker",
        message=f"{scene.name(tail)} {words}",
        strips=scene.ids([head, tail]) if head != tail else scene.ids([head]),
        routes=scene.route_ids([route]),
        evidence=(f"midi from {scene.name(tail)} to {scene.name(head)}",),
    )


@check("midi.channel-clash", "midi.full")
def clashes_and_full_ports(scene: Scene) -> Iterator[Finding]:
    """Midi strips that share a channel of an instrument, and ports with no channel left."""
    compiled = scene.compiled
    by_port: dict[tuple[int, int], list[int]] = defaultdict(list)
    for number in compiled.midis:
        if compiled.routes[number].enabled and compiled.strips[compiled.head[number]].kind == "instrument":
            by_port[compiled.head[number], compiled.routes[number].port or 1].append(number)
    for (instrument, port), routes in sorted(by_port.items()):
        yield from _clash(scene, instrument, port, routes)
        taken = {compiled.routes[route].channel for route in routes} - {None}
        if len(taken) == CHANNELS:
            yield Finding(
                code="midi.full",
                severity="note",
                message=f"All 16 channels of port {port} of {scene.name(instrument)} are taken",
                strips=scene.ids([instrument]),
                routes=scene.route_ids(routes),
                evidence=(f"by {scene.names([compiled.tail[route] for route in routes])}",),
            )


def _clash(scene: Scene, instrument: int, port: int, routes: list[int]) -> Iterator[Finding]:
    compiled = scene.compiled
    tails = {route: compiled.strips[compiled.tail[route]] for route in routes}
    playing = [route for route in routes if tails[route].kind == "midi" and tails[route].in_service]
    clashing = [
        one
        for one in playing
        if any(_same(scene, one, other) for other in playing if compiled.tail[other] != compiled.tail[one])
    ]
    if clashing:
        players = list(dict.fromkeys(compiled.tail[route] for route in clashing))
        yield Finding(
            code="midi.channel-clash",
            severity="note",
            message=f"{scene.names(players)} play {scene.name(instrument)} on the same channel of port {port}",
            strips=scene.ids([instrument, *players]),
            routes=scene.route_ids(clashing),
            evidence=tuple(f"{scene.name(compiled.tail[r])}: {_channel(scene, r)}" for r in clashing),
            remedies=_next_free(scene, routes, clashing),
        )


def _same(scene: Scene, one: int, other: int) -> bool:
    channels = scene.compiled.routes[one].channel, scene.compiled.routes[other].channel
    return None in channels or channels[0] == channels[1]


def _channel(scene: Scene, route: int) -> str:
    channel = scene.compiled.routes[route].channel
    return "all channels" if channel is None else f"channel {channel}"


def _next_free(scene: Scene, routes: list[int], clashing: list[int]) -> tuple[Remedy, ...]:
    """Move all but the first of each channel to the next free ones; none where there are not enough."""
    compiled = scene.compiled
    instrument = compiled.strips[compiled.head[routes[0]]]
    received = range(1, CHANNELS + 1)
    if instrument.midi and instrument.midi.channels != "all":
        received = sorted(instrument.midi.channels)  # type: ignore[assignment]
    taken = {compiled.routes[route].channel for route in routes}
    free = [channel for channel in received if channel not in taken]
    kept: set[int | None] = set()
    steps = []
    for route in clashing:
        channel = compiled.routes[route].channel
        if channel is not None and channel not in kept:
            kept.add(channel)
            continue
        if not free:
            return ()
        steps.append(Step("change_route", {"route": compiled.routes[route].id, "changes": {"channel": free.pop(0)}}))
    return (
        Remedy("Move to the next free channels" if len(steps) > 1 else "Move to the next free channel", tuple(steps)),
    )
