"""When sound arrives: reported and actual, in samples at the template's rate (docs/reference/checks.md, *Timing*).

Over enabled routes between strips in service that carry a source; mutes, gains and monitoring are ignored. The host
delays routes by the latency that plug-ins report; if that differs from the actual one, copies diverge.
"""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

from lattice.graph.loops import LoopGraph
from lattice.graph.signal_graph import IN, SignalGraph
from lattice.model.document import Insert, Strip, actual_latency_samples, source_of

# No limit, as a number of samples that is never reached.
NEVER = 1 << 60


class Span(NamedTuple):
    """Earliest and latest actual arrival, samples; `playback` and `live` apart, None where there is none."""

    playback: tuple[int, int] | None
    live: tuple[int, int] | None

    @property
    def earliest(self) -> int:
        """The earliest of both, samples."""
        return min(span[0] for span in self if span)

    @property
    def latest(self) -> int:
        """The latest of both, samples."""
        return max(span[1] for span in self if span)

    @property
    def words(self) -> str:
        """“64”, or “64 to 128”."""
        return str(self.latest) if self.earliest == self.latest else f"{self.earliest} to {self.latest}"

    def later(self, samples: int) -> Span:
        """The same so many samples later."""
        if not samples:
            return self
        return Span(
            self.playback and (self.playback[0] + samples, self.playback[1] + samples),
            self.live and (self.live[0] + samples, self.live[1] + samples),
        )


# a route, its latency as the host counts it, playback and live spans
Brought = tuple[int, int, tuple[int, int] | None, tuple[int, int] | None]


def _apart(spans: list[tuple[int, int]]) -> int:
    """Latest − earliest, if it is more than the largest span of one input; 0 otherwise."""
    if len(spans) < 2:
        return 0
    whole = max(span[1] for span in spans) - min(span[0] for span in spans)
    return whole if whole > max(span[1] - span[0] for span in spans) else 0


