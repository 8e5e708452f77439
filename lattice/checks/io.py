"""Physical channels and tie lines: missing in a machine, used twice, or of different formats."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations, groupby

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy, Severity
from lattice.checks.registry import check, explain
from lattice.gain_staging.gains import insert_layouts
from lattice.model.edit_step import EditStep
from lattice.model.insert_types import EXTERNAL
from lattice.model.layouts import channel_count


@dataclass(frozen=True)
class _Use:
    """Physical channels that a strip or an external insert uses."""

    strip: int
    insert: str | None
    way: str  # "input" or "output"
    channels: tuple[int, ...]
    width: int  # channels of the layout there

    def name(self, analysis: Analysis) -> str:
        return analysis.name(self.strip) if self.insert is None else f"{self.insert} on {analysis.name(self.strip)}"


def _uses(analysis: Analysis) -> Iterator[_Use]:
    graph = analysis.graph
    external = {strip_number for strip_number, _place in graph.places_of(EXTERNAL)}
    for strip_number in sorted({*graph.by_kind["input"], *graph.by_kind["output"], *external}):
        strip = analysis.strip(strip_number)
        if strip.traits.has_physical_channels and strip.io is not None:
            yield _Use(strip_number, None, strip.kind, strip.io, channel_count(strip.layout))
        if strip_number not in external:
            continue
        layout = strip.layout
        for insert in strip.inserts:
            layout_in, layout = insert_layouts(insert, layout)
            if insert.traits.is_external and insert.io_out is not None:
                yield _Use(strip_number, insert.id, "output", insert.io_out, channel_count(layout_in))
            if insert.traits.is_external and insert.io_in is not None:
                yield _Use(strip_number, insert.id, "input", insert.io_in, channel_count(layout))


@check("io.range")
def out_of_range(analysis: Analysis) -> Iterator[Finding]:
    """Channels that a machine does not have, or more or fewer than the layout has."""
    machines = {machine.id: machine for machine in analysis.template.machines}
    wrong: dict[tuple[int, str | None], list[str]] = {}
    for use in _uses(analysis):
        machine = machines[analysis.graph.machine_of(use.strip)]
        has = machine.inputs if use.way == "input" else machine.outputs
        beyond = [channel for channel in use.channels if channel > has]
        sentences = wrong.setdefault((use.strip, use.insert), [])
        if beyond:
            sentences.append(f"uses {use.way} {beyond[0]}; {machine.name} has {has}")
        if len(use.channels) != use.width:
            sentences.append(f"uses {len(use.channels)} physical {use.way}s for {use.width} channels")
    for (strip, insert), sentences in wrong.items():
        if sentences:
            name = analysis.name(strip) if insert is None else f"{insert} on {analysis.name(strip)}"
            yield Finding(
                code="io.range",
                severity="blocker",
                message=f"{name} {sentences[0]}",
                strips=analysis.ids([strip]),
                inserts=(insert,) if insert else (),
                evidence=tuple(sentences),
            )


@check("io.clash")
def clashes(analysis: Analysis) -> Iterator[Finding]:
    """Two outputs, or external sends, of one machine on one channel; two inputs are a note."""
    by_channel: dict[tuple[str, str, int], list[_Use]] = {}
    for use in _uses(analysis):
        if analysis.strip(use.strip).in_service:
            for channel in use.channels:
                by_channel.setdefault((analysis.graph.machine_of(use.strip), use.way, channel), []).append(use)
    shared: dict[tuple[_Use, _Use], list[int]] = {}
    for (_machine, way, channel), uses in by_channel.items():
        for one, other in combinations(uses, 2):
            if one is not other and not (way == "input" and (one.insert or other.insert)):
                shared.setdefault((one, other), []).append(channel)
    for (one, other), channels in shared.items():
        yield _clash(analysis, one, other, sorted(channels))


def _clash(analysis: Analysis, one: _Use, other: _Use, channels: list[int]) -> Finding:
    severity: Severity = "note" if one.way == "input" else "warning"
    numbers = ", ".join(map(str, channels))
    return Finding(
        code="io.clash",
        severity=severity,
        message=f"{one.name(analysis)} and {other.name(analysis)} share physical {one.way} {numbers}",
        strips=tuple(dict.fromkeys(analysis.ids([one.strip, other.strip]))),
        inserts=tuple(use.insert for use in (one, other) if use.insert),
        evidence=(f"{one.way} {numbers} of {analysis.graph.machine_of(one.strip)}",),
        remedies=tuple(_next_free(analysis, one, other)),
    )


def _next_free(analysis: Analysis, one: _Use, other: _Use) -> Iterator[Remedy]:
    """The next free channels for either of them; which of them moves is the user's choice."""
    machine = next(m for m in analysis.template.machines if m.id == analysis.graph.machine_of(one.strip))
    has = machine.inputs if one.way == "input" else machine.outputs
    used = {
        channel
        for use in _uses(analysis)
        if use.way == one.way and analysis.graph.machine_of(use.strip) == machine.id
        for channel in use.channels
    }
    for use in (other, one):
        width = len(use.channels)
        starts = range(1, has - width + 2, width if width == 2 else 1)
        run = next((list(range(n, n + width)) for n in starts if not used & set(range(n, n + width))), None)
        if run is None:
            continue
        if use.insert:
            field = "io_in" if use.way == "input" else "io_out"
            step = EditStep("change_insert", {"insert": use.insert, "changes": {field: run}})
        else:
            step = EditStep("change_strip", {"strip": analysis.strip(use.strip).id, "changes": {"io": run}})
        numbers = f"{run[0]}–{run[-1]}" if width > 1 else str(run[0])
        yield Remedy(f"Move {use.name(analysis)} to {use.way} {numbers}", (step,), asks=True)


