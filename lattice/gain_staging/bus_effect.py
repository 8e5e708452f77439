"""The effect of inserting or dissolving a bus on level and latency of its paths."""

from __future__ import annotations

import math
from dataclasses import dataclass

from lattice.gain_staging.gains import Gain, chain_gain, latency_samples, route_gain
from lattice.graph.signal_graph import PRE, SignalGraph
from lattice.model.document import Template
from lattice.model.layouts import Matrix
from lattice.model.units import SILENT_DB, decibels, gain


@dataclass(frozen=True)
class WayChange:
    """One path, from a strip with a feed to the chain of the destination, before and after."""

    start: str
    end: str
    level_db: float  # of the sum of all channels, after against before; −∞ if silent
    latency_samples: int  # after against before, as reported or measured


def bus_effect(before: Template, after: Template, bus: str) -> list[WayChange]:
    """The effect of inserting or dissolving a bus on level and latency of its paths.

    Parameters
    ----------
    before, after
        Two templates of which one has the bus.
    bus
        Its id.

    Returns
    -------
    list of WayChange
        One for each path, from the tap of a strip that feeds the bus to the pre-fader stage of a strip it feeds.

    Notes
    -----
    Worst-case magnitudes (docs/reference/checks.md, *Levels*); dynamics count at their `gain_db`.
    """
    one, two = SignalGraph(before), SignalGraph(after)
    has = one if bus in one.index else two
    strip_number = has.index[bus]
    starts = list(dict.fromkeys(has.strips[has.tail[route]].id for route in has.ins[strip_number]))
    ends = list(dict.fromkeys(has.strips[has.head[route]].id for route in has.outs[strip_number]))
    changes = []
    for start in starts:
        for end in ends:
            old, new = _way(one, start, end, bus), _way(two, start, end, bus)
            if old and new:
                changes.append(WayChange(start, end, _ratio_db(new[0], old[0]), new[1] - old[1]))
    return changes


def _way(graph: SignalGraph, start: str, end: str, bus: str) -> tuple[list[Gain], int] | None:
    """Gains of the paths between two strips, direct and through the bus, and the longest latency."""
    begin, finish, middle = graph.index[start], graph.index[end], graph.index.get(bus, -1)
    behind = chain_gain(graph.strips[finish], PRE)
    late = latency_samples(graph.strips[finish], PRE)
    gains, lates = [], []
    for route in graph.outs[begin]:
        if graph.head[route] == finish:
            gains.append(route_gain(graph, route).then(behind))
            lates.append(late)
        elif graph.head[route] == middle:
            for onward in graph.outs[middle]:
                if graph.head[onward] == finish:
                    inside = chain_gain(graph.strips[middle], graph.stage[onward])
                    way = route_gain(graph, route).then(inside).then(route_gain(graph, onward))
                    gains.append(way.then(behind))
                    lates.append(late + latency_samples(graph.strips[middle], graph.stage[onward]))
    return (gains, max(lates)) if gains else None


def _ratio_db(new: list[Gain], old: list[Gain]) -> float:
    top, bottom = _norm(new), _norm(old)
    return decibels(top / bottom) if bottom > 0 and top > 0 else SILENT_DB


def _norm(gains: list[Gain]) -> float:
    """Frobenius norm of the sum of the matrices."""
    first: Matrix = gains[0].matrix
    return math.sqrt(
        sum(
            sum(one.matrix[row][column] * gain(one.level_db) for one in gains) ** 2
            for row in range(len(first))
            for column in range(len(first[0]))
        )
    )
