"""MIDI: strips without an instrument, instruments without notes, ports and channels that do not fit.

MIDI 1.0 has 16 channels a port.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.checks.unfinished import UNPLAYED_MIDI
from lattice.model.edit_step import EditStep

CHANNELS = 16  # a port, MIDI 1.0


@check("midi.no-instrument")
def no_instrument(analysis: Analysis) -> Iterator[Finding]:
    """Midi strips in service without an enabled midi route."""
    playing = {analysis.graph.tail[route] for route in analysis.graph.midis if analysis.graph.routes[route].enabled}
    for strip_number, strip in enumerate(analysis.graph.strips):
        if strip.kind != "midi" or not strip.in_service or strip_number in playing or "spare" in strip.tags:
            continue
        disabled = [route for route in analysis.graph.midis if analysis.graph.tail[route] == strip_number]
        enable = tuple(
            EditStep("change_route", {"route": route, "changes": {"enabled": True}})
            for route in analysis.route_ids(disabled)
        )
        yield Finding(
            code="midi.no-instrument",
            severity="warning" if disabled else "note",
            standing="wrong" if disabled else "unfinished",
            issue="" if disabled else UNPLAYED_MIDI,
            message=f"{strip.name} has no MIDI route to an instrument{'' if disabled else ' yet'}",
            strips=(strip.id,),
            evidence=("its MIDI routes are disabled" if disabled else "it has no MIDI route",),
            remedies=(Remedy("Enable its MIDI routes", enable, "midi"),) if disabled else (),
        )


@check("midi.unplayed")
def unplayed(analysis: Analysis) -> Iterator[Finding]:
    """Instruments that no midi route reaches, where a midi strip plays another instrument of the same section."""
    graph = analysis.graph
    playing = [route for route in graph.midis if graph.routes[route].enabled]
    played = {graph.head[route] for route in playing}
    by_strips = (graph.head[route] for route in playing if graph.strips[graph.tail[route]].kind == "midi")
    with_notes = {graph.strips[head].section for head in by_strips if graph.strips[head].kind == "instrument"}
    for strip_number in graph.by_kind["instrument"]:
        strip = graph.strips[strip_number]
        if strip_number not in played and "spare" not in strip.tags and strip.section in with_notes:
            yield Finding(
                code="midi.unplayed",
                severity="note",
                message=f"No MIDI route reaches {strip.name}",
                strips=(strip.id,),
                evidence=("no enabled MIDI route ends at it",),
            )


@check("midi.port-range", "midi.channel-filtered")
def ports_and_channels(analysis: Analysis) -> Iterator[Finding]:
    """Ports beyond those of an instrument or its machine, and channels it does not receive."""
    graph = analysis.graph
    machines = {machine.id: machine for machine in analysis.template.machines}
    for route_number in graph.midis:
        route, instrument = graph.routes[route_number], graph.strips[graph.head[route_number]]
        if instrument.kind != "instrument":
            continue
        port, machine = route.port or 1, machines[graph.machine_of(graph.head[route_number])]
        limits = [(instrument.name, instrument.midi.ports)] if instrument.midi else []
        if instrument.midi is None or graph.machine_of(graph.tail[route_number]) != machine.id:
            limits.append((machine.name, machine.midi_ports))
        for name, has in limits:
            if port > has:
                yield _about(analysis, route_number, "midi.port-range", f"uses port {port}; {name} has {has}")
                break
        received = instrument.midi.channels if instrument.midi else "all"
        if received != "all" and route.channel is not None and route.channel not in received:
            listens = f"{instrument.name} receives {', '.join(map(str, received)) or 'none'}"
            yield _about(analysis, route_number, "midi.channel-filtered", f"uses channel {route.channel}; {listens}")


def _about(analysis: Analysis, route: int, code: str, words: str) -> Finding:
    tail, head = analysis.graph.tail[route], analysis.graph.head[route]
    return Finding(
        code=code,
        severity="blocker",
        message=f"{analysis.name(tail)} {words}",
        strips=analysis.ids([head, tail]) if head != tail else analysis.ids([head]),
        routes=analysis.route_ids([route]),
        evidence=(f"MIDI route {analysis.name(tail)} → {analysis.name(head)}",),
    )


@check("midi.channel-clash", "midi.full")
def clashes_and_full_ports(analysis: Analysis) -> Iterator[Finding]:
    """Midi strips that share a channel of an instrument, and ports with no channel left."""
    graph = analysis.graph
    by_port: dict[tuple[int, int], list[int]] = defaultdict(list)
    for route_number in graph.midis:
        if graph.routes[route_number].enabled and graph.strips[graph.head[route_number]].kind == "instrument":
            by_port[graph.head[route_number], graph.routes[route_number].port or 1].append(route_number)
    for (instrument, port), routes in sorted(by_port.items()):
        yield from _clash(analysis, instrument, port, routes)
        taken = {graph.routes[route].channel for route in routes} - {None}
        if len(taken) == CHANNELS:
            yield Finding(
                code="midi.full",
                severity="note",
                message=f"All 16 channels of port {port} of {analysis.name(instrument)} are used",
                strips=analysis.ids([instrument]),
                routes=analysis.route_ids(routes),
                evidence=(f"by {analysis.names([graph.tail[route] for route in routes])}",),
            )


def _clash(analysis: Analysis, instrument: int, port: int, routes: list[int]) -> Iterator[Finding]:
    graph = analysis.graph
    tails = {route: graph.strips[graph.tail[route]] for route in routes}
    playing = [route for route in routes if tails[route].kind == "midi" and tails[route].in_service]
    clashing = [
        one
        for one in playing
        if any(_same(analysis, one, other) for other in playing if graph.tail[other] != graph.tail[one])
    ]
    if clashing:
        players = list(dict.fromkeys(graph.tail[route] for route in clashing))
        yield Finding(
            code="midi.channel-clash",
            severity="note",
            message=f"{analysis.names(players)} play {analysis.name(instrument)} on the same channel of port {port}",
            strips=analysis.ids([instrument, *players]),
            routes=analysis.route_ids(clashing),
            evidence=tuple(f"{analysis.name(graph.tail[r])}: {_channel(analysis, r)}" for r in clashing),
            remedies=_next_free(analysis, routes, clashing),
        )


def _same(analysis: Analysis, one: int, other: int) -> bool:
    channels = analysis.graph.routes[one].channel, analysis.graph.routes[other].channel
    return None in channels or channels[0] == channels[1]


def _channel(analysis: Analysis, route: int) -> str:
    channel = analysis.graph.routes[route].channel
    return "all channels" if channel is None else f"channel {channel}"


def _next_free(analysis: Analysis, routes: list[int], clashing: list[int]) -> tuple[Remedy, ...]:
    """Move all but the first of each channel to the next free ones; none where there are not enough."""
    graph = analysis.graph
    instrument = graph.strips[graph.head[routes[0]]]
    received = range(1, CHANNELS + 1)
    if instrument.midi and instrument.midi.channels != "all":
        received = sorted(instrument.midi.channels)  # type: ignore[assignment]
    taken = {graph.routes[route].channel for route in routes}
    free = [channel for channel in received if channel not in taken]
    kept: set[int | None] = set()
    steps = []
    for route in clashing:
        channel = graph.routes[route].channel
        if channel is not None and channel not in kept:
            kept.add(channel)
            continue
        if not free:
            return ()
        steps.append(EditStep("change_route", {"route": graph.routes[route].id, "changes": {"channel": free.pop(0)}}))
    return (
        Remedy("Move to the next free channels" if len(steps) > 1 else "Move to the next free channel", tuple(steps)),
    )


explain(
    "midi.no-instrument",
    many="{n} MIDI strips have no instrument",
    found="An enabled MIDI strip has no enabled MIDI route.",
    why="Its notes play nothing.",
    how="The MIDI routes of each strip are counted. Spare strips are skipped.",
    fix="Route it to its instrument.",
    decide="Only you know the instrument. Route the MIDI strip on the map.",
    place="map",
)

explain(
    "midi.unplayed",
    many="{n} instruments are not played",
    found="An instrument has no incoming MIDI route.",
    why="It uses memory and makes no sound, unless it is played live.",
    how="The MIDI routes into each instrument are counted. Spare strips are skipped.",
    fix="Route MIDI to it, tag it spare, or remove it.",
)

explain(
    "midi.port-range",
    many="{n} routes use missing MIDI ports",
    found="The port number of a route is higher than the number of ports of the instrument or its machine.",
    why="The notes do not arrive.",
    how="Port numbers are compared with those of the instrument and its machine.",
    fix="Choose an existing port, or add ports to the instrument.",
    decide="Only you know the port. Choose an existing one, or add ports to the machine.",
    place="settings",
)

explain(
    "midi.channel-filtered",
    many="{n} routes use channels that are not received",
    found="A route sends on a MIDI channel that the instrument does not receive.",
    why="Its notes are dropped.",
    how="The channel of the route is compared with the channels of the instrument.",
    fix="Send on a channel the instrument receives.",
    decide="Only you know the channel. Choose one that the instrument receives.",
    place="map",
)

explain(
    "midi.channel-clash",
    many="{n} instruments are played twice on one channel",
    found="Two MIDI strips play one instrument on the same port and channel.",
    why="Notes cut each other off, and controllers conflict.",
    how=(
        "All routes into an instrument are compared by port and channel. A route without a channel uses all 16 "
        "(MIDI 1.0)."
    ),
    fix="Move one to the next free channel.",
)

explain(
    "midi.full",
    many="{n} MIDI ports are full",
    found="All 16 channels of a port are used.",
    why="The next strip has no free channel (16 per port: MIDI 1.0).",
    how="The used channels of each port are counted.",
    fix="Add a port to the instrument.",
)