def _ties(analysis: Analysis) -> list[int]:
    graph = analysis.graph
    into = (route for strip in graph.tied_in for route in graph.ins[strip])
    return sorted(route for route in into if graph.routes[route].kind == "tie")


@check("tie.broken")
def broken_ties(analysis: Analysis) -> Iterator[Finding]:
    """Ties between ends of different widths, or machines at different rates."""
    rates = {
        machine.id: machine.sample_rate_hz or analysis.template.sample_rate_hz for machine in analysis.template.machines
    }
    graph = analysis.graph
    for route_number in _ties(analysis):
        tail, head = graph.tail[route_number], graph.head[route_number]
        leaving = channel_count(graph.layout_leaving(route_number))
        arriving = channel_count(graph.strips[head].layout)
        ends = rates[graph.machine_of(tail)], rates[graph.machine_of(head)]
        sentences = []
        if leaving != arriving:
            sentences.append(f"{analysis.name(tail)} outputs {leaving} channels; {analysis.name(head)} has {arriving}")
        if ends[0] != ends[1]:
            sentences.append(f"{ends[0]} Hz at one end, {ends[1]} Hz at the other")
        if sentences:
            yield Finding(
                code="tie.broken",
                severity="blocker",
                message=f"Tie {analysis.name(tail)} → {analysis.name(head)} does not match: {sentences[0]}",
                strips=analysis.ids([tail, head]),
                routes=analysis.route_ids([route_number]),
                evidence=tuple(sentences),
            )


@check("tie.offset")
def crossed_ties(analysis: Analysis) -> Iterator[Finding]:
    """Ties between two machines whose channels do not run alike at both ends."""
    graph = analysis.graph

    def machines(route_number: int) -> tuple[str, str]:
        return graph.machine_of(graph.tail[route_number]), graph.machine_of(graph.head[route_number])

    def first_channels(route_number: int) -> tuple[int, int]:
        out, into = graph.strips[graph.tail[route_number]].io, graph.strips[graph.head[route_number]].io
        return (out[0], into[0]) if out and into else (0, 0)

    with_channels = [route_number for route_number in _ties(analysis) if first_channels(route_number) != (0, 0)]
    in_order = sorted(with_channels, key=lambda route_number: (machines(route_number), first_channels(route_number)))
    for (start, end), group in groupby(in_order, key=machines):
        ties = list(group)
        shift = first_channels(ties[0])[1] - first_channels(ties[0])[0]
        off = [
            route_number
            for route_number in ties
            if first_channels(route_number)[1] - first_channels(route_number)[0] != shift
        ]
        if off:
            out, into = first_channels(off[0])
            yield Finding(
                code="tie.offset",
                severity="note",
                message=f"Ties {start} → {end} are offset: output {out} to input {into}",
                strips=analysis.ids([graph.tail[off[0]], graph.head[off[0]]]),
                routes=analysis.route_ids(off),
                others=(start, end),
                evidence=tuple("output {} to input {}".format(*first_channels(route_number)) for route_number in ties),
            )


explain(
    "io.range",
    many="{n} strips use missing channels",
    found=(
        "A strip or external insert uses a physical channel that its machine does not have. Or the number of "
        "channels is wrong."
    ),
    why="No signal passes there.",
    how="Channel numbers are compared with those of the machine, and their count with the layout.",
    fix="Choose existing channels, as many as the layout has.",
    decide="Only you know the connector. Choose an existing channel, or add channels to the machine.",
    place="settings",
)

explain(
    "io.clash",
    many="{n} physical channels are used twice",
    found="Two enabled outputs or external sends of one machine share a physical channel.",
    why="Both signals are mixed on one connector.",
    how="All uses of each physical channel are listed. Two inputs on one channel are only a note.",
    fix="Move one of them to a free channel.",
    decide="No channel is free. Add channels to the machine, or disable one of the strips.",
    place="settings",
)

explain(
    "tie.broken",
    many="{n} ties do not match",
    found="The ends of a tie differ in width, or its machines differ in sample rate.",
    why="Channels are lost, or the machines cannot lock to each other.",
    how="Both ends of each tie are compared.",
    fix="Set both ends to one layout, and both machines to one rate.",
    decide="Only you know the right layout and rate. Set both ends alike.",
    place="settings",
)

explain(
    "tie.offset",
    many="{n} ties are offset",
    found="The channels of ties between two machines are in a different order at each end.",
    why="Patching by number connects the wrong line.",
    how="The channel numbers of both ends are compared in order.",
    fix="Renumber one end, or waive the finding if the order is intended.",
)
