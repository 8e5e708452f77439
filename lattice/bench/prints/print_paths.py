"""The share of a source in a print through each strip, insert and route: shares of power over all its paths."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import NamedTuple

from lattice.analysis import Analysis
from lattice.gain_staging.gains import route_matrices
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import IN, POST
from lattice.model.document import Insert, Strip
from lattice.model.insert_types import DECORRELATING
from lattice.model.units import gain


class Element(NamedTuple):
    """A possible location of a fault: a strip, an insert or a route, by id. The order is that of the flow."""

    rank: int  # of the strip, or of the strip that a route leaves
    kind: int  # 0 strip, 1 route, 2 insert: of one place, the strip comes first
    id: str


class Stages(NamedTuple):
    """Power at `in`, `pre` and `post` by strip; those without any are missing."""

    at: tuple[dict[int, float], dict[int, float], dict[int, float]]
    outlet: dict[int, float]


class PrintPaths:
    """Shares of power, from sources forward and from prints backward, over routes that are open.

    Parameters
    ----------
    analysis
        Of the template.

    Notes
    -----
    Powers of paths add; the phase between two paths is ignored. Forward and backward sweeps are O(strips + routes) for
    each source and each print, and are cached.
    """

    def __init__(self, analysis: Analysis) -> None:
        self.analysis, self.graph = analysis, analysis.graph
        self._forward: dict[Origin, Stages] = {}
        self._backward: dict[tuple[int, bool], Stages] = {}
        graph = self.graph
        reach = analysis.unblocked
        cut = analysis.loops.feedback
        self._order = [node for node in analysis.loops.order if node < len(graph.strips)]
        self.rank = {node: rank for rank, node in enumerate(self._order)}
        matrices = route_matrices(graph)
        self._gain: dict[int, float] = {}
        for number, route in enumerate(graph.routes):
            carries = route.kind in ("feed", "send", "tie") and route.gain_db is not None and number not in cut
            tail = graph.tail[number]
            if not carries or not reach.route_ok[number] or not reach.entered[graph.head[number]]:
                continue
            if graph.outlet[number] < 0 and not reach.passes_on(tail):
                continue
            matrix = matrices[number]
            spread = 1.0 if matrix is None else matrix.norm**2 / len(matrix[0])
            self._gain[number] = gain(route.gain_db) ** 2 * spread
        self._chain = [_chain_power(strip) for strip in graph.strips]
        self._dry_chain = [_chain_power(strip, dry=True) for strip in graph.strips]
        self._fader = [
            gain(strip.fader_db) ** 2 if open_ else 0.0
            for strip, open_ in zip(graph.strips, graph.post_open, strict=True)
        ]

    def forward(self, origin: Origin) -> Stages:
        """Power of a source at every stage that it reaches."""
        if origin not in self._forward:
            graph, at = self.graph, ({}, {}, {})  # type: ignore[var-annotated]
            outlet = {} if origin.is_chain else {origin.outlet: 1.0}
            if origin.is_chain:
                at[IN][origin.strip] = 1.0
            for route in graph.outlet_outs[origin.outlet] if outlet else ():
                _add(at[IN], graph.head[route], self._gain.get(route, 0.0))
            for strip in self._order:
                power = at[IN].get(strip, 0.0)
                if not power:
                    continue
                stages = (power, power * self._chain[strip], power * self._chain[strip] * self._fader[strip])
                at[1][strip], at[POST][strip] = stages[1], stages[2]
                for route in graph.outs[strip]:
                    _add(at[IN], graph.head[route], self._gain.get(route, 0.0) * stages[graph.stage[route]])
            self._forward[origin] = Stages(at, outlet)
        return self._forward[origin]

    def backward(self, print_strip: int, *, dry: bool = False) -> Stages:
        """The share of the power at each stage that reaches a print; `dry` leaves out reverbs and the like."""
        key, chain = (print_strip, dry), self._dry_chain if dry else self._chain
        if key not in self._backward:
            graph, at = self.graph, ({}, {}, {})  # type: ignore[var-annotated]
            outlet: dict[int, float] = {}
            for strip in reversed(self._order):
                stages = [1.0 if strip == print_strip else 0.0, 0.0, 0.0]
                for route in graph.outs[strip]:
                    stages[graph.stage[route]] += self._gain.get(route, 0.0) * at[IN].get(graph.head[route], 0.0)
                stages[1] += self._fader[strip] * stages[2]
                stages[0] += chain[strip] * stages[1]
                for place, power in enumerate(stages):
                    if power:
                        at[place][strip] = power
            for number, routes in enumerate(graph.outlet_outs):
                power = sum(self._gain.get(route, 0.0) * at[IN].get(graph.head[route], 0.0) for route in routes)
                if power:
                    outlet[number] = power
            self._backward[key] = Stages(at, outlet)
        return self._backward[key]

    def shares(self, origin: Origin, print_strip: int) -> dict[Element, float]:
        """The share of each element in a source's signal in a print; empty without signal."""
        ahead, back = self.forward(origin), self.backward(print_strip)
        total = back.at[IN].get(origin.strip, 0.0) if origin.is_chain else back.outlet.get(origin.outlet, 0.0)
        if not total:
            return {}
        return {one: share for one, share in self._all_shares(origin, ahead, back, total) if share > 1e-9}

    def _all_shares(self, origin: Origin, ahead: Stages, back: Stages, total: float) -> Iterator[tuple[Element, float]]:
        graph = self.graph
        if not origin.is_chain:
            yield Element(self.rank[origin.strip], 0, graph.strips[origin.strip].id), 1.0
        for route in graph.outlet_outs[origin.outlet] if not origin.is_chain else ():
            share = self._gain.get(route, 0.0) * back.at[IN].get(graph.head[route], 0.0) / total
            yield Element(self.rank[origin.strip], 1, graph.routes[route].id), share
        for strip, power in ahead.at[IN].items():
            rank = self.rank[strip]
            yield Element(rank, 0, graph.strips[strip].id), power * back.at[IN].get(strip, 0.0) / total
            inside = ahead.at[1].get(strip, 0.0) * back.at[1].get(strip, 0.0) / total
            for insert in graph.strips[strip].inserts:
                yield Element(rank, 2, insert.id), inside
            for route in graph.outs[strip]:
                leaves = ahead.at[graph.stage[route]].get(strip, 0.0) * self._gain.get(route, 0.0)
                yield Element(rank, 1, graph.routes[route].id), leaves * back.at[IN].get(graph.head[route], 0.0) / total

    @cached_property
    def prints_behind(self) -> dict[int, frozenset[int]]:
        """Strip → the prints that its `in` reaches."""
        prints = self.graph.by_kind["print"]
        behind = {number: self.backward(number) for number in prints}
        return {
            strip: frozenset(number for number in prints if behind[number].at[IN].get(strip))
            for strip in range(len(self.graph.strips))
        }


def _add(at: dict[int, float], strip: int, power: float) -> None:
    if power:
        at[strip] = at.get(strip, 0.0) + power


def _chain_power(strip: Strip, *, dry: bool = False) -> float:
    power = 1.0
    for insert in strip.inserts:
        power *= _insert_power(insert, dry=dry)
    return power


def _insert_power(insert: Insert, *, dry: bool = False) -> float:
    if insert.state != "on":
        return 1.0
    level = gain(insert.gain_db)
    if insert.type in DECORRELATING:
        return (1 - insert.wet) ** 2 + (0.0 if dry else (insert.wet * level) ** 2)
    return (1 - insert.wet + insert.wet * level) ** 2
