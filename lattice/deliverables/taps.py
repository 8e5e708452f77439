"""The stems, returns and keys that every source reaches: one sweep against the flow, with bits for targets.

A stem's tap is a stage of its strip. A path passes the tap if it leaves the strip at that stage or a later one.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property

from lattice.graph.loops import LoopGraph
from lattice.graph.origin import Origin
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import PRE, STAGE_OF_TAP
from lattice.model.document import Stem


class Taps:
    """The stems, returns and keyed inserts that every source reaches over unblocked paths.

    Parameters
    ----------
    reach
        Reach over unblocked routes.
    loops
        The order of the flow.

    Notes
    -----
    One sweep against the flow with a bit for each target: O(strips + routes) without loops, else until no bit is added.
    Of the bits of a mask the first `count` are stems reached by any path, the next those by feeds (and ties) alone, the
    next mixes reached outside all taps of their set. Then one for each return and for each keyed insert. Stems of every
    role that have a strip are numbered as in the document.
    """

    def __init__(self, reach: Reach, loops: LoopGraph) -> None:
        self.reach, self.graph, self.loops = reach, reach.graph, loops
        self.stems: tuple[Stem, ...] = self.graph.template.stems
        self.count = len(self.stems)
        self.stage = [STAGE_OF_TAP[stem.tap] for stem in self.stems]
        self.returns = self.graph.by_kind["return"]
        self.sets = _sets(self.stems)
        self.all = (1 << self.count) - 1
        self._straight = ~(self.all << self.count)  # the rest of a mask after a send
        self._gates = self._passed()
        self._targets = self._bits_at_strips()
        self._keyed: dict[int, int] = {}  # key route → bit of the insert it works
        self.keys: list[tuple[int, str]] = []  # (strip, insert) by place among the bits
        self._number_keys()
        strips = len(self.graph.strips)
        self.fed = [0] * strips  # per strip, the reach of sound that arrives at its `in`
        self.own = [0] * strips  # and of its own source
        self.outlet = [0] * len(self.graph.outlets)
        self._sweep()

    # numbering

    def return_bit(self, place: int) -> int:
        """The bit of a return, by its place among all returns."""
        return 1 << (3 * self.count + place)

    def key_bit(self, place: int) -> int:
        """The bit of a keyed insert, by its place among them."""
        return 1 << (3 * self.count + len(self.returns) + place)

    def feeds(self, mask: int) -> int:
        """Stems that are reached by feeds alone."""
        return (mask >> self.count) & self.all

    def past(self, mask: int) -> int:
        """Mixes that are reached past all taps of their set."""
        return (mask >> (2 * self.count)) & self.all

    def open(self, stem: int) -> bool:
        """Sound at the `in` of the stem's strip reaches its tap."""
        strip = self.stems[stem].strip
        return strip is not None and self.reach.stem_open(stem, self.graph.index[strip])

    def _number_keys(self) -> None:
        places: dict[tuple[int, str], int] = {}
        for route in self.graph.keys:
            node = self.graph.key_node[route]
            if node not in places:
                places[node] = len(self.keys)
                self.keys.append(node)
            if self.reach.route_ok[route]:
                self._keyed[route] = self.key_bit(places[node])

    def _passed(self) -> dict[int, list[tuple[int, int]]]:
        """Strip → (stage of a tap, rest of a mask after it): its mixes are no longer reached outside all taps."""
        found: dict[int, list[tuple[int, int]]] = defaultdict(list)
        for number, stem in enumerate(self.stems):
            if stem.role == "stem" and stem.strip is not None:
                cleared = sum(1 << (2 * self.count + mix) for mix in self.sets[stem.set].mixes)
                found[self.graph.index[stem.strip]].append((self.stage[number], ~cleared))
        return found

    def _bits_at_strips(self) -> dict[int, int]:
        """Strip → bits of the stems that are taken at it now, and of itself where it is a return."""
        taken: dict[int, int] = defaultdict(int)
        for stem_number, stem in enumerate(self.stems):
            if stem.strip is None or not self.open(stem_number):
                continue
            strip = self.graph.index[stem.strip]
            bits = (1 << stem_number) | (1 << (self.count + stem_number))
            if stem.role == "mix" and self.sets[stem.set].stems:
                bits |= 1 << (2 * self.count + stem_number)
            taken[strip] |= self._behind(strip, self.stage[stem_number], bits)
        for place, strip in enumerate(self.returns):
            taken[strip] |= self.return_bit(place)
        return taken

    def _behind(self, strip: int, stage: int, bits: int) -> int:
        """The rest of a mask for a route that leaves a strip at a stage."""
        for tap, left in self._gates.get(strip, ()):
            if stage >= tap:
                bits &= left
        return bits

    # the sweep

    def _sweep(self) -> None:
        ins, strips = self.graph.ins, len(self.graph.strips)
        against = [node for node in reversed(self.loops.order) if node < strips]
        again = True
        while again:  # strips without inputs change no others: they come last
            again = self._walk(node for node in against if ins[node]) and bool(self.loops.feedback)
        self._walk(node for node in against if not ins[node])
        graph, ok, entered = self.graph, self.reach.route_ok, self.reach.entered
        for outlet, routes in enumerate(graph.outlet_outs):
            for route in routes:
                if ok[route] and entered[graph.head[route]]:
                    bits = self.fed[graph.head[route]]
                    self.outlet[outlet] |= bits & self._straight if graph.routes[route].kind == "send" else bits
        for route, bit in self._keyed.items():
            if graph.outlet[route] >= 0:
                self.outlet[graph.outlet[route]] |= bit

    def _walk(self, nodes: Iterable[int]) -> bool:
        """Once over some strips, against the flow; whether anything new was reached."""
        graph, fed, own, gates, targets = self.graph, self.fed, self.own, self._gates, self._targets
        ok, entered, monitors = self.reach.route_ok, self.reach.entered, self.reach.monitors
        head_of, stage, routes, outs, straight = graph.head, graph.stage, graph.routes, graph.outs, self._straight
        keys: dict[int, int] = defaultdict(int)
        for route, bit in self._keyed.items():
            if graph.outlet[route] < 0:
                keys[graph.tail[route]] |= bit
        new = False
        for node in nodes:
            leaves = keys.get(node, 0)
            for route in outs[node]:
                head = head_of[route]
                bits = fed[head]
                if not bits or not ok[route] or not entered[head]:
                    continue
                if routes[route].kind == "send":
                    bits &= straight
                leaves |= self._behind(node, stage[route], bits) if node in gates else bits
            here = targets.get(node, 0)
            if leaves | here == own[node]:
                continue
            own[node], fed[node], new = leaves | here, (leaves if monitors[node] else 0) | here, True
        return new

    # requested part

    def of(self, origin: Origin) -> int:
        """The mask of a source."""
        return self.own[origin.strip] if origin.is_chain else self.outlet[origin.outlet]

    def behind(self, strip: int, stage: int = PRE) -> int:
        """Stems that the output of a strip reaches, or that are tapped there.

        Parameters
        ----------
        strip
            Position of the strip.
        stage
            IN, PRE or POST: routes from this stage or a later one count.

        Returns
        -------
        int
            A bit for each stem.
        """
        graph, bits = self.graph, 0
        for stem in graph.stems_at.get(strip, ()):
            if self.stage[stem] >= stage and self.open(stem):
                bits |= 1 << stem
        if not (self.reach.monitors[strip] or self.reach.sounds[strip]):
            return bits
        for route in graph.outs[strip]:
            head = graph.head[route]
            if graph.stage[route] >= stage and self.reach.route_ok[route] and self.reach.entered[head]:
                bits |= self.fed[head]
        return bits & self.all

    def onward(self, strip: int, stage: int) -> list[int]:
        """Strips that sound leaving a strip at a stage or a later one arrives at."""
        graph = self.graph
        return [
            graph.head[route]
            for route in graph.outs[strip]
            if graph.stage[route] >= stage and self.reach.route_ok[route] and self.reach.entered[graph.head[route]]
        ]

    def named(self, bits: int) -> list[Stem]:
        """The stems of a mask, in document order."""
        return [stem for number, stem in enumerate(self.stems) if bits >> number & 1]

    @cached_property
    def parts(self) -> dict[int, int]:
        """Composite → bits of all stems it is made of, parts of parts included."""
        index = {stem.id: stem_number for stem_number, stem in enumerate(self.stems)}
        composites = {}
        for stem_number, stem in enumerate(self.stems):
            if stem.role == "composite":
                seen, waiting, bits = {stem_number}, list(stem.of), 0
                while waiting:
                    part = index[waiting.pop()]
                    if part not in seen:
                        seen.add(part)
                        if self.stems[part].role == "composite":
                            waiting += self.stems[part].of
                        else:
                            bits |= 1 << part
                composites[stem_number] = bits
        return composites


@dataclass
class StemSet:
    """One delivery: numbers of its stems and mixes, and their bits."""

    name: str
    stems: list[int] = field(default_factory=list)
    mixes: list[int] = field(default_factory=list)
    stem_bits: int = 0
    mix_bits: int = 0


def _sets(stems: tuple[Stem, ...]) -> dict[str, StemSet]:
    """Set → its stems and mixes, in the order of the document."""
    sets: dict[str, StemSet] = {}
    for stem_number, stem in enumerate(stems):
        its = sets.setdefault(stem.set, StemSet(stem.set))
        if stem.role == "stem":
            its.stems.append(stem_number)
            its.stem_bits |= 1 << stem_number
        elif stem.role == "mix":
            its.mixes.append(stem_number)
            its.mix_bits |= 1 << stem_number
    return sets
