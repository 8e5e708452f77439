"""Places where two paths from one strip join again: the pairs for the check of double paths.

A walk leaves a strip by unblocked feeds and sends. It has two states: feeds so far, or after a send. After a send it
continues from a strip only if that strip's inserts leave the sound unchanged (or the tap is before them).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

from lattice.analysis import Analysis
from lattice.graph.reach import downstream
from lattice.graph.signal_graph import IN, SignalGraph
from lattice.model.document import Strip
from lattice.model.insert_types import TRANSPARENT

FED, SENT = 1, 2  # states of a walk, as bits: it has come by feeds alone; it has come behind a send
Options = dict[int, list[tuple[int, int]]]  # strip → (route, strip it leads to)


def _transparent(strip: Strip) -> bool:
    """Its active inserts leave the sound unchanged."""
    return all(insert.state != "on" or insert.type in TRANSPARENT for insert in strip.inserts)


def _effects(graph: SignalGraph) -> list[bool]:
    """Per strip: a return, or a bus made for an effect that is not there yet. No second path goes through it.

    Such a bus is fed by sends only, has no active insert, and no output of its own: that is a cue bus.
    """
    found = [strip.kind == "return" for strip in graph.strips]
    for bus in graph.by_kind["bus"]:
        ins = [route for route in graph.ins[bus] if graph.routes[route].enabled]
        if ins and all(graph.routes[route].kind == "send" for route in ins):
            inserts = any(insert.state == "on" for insert in graph.strips[bus].inserts)
            found[bus] = not inserts and not has_own_output(graph, bus)
    return found


def has_own_output(graph: SignalGraph, bus: int, beside: int | None = None) -> bool:
    """Return whether a bus feeds an output that it does not reach by its other routes, or by the one named."""
    for route in graph.outs[bus]:
        if route != beside and graph.strips[graph.head[route]].kind == "output":
            others = [r for r in graph.outs[bus] if r != route and beside in (None, r)]
            if not any(graph.head[route] in downstream(graph, graph.head[other]) for other in others):
                return True
    return False


@dataclass(frozen=True)
class Region:
    """The part between a strip and one where its paths join: the routes that lead there.

    A strip reached both by feeds alone and after a send includes the routes of both states.
    """

    start: int
    end: int
    options: Options
    order: list[int]  # the strips of `options`, each before those it leads to where nothing loops
    size: int  # routes looked at to find it


class Joins:
    """Pairs of strips with two paths between them, by the common strips of all paths (dominators)."""

    def __init__(self, analysis: Analysis) -> None:
        self.analysis, self.graph = analysis, analysis.graph
        graph, ok = analysis.graph, analysis.unblocked.route_ok
        self.monitors = [
            passes and not effect for passes, effect in zip(analysis.unblocked.monitors, _effects(graph), strict=True)
        ]
        self.carried = analysis.sounds.leaves
        self.is_send = [route.kind == "send" for route in graph.routes]
        # only fed signal can be passed after a send
        self.clear = [bool(graph.ins[n]) and _transparent(strip) for n, strip in enumerate(graph.strips)]
        self.outs: list[list[int]] = (
            graph.outs
            if not graph.tied_in and all(ok)
            else [
                [route for route in routes if ok[route] and graph.routes[route].kind != "tie"] for routes in graph.outs
            ]
        )
        self._onward: dict[int, dict[int, list[tuple[int, int, int]]]] = {FED: {}, SENT: {}, FED | SENT: {}}
        self._meets = self._meetings()
        self._walks: dict[tuple[tuple[int, int], ...], _Walk] = {}
        self._round: tuple[int, _Walk] = -1, _Walk(self, ())  # the last strip with a path back to it, and its walk

    def may_split(self, start: int) -> bool:
        """Return whether sound leaves a strip by two routes that lead to some strip in common."""
        return self._meets[start] and self.carried[start] and len(self.outs[start]) > 1

    def of(self, start: int) -> list[int]:
        """The strips where two paths from `start` may join, with no strip in common before. O(routes after it)."""
        return [end for end in self._walk(start).joins if end != start]

    # which strips have two routes that lead to some strip in common: one sweep against the flow, bits for strips

    def _meetings(self) -> list[bool]:
        """Per strip: two of its routes lead to some strip in common. O(routes), a few times that where it loops."""
        graph, count = self.graph, len(self.graph.strips)
        order = [node for node in reversed(self.analysis.loops.order) if node < count]
        bit_of, bit = [0] * count, 1
        for node in order:
            if graph.ins[node]:
                bit_of[node] = bit
                bit <<= 1
        feeding, sent = list(bit_of), list(bit_of)  # bits of strips that a walk that has come here goes on to
        is_join = [False] * count
        fed = [node for node in order if bit_of[node]]
        while self._swept(fed, bit_of, (feeding, sent), is_join) and self.analysis.loops.feedback:
            pass  # a cycle changes strips that were visited before
        # Strips without a feed change no others.
        self._swept([node for node in order if not bit_of[node]], bit_of, (feeding, sent), is_join)
        return is_join

    def _swept(
        self, order: list[int], bit_of: list[int], beyond: tuple[list[int], list[int]], is_join: list[bool]
    ) -> bool:
        """One sweep; returns whether it reached anything new."""
        graph, monitors, is_send = self.graph, self.monitors, self.is_send
        head, stage = graph.head, graph.stage
        feeding, sent = beyond
        is_new = False
        for node in order:
            if not (bit_of[node] or len(self.outs[node]) > 1):
                continue
            whole = behind_send = 0
            is_clear = self.clear[node]
            for route in self.outs[node]:
                there = sent[head[route]]
                bits = there if is_send[route] else feeding[head[route]]
                if whole & bits:
                    is_join[node] = True
                whole |= bits
                if is_clear or stage[route] == IN:
                    behind_send |= there
            if bit_of[node] and monitors[node]:
                before = feeding[node], sent[node]
                feeding[node] |= whole
                sent[node] |= behind_send
                is_new = is_new or before != (feeding[node], sent[node])
        return is_new

    # common to every walk from a strip

    def _walk(self, start: int) -> _Walk:
        """Strips that are routed alike share their walk, unless it leads back to one of them."""
        hops = tuple(sorted((self.graph.head[r], SENT if self.is_send[r] else FED) for r in self.outs[start]))
        walk = self._walks.get(hops)
        if walk is None:
            walk = self._walks[hops] = _Walk(self, hops)
        if start not in walk.states:
            return walk
        if self._round[0] != start:
            self._round = start, _Walk(self, hops, without=start)
        return self._round[1]

    def onward(self, strip: int, states: int) -> list[tuple[int, int, int]]:
        """(route, destination, states there) of the routes that continue from a strip in some states."""
        found = self._onward[states].get(strip)
        if found is None:
            found = self._onward[states][strip] = list(self._leading_on(strip, states))
        return found

    def _leading_on(self, strip: int, states: int) -> Iterator[tuple[int, int, int]]:
        if not self.monitors[strip]:
            return
        for route in self.outs[strip]:
            passes_whole = self.clear[strip] or self.graph.stage[route] == IN
            leaves = states if passes_whole else states & FED  # bypassing its inserts
            if leaves:
                yield route, self.graph.head[route], SENT if self.is_send[route] else leaves

    def region(self, start: int, end: int) -> Region:
        """The part between a strip and one of its joins, found by walking back from there. O(routes between)."""
        walk, head, size = self._walk(start), self.graph.head, 0
        between = {end}
        waiting = [end]
        while waiting:
            at = waiting.pop()
            for before in walk.before[at]:
                size += 1
                if before not in between and before != start:
                    between.add(before)
                    waiting.append(before)
        order = [start, *sorted(between - {end}, key=self.analysis.loops.position.__getitem__)]
        options: Options = {start: [(route, head[route]) for route in self.outs[start] if head[route] in between]}
        for at in order[1:]:
            options[at] = [
                (route, there) for route, there, _states in self.onward(at, walk.states[at]) if there in between
            ]
        return Region(start, end, options, order, size)

    def is_walk(self, path: list[int]) -> bool:
        """Return whether routes make a walk: none passes inserts that change the sound behind a send."""
        state = SENT if self.is_send[path[0]] else FED
        for before, route in pairwise(path):
            at = self.graph.head[before]
            if not (state == FED or self.clear[at] or self.graph.stage[route] == IN):
                return False
            state = SENT if self.is_send[route] else state
        return True


class _Walk:
    """All walks from one strip at once.

    Attributes
    ----------
    states : dict[int, int]
        For each strip that is reached, a bit for each state in which it is reached.
    before : dict[int, list[int]]
        The strips it is reached from.
    joins : list[int]
        Strips reached by two routes without a strip common to all their paths.
    """

    def __init__(self, joins: Joins, hops: tuple[tuple[int, int], ...], without: int = -1) -> None:
        self.states: dict[int, int] = {}
        self.before: dict[int, list[int]] = {}
        entered: dict[int, int] = {}  # strip → by how many routes
        hops = tuple(hop for hop in hops if hop[0] != without)
        for strip, state in hops:
            self.states[strip] = self.states.get(strip, 0) | state
            entered[strip] = entered.get(strip, 0) + 1
        waiting = list(self.states)
        while waiting:
            at = waiting.pop()
            for _route, there, state in joins.onward(at, self.states[at]):
                if there != without and state & ~self.states.get(there, 0):
                    self.states[there] = self.states.get(there, 0) | state
                    waiting.append(there)
        order = sorted(self.states, key=joins.analysis.loops.position.__getitem__)
        self.before = {strip: [] for strip in order}
        for at in order:
            for _route, there, _state in joins.onward(at, self.states[at]):
                if there != without:
                    entered[there] = entered.get(there, 0) + 1
                    self.before[there].append(at)
        first = {strip for strip, _state in hops}
        common = self._common(order, first)
        self.joins = sorted(strip for strip in order if common[strip] == 0 and entered[strip] > 1)

    def _common(self, order: list[int], first: set[int]) -> dict[int, int]:
        """Strip → bits of the strips, itself apart, that every path to it passes.

        O(routes), repeated while it changes.
        """
        bit = {strip: 1 << place for place, strip in enumerate(order)}
        everything = (1 << len(order)) - 1
        common = {strip: 0 if strip in first else everything for strip in order}
        is_settled = False
        while not is_settled:
            is_settled = True
            for strip in order:
                now = common[strip]
                if not now:
                    continue
                for before in self.before[strip]:
                    now &= common[before] | bit[before]
                if now != common[strip]:
                    common[strip] = now
                    is_settled = False
        return common
