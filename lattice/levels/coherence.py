"""Where a source can meet itself again, so that its ways must be told apart."""

from __future__ import annotations

from collections.abc import Iterable

from lattice.graph.compiled import IN
from lattice.graph.loops import LoopGraph
from lattice.graph.reach import Reach
from lattice.levels.gains import DECORRELATING, mixes_channels
from lattice.model.document import Strip


class Meetings:
    """By node (strips, then keyed inserts), walked against the flow:

    `wanted`: what is coherent at it matters there or further on. `branches`: its sound leaves by several
    coherent ways that meet again. Ways are coherent up to a reverb, delay or modulation that is on and fully wet.
    """

    def __init__(self, reach: Reach, loops: LoopGraph, order: list[int]) -> None:
        self.reach, self.compiled, self.loops = reach, reach.compiled, loops
        self.count = len(self.compiled.strips)
        self.wanted = [False] * loops.first_outlet
        self.branches = [False] * self.count
        self.beyond = [
            0
        ] * loops.first_outlet  # bits of the fed nodes that its coherent sound comes to, itself included
        self._keys: dict[int, list[int]] = {}
        for route in self.compiled.keys:
            self._keys.setdefault(self.compiled.tail[route], []).append(route)
        self._bits = 0
        for node in reversed(order):
            if node < self.count:
                self._strip(node)
            else:
                self.beyond[node] = self._bit()

    def _bit(self) -> int:
        self._bits += 1
        return 1 << self._bits

    def _heads(self, number: int) -> list[int]:
        """Nodes that coherent sound of a strip goes to, one for each route."""
        compiled, reach, cut = self.compiled, self.reach, self.loops.feedback
        route_ok, stage = reach.route_ok, compiled.stage
        whole: bool | None = None
        heads = []
        for route in (*compiled.outs[number], *self._keys.get(number, ())):
            if not route_ok[route] or route in cut or compiled.outlet[route] >= 0:
                continue
            if stage[route] != IN:
                if whole is None:
                    whole = not (compiled.ins[number] and decorrelates(compiled.strips[number]))
                if not whole:
                    continue
            node = compiled.key_node.get(route)
            if node is not None:
                heads.append(self.loops.insert_nodes[node[1]])
            elif reach.enters(compiled.head[route]):
                heads.append(compiled.head[route])
                if mixes_channels(compiled, route):
                    self.wanted[number] = True
        return heads

    def _strip(self, number: int) -> None:
        compiled, wanted = self.compiled, self.wanted
        outs = compiled.outs[number]
        if any(i.layout_in or i.layout_out for i in compiled.strips[number].inserts):
            wanted[number] = True
        if not outs and number not in self._keys:
            if compiled.ins[number]:
                self.beyond[number] = self._bit()
            return
        bits, meet = 0, False
        for node in self._heads(number):
            meet = meet or bool(bits & self.beyond[node])
            bits |= self.beyond[node]
            if wanted[node]:
                wanted[number] = True
        if meet:
            self.branches[number] = wanted[number] = True
            self._mark_meetings(number)
        if compiled.ins[number]:
            self.beyond[number] = bits | self._bit()

    def _mark_meetings(self, number: int) -> None:
        """Everything between a branch and where its ways end has to keep them apart."""
        waiting = self._heads(number)
        while waiting:
            node = waiting.pop()
            if not self.wanted[node]:
                self.wanted[node] = True
                if node < self.count:
                    waiting += self._heads(node)

    def matters(self, nodes: Iterable[int]) -> bool:
        """For an outlet's own routes: whether what is coherent matters behind any of them."""
        bits = 0
        for node in nodes:
            if self.wanted[node] or bits & self.beyond[node]:
                return True
            bits |= self.beyond[node]
        return False


def decorrelates(strip: Strip) -> bool:
    """Nothing coherent comes out of its chain."""
    return any(i.type in DECORRELATING and i.state == "on" and i.wet >= 1 for i in strip.inserts)
