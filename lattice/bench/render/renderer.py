"""A template at work: sound from its sources through every strip and insert, block by block, in the order of the flow.

Only strips in which something sounds are gone through, so that a long run in which little plays at a time is short.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, field
from heapq import heappop, heappush
from typing import NamedTuple

import numpy as np

from lattice.bench.render.host import HostDelays, source_samples, tie_samples
from lattice.bench.render.inserts import Dynamics
from lattice.bench.render.lines import SILENT, Block, Delay, Sound
from lattice.bench.render.strips import Playing, RouteWork, StripRenderer
from lattice.bench.render.timetable import Timetable
from lattice.bench.signals import Signal
from lattice.errors import EditError
from lattice.graph.loops import LoopGraph
from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import IN, POST, PRE, SignalGraph
from lattice.model.document import Route, Template
from lattice.model.layouts import channel_count, channel_to_channel, listed, mapping, pan_gains
from lattice.model.units import gain

LEAST_BLOCK = 8192  # samples of a block without a loop
RUNS_AWAY = 1000.0  # +60 dBFS: a loop that gets there does not come back
RECORDED = -2  # as a stage: the recorded stage of a print, delayed for the other prints
AT_POST = -1  # as a place


class Tap(NamedTuple):
    """A place where sound is taken: `in` is 0, behind the n-th insert n, behind the fader AT_POST; or an outlet."""

    strip: int
    place: int = 0
    outlet: int = NO_OUTLET


Listener = Callable[[Tap, int, Block], None]  # a tap, the first sample of the block, the block


@dataclass
class Rendered:
    """One block: the sound at the requested taps; silent ones are missing."""

    start: int
    count: int
    sound: dict[Tap, Block] = field(default_factory=dict)


class RunsAwayError(EditError):
    """A loop got louder and louder, so that the run was ended."""


class Renderer:
    """Sound through a template.

    Parameters
    ----------
    template
        The template.
    playing
        Signals of the sources; sources without one are silent.
    taps
        Where it is listened.
    host
        Compensation, where it is not the template's own: of the session that the map shows.
    crossed
        Strips whose first two channels are exchanged.

    Notes
    -----
    Blocks have the buffer of the template if a loop returns a buffer later, else as many buffers as make 8192 samples.
    Inserts work by samples, not blocks, so the sound is the same.
    """

    def __init__(
        self,
        template: Template,
        playing: Mapping[Origin, Signal],
        taps: Collection[Tap],
        host: HostDelays | None = None,
        crossed: Collection[str] = (),
    ) -> None:
        self.template = template
        graph = self.graph = SignalGraph(template)
        self.loops = LoopGraph(graph)
        self.reach = Reach(graph, states=True)
        self.host = host or HostDelays(self.loops)
        buffer = template.buffer_samples
        self.size = buffer if self.loops.feedback else buffer * -(-LEAST_BLOCK // buffer)
        self.taps = frozenset(taps)
        self.listener: Listener | None = None  # called at once with the sound, so that no block is stored
        self._number_nodes()
        waits: dict[int, dict[int, int]] = {}
        for (number, place), samples in self.host.waits.items():
            waits.setdefault(number, {})[place] = samples
        self.strips = [
            StripRenderer(
                strip, waits.get(number, {}), self.keyed[number], template.sample_rate_hz, self.size,
                crossed=strip.id in crossed,
            )
            for number, strip in enumerate(graph.strips)
        ]  # fmt: skip
        self.outlets = [self._playing(Origin(*at), playing) for at in self._outlet_origins()]
        for number, work in enumerate(self.strips):
            work.playing = self._playing(Origin(number), playing)
        self._connect()
        self._at_in: list[Sound] = [None] * len(graph.strips)
        self._at_pre: list[Sound] = [None] * len(graph.strips)
        self._at_post: list[Sound] = [None] * len(graph.strips)
        self._at_outlet: list[Sound] = [None] * len(graph.outlets)
        self._between: list[Sound] = [None] * len(graph.strips)  # where the chain waits for a key
        self._fed_back: dict[int, Sound] = {}
        self._busy: set[int] = set()
        self._sources_due = Timetable(self._sources())
        self.pads = {number: Delay(samples) for number, samples in self.host.prints.items()}

    # built once

    def _number_nodes(self) -> None:
        """Nodes of the flow: strips, and the stretches of chains that begin with a keyed insert."""
        loops, count = self.loops, len(self.graph.strips)
        self.rank = {node: rank for rank, node in enumerate(loops.order)}
        self.stretch_of: dict[int, tuple[int, int]] = {}  # node → (strip, stretch)
        self.nodes_of: list[list[int]] = [[number] for number in range(count)]
        self.keyed: list[list[int]] = [[] for _ in range(count)]
        for strip, nodes in loops.keyed.items():
            ordered = sorted(nodes, key=loops.place.__getitem__)
            self.keyed[strip] = [loops.place[node] for node in ordered]
            self.nodes_of[strip] += ordered
        for strip, nodes in enumerate(self.nodes_of):
            for stretch, node in enumerate(nodes):
                self.stretch_of[node] = strip, stretch

    def _outlet_origins(self) -> Iterator[tuple[int, int]]:
        return ((strip, number) for number, (strip, _outlet) in enumerate(self.graph.outlets))

    def _playing(self, origin: Origin, playing: Mapping[Origin, Signal]) -> Playing | None:
        """A source at its entry; None if it has no signal or settings block it."""
        reach, number = self.reach, origin.strip
        sounds = reach.sounds[number] if origin.is_chain else reach.outlet_sounds(origin.outlet)
        if not sounds or origin not in playing:
            return None
        held = self.host.own.get(number, 0) if origin.is_chain else 0
        return Playing(playing[origin], source_samples(self.graph, number) + held)

    def _connect(self) -> None:
        """Open routes, by the strip or the keyed insert at their end, and the successors of each strip."""
        graph, reach, cut = self.graph, self.reach, self.loops.feedback
        self.key_ins: dict[int, list[tuple[int, RouteWork]]] = {}
        self.follow: list[set[int]] = [set() for _ in graph.strips]
        self.wanted: list[set[int]] = [set() for _ in graph.strips]  # stages where open routes begin
        self.outlet_follow: list[set[int]] = [set() for _ in graph.outlets]
        self.back: dict[int, int] = {}  # feedback route → the node that receives it a buffer later
        for number, route in enumerate(graph.routes):
            tail, head, outlet = graph.tail[number], graph.head[number], graph.outlet[number]
            if route.kind == "midi" or not reach.route_ok[number] or route.gain_db is None:
                continue
            if not reach.passes_on(tail) and outlet < 0:
                continue
            if route.kind == "key":
                node = self.loops.insert_nodes[graph.key_node[number][1]]
                work = RouteWork(self._key_matrix(number), gain(route.gain_db), self.host.routes.get(number, 0))
                self.key_ins.setdefault(node, []).append((number, work))
            elif reach.entered[head]:
                node = head
                late = self.host.routes.get(number, 0) + tie_samples(graph, number)
                work = RouteWork(self._matrix(number, route), gain(route.gain_db), late)
                self.strips[head].ins.append((number, work))
            else:
                continue
            if outlet < 0:
                self.wanted[tail].add(graph.stage[number])
            if number in cut:
                self.back[number] = node
            elif outlet >= 0:
                self.outlet_follow[outlet].add(node)
            else:
                self.follow[tail].add(node)

    def _matrix(self, number: int, route: Route) -> Block | None:
        graph = self.graph
        layout, there = graph.leaving[number], graph.strips[graph.head[number]].layout
        if route.channels is not None:
            return np.array(listed(layout, there, route.channels))
        if layout == there:
            return None
        if layout != "mono" or there == "mono":
            return np.array(mapping(layout, there))
        own = route.kind == "feed" and route.tap == "post-fader" and route.from_outlet is None
        pan = graph.strips[graph.tail[number]].pan if own else route.pan
        return np.array(mapping(layout, there, *pan_gains(pan, self.template.pan_law_db)))

    def _key_matrix(self, number: int) -> Block:
        """A key receives channel n on channel n (docs/reference/model.md, *Mapping*)."""
        graph = self.graph
        work = self.strips[graph.head[number]].works[graph.place_of_key(number)]
        return np.array(channel_to_channel(work.key_channels, channel_count(graph.leaving[number])))

    # run

    def blocks(self, samples: int) -> Iterator[Rendered]:
        """Blocks from the first sample on, until so many have been rendered.

        Raises
        ------
        RunsAwayError
            Where a loop gets louder than +60 dBFS.
        """
        start = 0
        while start < samples:
            if not self._busy and not any(block is not None for block in self._fed_back.values()):
                first = min(self._sources_due.first, samples)
                silent_until = start + (first - start) // self.size * self.size
                if silent_until > start:
                    yield Rendered(start, silent_until - start)
                    start = silent_until
                    continue
            done = Rendered(start, min(self.size, samples - start))
            self._block(done, self.size)
            yield done
            start += done.count

    def _sources(self) -> Iterator[tuple[int, Playing]]:
        """Sources that play, by number: strips, then outlets."""
        for number, work in enumerate(self.strips):
            if work.playing is not None:
                yield number, work.playing
        for number, source in enumerate(self.outlets, start=len(self.strips)):
            if source is not None:
                yield number, source

    def _block(self, done: Rendered, count: int) -> None:
        """One block of the whole size; of the last one the run takes less."""
        start = done.start
        waiting: list[tuple[int, int]] = []
        seen: set[int] = set()

        def ask(nodes: Collection[int]) -> None:
            for node in nodes:
                if node not in seen:
                    seen.add(node)
                    heappush(waiting, (self.rank[node], node))

        ask(self._busy)
        ask([self.back[route] for route, block in self._fed_back.items() if block is not None])
        self._at_outlet = [None] * len(self.outlets)
        for number in self._sources_due.playing_in(start, count):
            if number < len(self.strips):
                ask([number])
            else:
                self._outlet(number - len(self.strips), start, count, done)
                ask(self.outlet_follow[number - len(self.strips)])
        touched = list[int]()
        while waiting:
            node = heappop(waiting)[1]
            strip, stretch = self.stretch_of[node]
            touched.append(strip)
            if node < len(self.strips):
                self._enter(node, start, count, done)
            self._through(node, strip, stretch, count, done)
            nodes = self.nodes_of[strip]
            if stretch + 1 < len(nodes):
                ask(nodes[stretch + 1 : stretch + 2])
            if any(at[strip] is not None for at in (self._at_in, self._at_pre, self._at_post)):
                ask(self.follow[strip] - seen)
        self._feed_back()
        for strip in touched:
            self._at_in[strip] = self._at_pre[strip] = self._at_post[strip] = self._between[strip] = None

    def _outlet(self, number: int, start: int, count: int, done: Rendered) -> None:
        source = self.outlets[number]
        block = source.block(start, count) if source is not None else None
        self._at_outlet[number] = block
        self._heard(Tap(self.graph.outlets[number][0], 0, number), block, done)

    def _enter(self, number: int, start: int, count: int, done: Rendered) -> None:
        """The sum at a strip's `in`: its own source and its routes."""
        work = self.strips[number]
        total: Sound = None if work.playing is None else work.playing.block(start, count)
        total = self._brought(work.ins, count, total)
        total = work.entering(total)
        self._between[number] = total
        self._at_in[number] = total if IN in self.wanted[number] else None
        self._heard(Tap(number, 0), total, done)
        if work.strip.kind == "print" and work.strip.records == "in":
            self._record(number, total, count, done)

    def _brought(self, ins: list[tuple[int, RouteWork]], count: int, total: Sound) -> Sound:
        is_ours = False
        for route, work in ins:
            block = self._at_tap(route)
            if block is None and not work.delay.is_busy:
                continue
            come = work.feed(block, count)
            if come is None:
                continue
            if total is None:
                total = come
            elif is_ours:
                total += come
            else:
                total, is_ours = total + come, True
        return total

    def _at_tap(self, route: int) -> Sound:
        graph = self.graph
        if route in self.back:
            return self._fed_back.get(route)
        if graph.outlet[route] >= 0:
            return self._at_outlet[graph.outlet[route]]
        stage, tail = graph.stage[route], graph.tail[route]
        return (self._at_in if stage == IN else self._at_post if stage == POST else self._at_pre)[tail]

    def _through(self, node: int, strip: int, stretch: int, count: int, done: Rendered) -> None:
        """One stretch of a chain; behind the last one, the fader."""
        work, block = self.strips[strip], self._between[strip]
        heard = self._brought(self.key_ins.get(node, []), count, None) if stretch else None
        place = work.starts[stretch]
        for insert in work.stretch(stretch):
            block = insert.feed(block, count, heard if place == work.starts[stretch] and stretch else None)
            place += 1
            if insert.insert.feedback >= 1:
                self._hold(block, f"{insert.insert.name or 'A delay'} on {work.strip.name} feeds itself")
            self._heard(Tap(strip, place), block, done)
        self._between[strip] = block
        is_last = stretch + 1 == len(work.starts)
        if is_last:
            block = work.behind(block)
            post = work.post(block) if POST in self.wanted[strip] or Tap(strip, AT_POST) in self.taps else None
            self._at_pre[strip] = block if PRE in self.wanted[strip] else None
            self._at_post[strip] = post if POST in self.wanted[strip] else None
            self._heard(Tap(strip, AT_POST), post, done)
            if work.strip.kind == "print" and work.strip.records == "pre":
                self._record(strip, block, count, done)
        self._note_busy(node, strip, stretch)

    def _record(self, number: int, block: Sound, count: int, done: Rendered) -> None:
        if number in self.pads:
            self._heard(Tap(number, RECORDED), self.pads[number].feed(block, count), done)

    def _heard(self, tap: Tap, block: Sound, done: Rendered) -> None:
        if block is None or tap not in self.taps:
            return
        block = block[:, : done.count]
        if self.listener is None:
            done.sound[tap] = block
        else:
            self.listener(tap, done.start, block)

    def _note_busy(self, node: int, strip: int, stretch: int) -> None:
        """Return whether the node has to be gone through in the next block, whatever comes."""
        work = self.strips[strip]
        ins = work.ins if stretch == 0 else self.key_ins.get(node, [])
        busy = any(one.is_busy for one in work.stretch(stretch)) or any(route.delay.is_busy for _n, route in ins)
        if not busy and work.strip.kind == "print" and strip in self.pads:
            busy = self.pads[strip].is_busy
        (self._busy.add if busy else self._busy.discard)(node)

    def _feed_back(self) -> None:
        """The output of routes that close a loop arrives a buffer later."""
        graph = self.graph
        for route in self.back:
            outlet, stage, tail = graph.outlet[route], graph.stage[route], graph.tail[route]
            if outlet >= 0:
                block = self._at_outlet[outlet]
            else:
                block = (self._at_in if stage == IN else self._at_post if stage == POST else self._at_pre)[tail]
            loudest = self._hold(block, f"{graph.strips[tail].name} feeds itself")
            self._fed_back[route] = block if loudest > SILENT else None

    @staticmethod
    def _hold(block: Sound, words: str) -> float:
        """The highest sample of a block. Raises RunsAwayError where it has run away."""
        loudest = 0.0 if block is None else float(np.abs(block).max())
        if loudest > RUNS_AWAY:
            raise RunsAwayError(f"{words} and runs away: the run was stopped at +60 dBFS")
        return loudest

    # after the followers

    def reductions(self) -> dict[str, list[float]]:
        """Insert → its gain reduction, in steps of 64 samples from its first input."""
        return {
            insert.insert.id: insert.effect.follower.reduction_db
            for work in self.strips
            for insert in work.works
            if isinstance(insert.effect, Dynamics)
        }