class Arrivals:
    """When sound arrives, reported and actual, in samples at the template's rate (docs/reference/checks.md, *Timing*).

    Parameters
    ----------
    loops
        The order of the flow, and the cut that opens loops.

    Attributes
    ----------
    reported : list
        By strip, the latency at its `in` as the host counts it; None without a source.
    chain : list
        By strip, (reported, actual) samples from `in` to `pre`.
    waits : dict
        Node of a keyed insert → samples that the audio there is held for its keys.
    delays : dict
        Audio or key route that carries something → its compensation, samples.
    wants : dict
        Route → the compensation it would need without a limit, if there is one.
    apart : dict
        Strip → latest − earliest over a sum's routes, if that is more than the span of any one of them; live sound and
        playback separately.

    Notes
    -----
    O(strips + routes).
    """

    def __init__(self, loops: LoopGraph) -> None:
        self.loops, self.order = loops, loops.order
        graph: SignalGraph = loops.graph
        self.graph = graph
        template = graph.template
        self.rule = template.compensation
        self.limit = NEVER if self.rule.limit_samples is None else self.rule.limit_samples
        self._most = self.limit if self.rule.mode == "full" else 0  # that a route or insert is held
        count = len(graph.strips)
        self._playback: list[tuple[int, int] | None] = [None] * count
        self._live: dict[int, tuple[int, int]] = {}
        self.reported: list[int] = [0] * count
        self.chain: list[tuple[int, int]] = [(0, 0)] * count
        for strip_number, samples in graph.inserts.latency.items():
            self.chain[strip_number] = samples
        self.waits: dict[int, int] = {}
        self.delays: dict[int, int] = {}
        self.wants: dict[int, int] = {}
        self.apart: dict[int, int] = {}
        self.own_delay: dict[int, int] = {}
        self._machines = {machine.id: machine for machine in template.machines}
        self._first = template.machines[0].id
        self._keys_to: dict[int, list[int]] = {}
        for route in graph.keys:
            node = loops.insert_nodes[graph.key_node[route][1]]
            self._keys_to.setdefault(node, []).append(route)
        self._start()
        fed = graph.ins
        for node in self.order:
            if node >= count:
                self._keyed(node)
            elif fed[node] and graph.strips[node].in_service:
                self._sum(node, fed[node], self.source_span(node))

    # one strip

    def source_span(self, number: int) -> tuple[int, Span] | None:
        """(reported, actual) of a strip's own source; None where its chain plays nothing."""
        graph = self.graph
        if not graph.is_source[number] or graph.passes_input[number] or not graph.main_open[number]:
            return None
        return self._source(graph.strips[number])

    def _source(self, strip: Strip) -> tuple[int, Span]:
        if strip.kind == "input":  # live: a host cannot delay playback for it
            machine = self._machines[strip.machine or self._first]
            actual = machine.input_latency_samples + self.graph.template.buffer_samples
            return 0, Span(None, (actual, actual))
        actual = actual_latency_samples(strip)
        return strip.latency_samples, Span((actual, actual), None)

    @property
    def at_in(self) -> list[Span | None]:
        """Actual arrivals at every strip's `in`, behind compensation."""
        return [self.span(number) for number in range(len(self.graph.strips))]

    def span(self, number: int) -> Span | None:
        """Actual arrival at a strip's `in`, behind compensation."""
        playback, live = self._playback[number], self._live.get(number)
        return None if playback is None and live is None else Span(playback, live)

    def at_tap(self, route: int) -> tuple[int, Span] | None:
        """(reported, actual) where a route leaves; None where it carries no source."""
        graph = self.graph
        tail, outlet = graph.tail[route], graph.outlet[route]
        strip = graph.strips[tail]
        if not strip.in_service:
            return None
        if outlet >= 0:
            taken_outlet = graph.outlets[outlet][1]
            return self._source(strip) if taken_outlet.open and self._outlet_plays(tail, outlet) else None
        span = self.span(tail)
        if span is None:
            return None
        if graph.stage[route] == IN:
            return self.reported[tail], span
        reported, actual = self.chain[tail]
        return self.reported[tail] + reported, span.later(actual)

    def _outlet_plays(self, strip: int, outlet: int) -> bool:
        piece = self.graph.strips[strip]
        return source_of(piece, self.graph.outlets[outlet][1]) is not None or "spare" in piece.tags

    def coming(self, route: int) -> tuple[int, Span] | None:
        """(reported, actual) of a route at the strip it ends at, before compensation."""
        graph = self.graph
        if not graph.routes[route].enabled or route in self.loops.feedback:
            return None
        come = self.at_tap(route)
        if come is None or graph.routes[route].kind != "tie":
            return come
        tie = self.tie_samples(route)
        return come[0] + (tie if self.rule.covers_ties else 0), come[1].later(tie)

    def tie_samples(self, route: int) -> int:
        """The latency of the sending machine's tie; 0 for other routes."""
        if self.graph.routes[route].kind != "tie":
            return 0
        tail = self.graph.strips[self.graph.tail[route]]
        return self._machines[tail.machine or self._first].tie_latency_samples

    def keys_to(self, node: int) -> list[int]:
        """Key routes that end at a keyed insert."""
        return self._keys_to.get(node, [])

    def _start(self) -> None:
        """Strips without inputs have their source's own latency."""
        graph = self.graph
        is_source, main_open, reported, playback = graph.is_source, graph.main_open, self.reported, self._playback
        for strip_number, (strip, routes) in enumerate(zip(graph.strips, graph.ins, strict=True)):
            if routes or not is_source[strip_number] or not strip.in_service or not main_open[strip_number]:
                continue
            if strip.kind == "input":
                span = self._source(strip)[1]
                if span.live:
                    self._live[strip_number] = span.live
            else:
                took, measured = strip.latency_samples, strip.measured_latency_samples
                reported[strip_number] = took
                playback[strip_number] = (took, took) if measured is None else (measured, measured)

    def _sum(  # noqa: C901, PLR0912 - the innermost loop of timing, told apart by ifs and not by calls
        self, strip_number: int, routes: list[int], own: tuple[int, Span] | None
    ) -> None:
        """The signals of routes and of the strip's own source, each delayed to the latest."""
        brought, latest = self._brought_to(routes)
        if not brought and own is None:
            return
        if own is not None:
            latest = max(latest, own[0])
        most, limited, delays = self._most, self.rule.limit_samples is not None, self.delays
        earliest, last, largest = NEVER, -1, 0
        live: list[tuple[int, int]] = []
        for route, reported, span, its_live in brought:
            held = latest - reported
            # plain comparisons: a call of min or max for each route is a third of this loop
            if held > most:  # noqa: PLR1730
                held = most
            delays[route] = held
            if limited:
                self.wants[route] = latest - reported if self.rule.mode == "full" else 0
            if span is not None:
                first, end = span
                if first + held < earliest:  # noqa: PLR1730
                    earliest = first + held
                if end + held > last:  # noqa: PLR1730
                    last = end + held
                if end - first > largest:  # noqa: PLR1730
                    largest = end - first
            if its_live is not None:
                live.append((its_live[0] + held, its_live[1] + held))
        if len(brought) > 1:
            apart = max(last - earliest if last - earliest > largest else 0, _apart(live))
            if apart > 0:
                self.apart[strip_number] = apart
        if own is not None:
            held = self.own_delay[strip_number] = min(latest - own[0], most)
            if own[1].playback is not None:
                earliest, last = min(earliest, own[1].playback[0] + held), max(last, own[1].playback[1] + held)
            if own[1].live is not None:
                live.append((own[1].live[0] + held, own[1].live[1] + held))
        self.reported[strip_number] = latest
        self._playback[strip_number] = (earliest, last) if last >= 0 else None
        if live:
            self._live[strip_number] = min(span[0] for span in live), max(span[1] for span in live)

    def _brought_to(self, routes: list[int]) -> tuple[list[Brought], int]:
        """The arrivals of routes that carry a source, before compensation, and the latest one they report."""
        graph, brought, latest = self.graph, [], -1
        pieces, cut, reported, spans, live = (
            graph.routes,
            self.loops.feedback,
            self.reported,
            self._playback,
            self._live,
        )
        tails, stages, outlets, chain = graph.tail, graph.stage, graph.outlet, self.chain
        for route in routes:
            taken, tail = pieces[route], tails[route]
            if not taken.enabled or route in cut:
                continue
            if outlets[route] >= 0 or taken.kind == "tie" or tail in live:
                come = self.coming(route)
                if come is None:
                    continue
                told, (span, its_live) = come
            else:
                told, span, its_live = reported[tail], spans[tail], None
                if span is None:
                    continue
                if stages[route] != IN:
                    more, took = chain[tail]
                    told += more
                    if took:
                        span = span[0] + took, span[1] + took
            if told > latest:  # noqa: PLR1730
                latest = told
            brought.append((route, told, span, its_live))
        return brought, latest

    def _held(self, samples: int) -> int:
        return min(samples, self._most)

    def _delay(self, route: int, samples: int) -> None:
        if self.rule.limit_samples is not None:
            self.wants[route] = samples if self.rule.mode == "full" else 0
        self.delays[route] = self._held(samples)

    def _keyed(self, node: int) -> None:
        """An insert and its keys wait for each other where the host covers keys."""
        strip_number = self.loops.insert_strips[node - len(self.graph.strips)]
        strip = self.graph.strips[strip_number]
        insert = strip.inserts[self.loops.place[node]]
        keys = [(route, come) for route in self._keys_to[node] if (come := self.coming(route)) is not None]
        if not keys or not strip.in_service or self.span(strip_number) is None:
            return
        if not self.rule.covers_keys or insert.key != "external" or insert.state == "unloaded":
            for route, _come in keys:
                self._delay(route, 0)
            return
        audio = self.reported[strip_number] + self.before(strip_number, self.loops.place[node])[0]
        latest = max(audio, *(come[0] for _route, come in keys))
        for route, (reported, _actual) in keys:
            self._delay(route, latest - reported)
        wait = self._held(latest - audio)
        if wait:
            self.waits[node] = wait
            reported, actual = self.chain[strip_number]
            self.chain[strip_number] = reported + wait, actual + wait

    # requested part

    def before(self, number: int, place: int) -> tuple[int, int]:
        """The latency of a strip from `in` to an insert.

        Parameters
        ----------
        number
            Position of the strip.
        place
            Position of the insert in its chain; the waits of keyed inserts before it are included.

        Returns
        -------
        tuple of int
            Samples as reported to the host, and as they really are.
        """
        reported, actual = chain_samples(self.graph.strips[number].inserts[:place])
        for node in self.loops.keyed.get(number, ()):
            if self.loops.place[node] < place:
                reported += self.waits.get(node, 0)
                actual += self.waits.get(node, 0)
        return reported, actual

    def at_pre(self, number: int) -> Span | None:
        """Actual arrival behind the inserts; `post` is the same."""
        span = self.span(number)
        return None if span is None else span.later(self.chain[number][1])

    def brought(self, route: int) -> Span | None:
        """Actual arrival of a route at its end, compensation included; None where it carries nothing."""
        come = self.coming(route)
        return None if come is None or route not in self.delays else come[1].later(self.delays[route])

    def at_insert(self, node: int) -> Span | None:
        """Actual arrival of the audio at a keyed insert, its wait included."""
        number = self.loops.insert_strips[node - len(self.graph.strips)]
        span = self.span(number)
        if span is None:
            return None
        return span.later(self.before(number, self.loops.place[node])[1] + self.waits.get(node, 0))

    def recorded(self, number: int) -> tuple[int, Span] | None:
        """(reported, actual) at the stage a print records, before it is padded."""
        span = self.span(number)
        if span is None:
            return None
        if self.graph.strips[number].records == "in":
            return self.reported[number], span
        reported, actual = self.chain[number]
        return self.reported[number] + reported, span.later(actual)

    @cached_property
    def prints(self) -> dict[int, Span]:
        """Print → actual time of its recording; padded to the latest of all prints if the host compensates for them."""
        found = {}
        for number in self.graph.by_kind["print"]:
            if self.graph.strips[number].in_service and (come := self.recorded(number)) is not None:
                found[number] = come
        padded = self.rule.covers_prints and self.rule.mode == "full"
        latest = max((reported for reported, _span in found.values()), default=0)
        return {n: span.later(latest - reported if padded else 0) for n, (reported, span) in found.items()}

    @cached_property
    def outputs(self) -> dict[int, int]:
        """Endpoint output → samples to the physical output: latest actual arrival at `post` and the machine's own."""
        found = {}
        for number in self.graph.by_kind["output"]:
            strip = self.graph.strips[number]
            if strip.in_service and number not in self.graph.tied_out:
                span = self.at_pre(number)
                if span is not None:
                    found[number] = span.latest + self._machines[strip.machine or self._first].output_latency_samples
        return found

    @property
    def latest_output(self) -> int | None:
        """The output with the latest arrival; of several the first."""
        return max(self.outputs, key=lambda number: (self.outputs[number], -number), default=None)

    @property
    def total_samples(self) -> int | None:
        """The latency of the whole template: the latest of all outputs; None if none has sound."""
        return max(self.outputs.values(), default=None)


def actual_samples(insert: Insert) -> int:
    """The actual latency of an insert: measured if known, else as reported; 0 if it is unloaded."""
    if insert.state == "unloaded":
        return 0
    return actual_latency_samples(insert)


def chain_samples(inserts: tuple[Insert, ...]) -> tuple[int, int]:
    """The latency of a row of inserts.

    Returns
    -------
    tuple of int
        Samples as reported to the host, and the actual ones (measured if known).
    """
    reported = actual = 0
    for insert in inserts:
        if insert.state != "unloaded" and (insert.latency_samples or insert.measured_latency_samples):
            reported += insert.reported_samples
            actual += actual_samples(insert)
    return reported, actual
