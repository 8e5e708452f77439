"""When sound arrives: reported and actual, in samples at the template's rate (checks.md, *Timing*).

Over enabled routes between strips in service that carry some source; mutes, gains and monitoring do not
matter. The host delays routes by what plug-ins report; where that is not what they take, sound comes apart.
"""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

from lattice.graph.compiled import IN, Compiled
from lattice.graph.loops import LoopGraph
from lattice.model.document import Insert, Strip, source_of

NEVER = 1 << 60


class Span(NamedTuple):
    """Earliest and latest actual arrival, samples; `playback` and `live` apart, None where there is none."""

    playback: tuple[int, int] | None
    live: tuple[int, int] | None

    @property
    def earliest(self) -> int:
        return min(span[0] for span in self if span)

    @property
    def latest(self) -> int:
        return max(span[1] for span in self if span)

    def later(self, samples: int) -> Span:
        if not samples:
            return self
        return Span(
            self.playback and (self.playback[0] + samples, self.playback[1] + samples),
            self.live and (self.live[0] + samples, self.live[1] + samples),
        )

    def joined(self, other: Span) -> Span:
        return Span(_wider(self.playback, other.playback), _wider(self.live, other.live))


def _wider(one: tuple[int, int] | None, other: tuple[int, int] | None) -> tuple[int, int] | None:
    if one is None or other is None:
        return one or other
    return min(one[0], other[0]), max(one[1], other[1])


