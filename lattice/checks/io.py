"""Physical channels and tie lines: what a machine has, what is used twice, what does not fit together."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations, groupby

from lattice.checks.finding import Finding, Severity
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.levels.gains import insert_layouts
from lattice.model.layouts import channel_count


@dataclass(frozen=True)
class _Use:
    """Physical channels that a strip or an external insert uses."""

    strip: int
    insert: str | None
    way: str  # "input" or "output"
    channels: tuple[int, ...]
    width: int  # channels of the layout there

    def name(self, scene: Scene) -> str:
        return scene.name(self.strip) if self.insert is None else f"{self.insert} on {scene.name(self.strip)}"


def _uses(scene: Scene) -> Iterator[_Use]:
    compiled = scene.compiled
    external = {number for number, _place in compiled.by_type["external"]}
    for number in sorted({*compiled.by_kind["input"], *compiled.by_kind["output"], *external}):
        strip = scene.strip(number)
        if strip.kind in ("input", "output") and strip.io is not None:
            yield _Use(number, None, strip.kind, strip.io, channel_count(strip.layout))
        if number not in external:
            continue
        layout = strip.layout
        for insert in strip.inserts:
            layout_in, layout = insert_layouts(insert, layout)
            if insert.type == "external" and insert.io_out is not None:
                yield _Use(number, insert.id, "output", insert.io_out, channel_count(layout_in))
            if insert.type == "external" and insert.io_in is not None:
                yield _Use(number, insert.id, "input", insert.io_in, channel_count(layout))


@check("io.range")
def out_of_range(scene: Scene) -> Iterator[Finding]:
    """Channels that a machine does not have, or more or fewer than the layout has."""
    machines = {machine.id: machine for machine in scene.template.machines}
    wrong: dict[tuple[int, str | None], list[str]] = {}
    for use in _uses(scene):
        machine = machines[scene.compiled.machine_of(use.strip)]
        has = machine.inputs if use.way == "input" else machine.outputs
        beyond = [channel for channel in use.channels if channel > has]
        sentences = wrong.setdefault((use.strip, use.insert), [])
        if beyond:
            sentences.append(f"{machine.name} has {has} {use.way}s, and channel {beyond[0]} is named")
        if len(use.channels) != use.width:
            sentences.append(f"{len(use.channels)} physical {use.way}s for {use.width} channels")
    for (strip, insert), sentences in wrong.items():
        if sentences:
            name = scene.name(strip) if insert is None else f"{insert} on {scene.name(strip)}"
            yield Finding(
                code="io.range",
                severity="blocker",
                message=f"{name}: {sentences[0]}",
                strips=scene.ids([strip]),
                inserts=(insert,) if insert else (),
                evidence=tuple(sentences),
            )


@check("io.clash")
def clashes(scene: Scene) -> Iterator[Finding]:
    """Two outputs, or external sends, of one machine on one channel; two inputs are a note."""
    by_channel: dict[tuple[str, str, int], list[_Use]] = {}
    for use in _uses(scene):
        if scene.strip(use.strip).in_service:
            for channel in use.channels:
                by_channel.setdefault((scene.compiled.machine_of(use.strip), use.way, channel), []).append(use)
    shared: dict[tuple[_Use, _Use], list[int]] = {}
    for (_machine, way, channel), uses in by_channel.items():
        for one, other in combinations(uses, 2):
            if one is not other and not (way == "input" and (one.insert or other.insert)):
                shared.setdefault((one, other), []).append(channel)
    for (one, other), channels in shared.items():
        yield _clash(scene, one, other, sorted(channels))


def _clash(scene: Scene, one: _Use, other: _Use, channels: list[int]) -> Finding:
    severity: Severity = "note" if one.way == "input" else "warning"
    numbers = ", ".join(map(str, channels))
    return Finding(
        code="io.clash",
        severity=severity,
        message=f"{one.name(scene)} and {other.name(scene)} share physical {one.way} {numbers}",
        strips=tuple(dict.fromkeys(scene.ids([one.strip, other.strip]))),
        inserts=tuple(use.insert for use in (one, other) if use.insert),
        evidence=(f"{one.way} {numbers} of {scene.compiled.machine_of(one.strip)}",),
    )


def _ties(scene: Scene) -> list[int]:
    compiled = scene.compiled
    into = (route for strip in compiled.tied_in for route in compiled.ins[strip])
    return sorted(route for route in into if compiled.routes[route].kind == "tie")


@check("tie.broken")
def broken_ties(scene: Scene) -> Iterator[Finding]:
    """Ties between ends of different widths, or machines at different rates."""
    rates = {machine.id: machine.sample_rate_hz or scene.template.sample_rate_hz for machine in scene.template.machines}
    compiled = scene.compiled
    for number in _ties(scene):
        tail, head = compiled.tail[number], compiled.head[number]
        leaving = channel_count(compiled.layout_leaving(number))
        arriving = channel_count(compiled.strips[head].layout)
        ends = rates[compiled.machine_of(tail)], rates[compiled.machine_of(head)]
        sentences = []
        if leaving != arriving:
            sentences.append(f"{leaving} channels leave {scene.name(tail)}, {scene.name(head)} has {arriving}")
        if ends[0] != ends[1]:
            sentences.append(f"{ends[0]} Hz at one end, {ends[1]} Hz at the other")
        if sentences:
            yield Finding(
                code="tie.broken",
                severity="blocker",
                message=f"The tie from {scene.name(tail)} to {scene.name(head)} does not fit: {sentences[0]}",
                strips=scene.ids([tail, head]),
                routes=scene.route_ids([number]),
                evidence=tuple(sentences),
            )


@check("tie.offset")
def crossed_ties(scene: Scene) -> Iterator[Finding]:
    """Ties between two machines whose channels do not run alike at both ends."""
    compiled = scene.compiled

    def machines(number: int) -> tuple[str, str]:
        return compiled.machine_of(compiled.tail[number]), compiled.machine_of(compiled.head[number])

    def first_channels(number: int) -> tuple[int, int]:
        out, into = compiled.strips[compiled.tail[number]].io, compiled.strips[compiled.head[number]].io
        return (out[0], into[0]) if out and into else (0, 0)

    with_channels = [number for number in _ties(scene) if first_channels(number) != (0, 0)]
    in_order = sorted(with_channels, key=lambda number: (machines(number), first_channels(number)))
    for (start, end), group in groupby(in_order, key=machines):
        ties = list(group)
        shift = first_channels(ties[0])[1] - first_channels(ties[0])[0]
        off = [number for number in ties if first_channels(number)[1] - first_channels(number)[0] != shift]
        if off:
            out, into = first_channels(off[0])
            yield Finding(
                code="tie.offset",
                severity="note",
                message=f"The ties from {start} to {end} run unlike at both ends: output {out} into input {into}",
                strips=scene.ids([compiled.tail[off[0]], compiled.head[off[0]]]),
                routes=scene.route_ids(off),
                others=(start, end),
                evidence=tuple("output {} into input {}".format(*first_channels(number)) for number in ties),
            )