class Arrivals:
    """Arrivals by strip number; None where no source comes.

    `at_in[strip]`: actual span at its `in` behind compensation; `reported[strip]`: what the host counts there;
    `chain[strip]`: (reported, actual) samples from `in` to `pre`; `waits[node]`: samples that the audio at a keyed
    insert is held for its keys; `delays[route]`: compensation of audio and key routes that carry something;
    `wants[route]`: what they would need without a limit. O(strips + routes).
    """

    def __init__(self, compiled: Compiled, loops: LoopGraph, order: list[int]) -> None:
        self.compiled, self.loops, self.order = compiled, loops, order
        template = compiled.template
        self.rule = template.compensation
        self.limit = NEVER if self.rule.limit_samples is None else self.rule.limit_samples
        count = len(compiled.strips)
        self.at_in: list[Span | None] = [None] * count
        self.reported: list[int] = [0] * count
        self.chain: list[tuple[int, int]] = [(0, 0)] * count
        self.waits: dict[int, int] = {}
        self.delays: dict[int, int] = {}
        self.wants: dict[int, int] = {}
        self.own_delay: dict[int, int] = {}
        self._machines = {machine.id: machine for machine in template.machines}
        self._first = template.machines[0].id
        self._keys_to: dict[int, list[int]] = {}
        for route in compiled.keys:
            node = loops.insert_nodes[compiled.key_node[route][1]]
            self._keys_to.setdefault(node, []).append(route)
        for node in order:
            if node < count:
                self._strip(node)
            else:
                self._keyed(node)

    # one strip

    def source_span(self, number: int) -> tuple[int, Span] | None:
        """(reported, actual) of a strip's own source; None where its chain plays nothing."""
        compiled, strip = self.compiled, self.compiled.strips[number]
        if not compiled.is_source[number] or compiled.passes_input[number] or not compiled.main_open[number]:
            return None
        return self._source(strip)

    def _source(self, strip: Strip) -> tuple[int, Span]:
        if strip.kind == "input":  # live: a host cannot delay playback for it
            machine = self._machines[strip.machine or self._first]
            actual = machine.input_latency_samples + self.compiled.template.buffer_samples
            return 0, Span(None, (actual, actual))
        actual = strip.latency_samples if strip.measured_latency_samples is None else strip.measured_latency_samples
        return strip.latency_samples, Span((actual, actual), None)

    def at_tap(self, route: int) -> tuple[int, Span] | None:
        """(reported, actual) where a route leaves; None where it carries no source."""
        compiled = self.compiled
        tail, outlet = compiled.tail[route], compiled.outlet[route]
        strip = compiled.strips[tail]
        if not strip.in_service:
            return None
        if outlet >= 0:
            piece = compiled.outlets[outlet][1]
            return self._source(strip) if piece.open and self._outlet_plays(tail, outlet) else None
        span = self.at_in[tail]
        if span is None:
            return None
        if compiled.stage[route] == IN:
            return self.reported[tail], span
        reported, actual = self.chain[tail]
        return self.reported[tail] + reported, span.later(actual)

    def _outlet_plays(self, strip: int, outlet: int) -> bool:
        piece = self.compiled.strips[strip]
        return source_of(piece, self.compiled.outlets[outlet][1]) is not None or "spare" in piece.tags

    def coming(self, route: int) -> tuple[int, Span] | None:
        """(reported, actual) of an audio route at the strip it ends at, before compensation."""
        compiled = self.compiled
        if not compiled.routes[route].enabled or route in self.loops.feedback:
            return None
        come = self.at_tap(route)
        if come is None or compiled.routes[route].kind != "tie":
            return come
        tie = self.tie_samples(route)
        return come[0] + (tie if self.rule.covers_ties else 0), come[1].later(tie)

    def tie_samples(self, route: int) -> int:
        """What the sending machine's tie takes; nothing for other routes."""
        if self.compiled.routes[route].kind != "tie":
            return 0
        tail = self.compiled.strips[self.compiled.tail[route]]
        return self._machines[tail.machine or self._first].tie_latency_samples

    def keys_to(self, node: int) -> list[int]:
        """Key routes that end at a keyed insert."""
        return self._keys_to.get(node, [])

    def _strip(self, number: int) -> None:
        compiled, strip = self.compiled, self.compiled.strips[number]
        if not strip.in_service:
            return
        own = self.source_span(number)
        found = []
        for route in compiled.ins[number]:
            come = self.coming(route)
            if come is not None:
                found.append((route, come))
        if own is None and not found:
            return
        latest = max([come[0] for _route, come in found] + ([own[0]] if own else []))
        span = None
        for route, (reported, actual) in found:
            come_in = actual.later(self._delay(route, latest - reported))
            span = come_in if span is None else span.joined(come_in)
        if own:
            delay = self._held(latest - own[0])
            if delay:
                self.own_delay[number] = delay
            span = own[1].later(delay) if span is None else span.joined(own[1].later(delay))
        self.at_in[number], self.reported[number] = span, latest
        if strip.inserts:
            self.chain[number] = chain_samples(strip.inserts)

    def _held(self, samples: int) -> int:
        return min(samples, self.limit) if self.rule.mode == "full" else 0

    def _delay(self, route: int, samples: int) -> int:
        self.wants[route] = samples if self.rule.mode == "full" else 0
        self.delays[route] = self._held(samples)
        return self.delays[route]

    def _keyed(self, node: int) -> None:
        """An insert and its keys wait for each other where the host covers keys."""
        number = self.loops.insert_strips[node - len(self.compiled.strips)]
        strip = self.compiled.strips[number]
        insert = strip.inserts[self.loops.place[node]]
        keys = [(route, come) for route in self._keys_to[node] if (come := self.coming(route)) is not None]
        if not keys or not strip.in_service or self.at_in[number] is None:
            return
        if not self.rule.covers_keys or insert.key != "external" or insert.state == "unloaded":
            for route, _come in keys:
                self._delay(route, 0)
            return
        audio = self.reported[number] + self.before(number, self.loops.place[node])[0]
        latest = max(audio, *(come[0] for _route, come in keys))
        for route, (reported, _actual) in keys:
            self._delay(route, latest - reported)
        wait = self._held(latest - audio)
        if wait:
            self.waits[node] = wait
            reported, actual = self.chain[number]
            self.chain[number] = reported + wait, actual + wait

    # what is asked for

    def before(self, number: int, place: int) -> tuple[int, int]:
        """(reported, actual) samples from `in` to the insert at a place, waits of the keyed ones before it included."""
        reported, actual = chain_samples(self.compiled.strips[number].inserts[:place])
        for node in self.loops.keyed.get(number, ()):
            if self.loops.place[node] < place:
                reported += self.waits.get(node, 0)
                actual += self.waits.get(node, 0)
        return reported, actual

    def at_pre(self, number: int) -> Span | None:
        """Actual arrival behind the inserts; `post` is the same."""
        span = self.at_in[number]
        return None if span is None else span.later(self.chain[number][1])

    def brought(self, route: int) -> Span | None:
        """Actual arrival of a route at its end, compensation included; None where it carries nothing."""
        come = self.coming(route)
        return None if come is None or route not in self.delays else come[1].later(self.delays[route])

    def at_insert(self, node: int) -> Span | None:
        """Actual arrival of the audio at a keyed insert, its wait included."""
        number = self.loops.insert_strips[node - len(self.compiled.strips)]
        span = self.at_in[number]
        if span is None:
            return None
        return span.later(self.before(number, self.loops.place[node])[1] + self.waits.get(node, 0))

    def recorded(self, number: int) -> tuple[int, Span] | None:
        """(reported, actual) at the stage a print records, before it is padded."""
        span = self.at_in[number]
        if span is None:
            return None
        if self.compiled.strips[number].records == "in":
            return self.reported[number], span
        reported, actual = self.chain[number]
        return self.reported[number] + reported, span.later(actual)

    @cached_property
    def prints(self) -> dict[int, Span]:
        """Print → actual time of what it records; padded to the latest of all prints where the host covers them."""
        found = {}
        for number, strip in enumerate(self.compiled.strips):
            if strip.kind == "print" and strip.in_service and (come := self.recorded(number)) is not None:
                found[number] = come
        padded = self.rule.covers_prints and self.rule.mode == "full"
        latest = max((reported for reported, _span in found.values()), default=0)
        return {n: span.later(latest - reported if padded else 0) for n, (reported, span) in found.items()}

    @cached_property
    def outputs(self) -> dict[int, int]:
        """Endpoint output → samples to the physical output: latest actual arrival at `post` and the machine's own."""
        found = {}
        for number, strip in enumerate(self.compiled.strips):
            if strip.kind == "output" and strip.in_service and number not in self.compiled.tied_out:
                span = self.at_pre(number)
                if span is not None:
                    found[number] = span.latest + self._machines[strip.machine or self._first].output_latency_samples
        return found

    @property
    def total_samples(self) -> int | None:
        return max(self.outputs.values(), default=None)


def actual_samples(insert: Insert) -> int:
    """What an insert really takes: measured where it was, else as reported; nothing where it is unloaded."""
    if insert.state == "unloaded":
        return 0
    return insert.latency_samples if insert.measured_latency_samples is None else insert.measured_latency_samples


def chain_samples(inserts: tuple[Insert, ...]) -> tuple[int, int]:
    """(reported, actual) samples of a row of inserts."""
    reported = actual = 0
    for insert in inserts:
        if insert.state != "unloaded" and (insert.latency_samples or insert.measured_latency_samples):
            reported += insert.latency_samples
            actual += actual_samples(insert)
    return reported, actual
