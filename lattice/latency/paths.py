"""The parts of a latency, insert by insert, and the arrivals of one source alone."""

from __future__ import annotations

import heapq
from dataclasses import dataclass

from lattice.gain_staging.levels import Levels
from lattice.graph.origin import NO_OUTLET
from lattice.graph.signal_graph import IN
from lattice.latency.arrivals import Arrivals, actual_samples


@dataclass(frozen=True)
class PathStep:
    """One step of a path: a strip (its source, if it begins there), an insert, or a tie line; with its latency."""

    strip: int
    what: str  # "strip", "insert", "tie", "output"
    id: str
    samples: int


def critical_path(arrivals: Arrivals, output: int) -> list[PathStep]:
    """The parts of the latest arrival at an output's `post`.

    Parameters
    ----------
    arrivals
        Arrivals of the template.
    output
        Position of an output that something arrives at.

    Returns
    -------
    list of PathStep
        From the source on; the samples add up to the arrival. Where compensation makes several routes arrive together,
        the one that is not held sets the time; a wait of an insert for its key leads on to the key.

    Notes
    -----
    O(length of the path · routes into a strip).
    """
    steps = [PathStep(output, "output", arrivals.graph.strips[output].id, _out_samples(arrivals, output))]
    return _backwards(arrivals, output, len(arrivals.graph.strips[output].inserts), steps)


def path_to(arrivals: Arrivals, route: int) -> list[PathStep]:
    """The parts of the latest arrival by a route, as in `critical_path`, without compensation on it.

    Parameters
    ----------
    arrivals
        Arrivals of the template.
    route
        Position of a route that sound comes by.
    """
    steps: list[PathStep] = []
    strip, place = _back(arrivals, route, steps)
    return steps[::-1] if place < 0 else _backwards(arrivals, strip, place, steps)


def _backwards(arrivals: Arrivals, strip: int, place: int, steps: list[PathStep]) -> list[PathStep]:
    """The steps before a place in a strip's chain, back to where the sound begins, and those there are; in order."""
    while True:
        held = _through_chain(arrivals, strip, place, steps)
        route = held if held is not None else _latest_in(arrivals, strip)
        if route is None:
            own = arrivals.source_span(strip)
            span = arrivals.span(strip)
            samples = span.latest if span else own[1].latest if own else 0
            steps.append(PathStep(strip, "strip", arrivals.graph.strips[strip].id, samples))
            return steps[::-1]
        if held is None:
            steps.append(PathStep(strip, "strip", arrivals.graph.strips[strip].id, arrivals.delays.get(route, 0)))
        strip, place = _back(arrivals, route, steps)
        if place < 0:
            return steps[::-1]


def _out_samples(arrivals: Arrivals, output: int) -> int:
    span = arrivals.at_pre(output)
    return arrivals.outputs[output] - span.latest if span else 0


def _through_chain(arrivals: Arrivals, strip: int, place: int, steps: list[PathStep]) -> int | None:
    """Adds a chain's inserts from a place backwards; the key route that one of them waits for, if any."""
    passed, loops = arrivals.graph.strips[strip], arrivals.loops
    nodes = {loops.place[node]: node for node in loops.keyed.get(strip, ())}
    for at in range(place - 1, -1, -1):
        insert = passed.inserts[at]
        if insert.state != "unloaded":
            steps.append(PathStep(strip, "insert", insert.id, actual_samples(insert)))
        node = nodes.get(at)
        if node is not None and arrivals.waits.get(node):
            keys = [route for route in arrivals.keys_to(node) if route in arrivals.delays]
            route = min(keys, key=lambda key: (arrivals.delays[key], key))
            steps.append(PathStep(strip, "strip", passed.id, arrivals.delays[route]))
            return route
    return None


def _latest_in(arrivals: Arrivals, strip: int) -> int | None:
    """The route with the latest arrival at a strip's `in`; None if its own source is as late."""
    latest, best = -1, None
    for route in arrivals.graph.ins[strip]:
        span = arrivals.brought(route)
        if span is not None:
            rank = (span.latest, -arrivals.delays.get(route, 0))
            if best is None or rank > (latest, -arrivals.delays.get(best, 0)):
                latest, best = span.latest, route
    whole = arrivals.span(strip)
    return best if whole is not None and best is not None and latest == whole.latest else None


def _back(arrivals: Arrivals, route: int, found: list[PathStep]) -> tuple[int, int]:
    """Over a route to the strip it leaves, and the place in its chain; −1 where an outlet begins it."""
    graph = arrivals.graph
    strip = graph.tail[route]
    if graph.routes[route].kind == "tie":
        found.append(PathStep(strip, "tie", graph.routes[route].id, arrivals.tie_samples(route)))
    if graph.outlet[route] >= 0:
        came = arrivals.at_tap(route)
        found.append(PathStep(strip, "strip", graph.strips[strip].id, came[1].latest if came else 0))
        return strip, -1
    return strip, 0 if graph.stage[route] == IN else len(graph.strips[strip].inserts)


class SourceArrival:
    """The arrivals of one source, over unblocked paths.

    Parameters
    ----------
    arrivals, levels
        Of one template.
    strip, outlet
        The source.
    only
        Routes to follow; None for all.

    Attributes
    ----------
    at_in : dict
        Strip → (earliest, latest), samples, compensation included.
    """

    def __init__(
        self,
        arrivals: Arrivals,
        levels: Levels,
        strip: int,
        outlet: int = NO_OUTLET,
        only: frozenset[int] | None = None,
    ) -> None:
        self.only = only  # routes to follow; all where it is None
        self.arrivals, self.levels, self.graph = arrivals, levels, arrivals.graph
        self.at_in: dict[int, tuple[int, int]] = {}
        self.brought: dict[int, tuple[int, int]] = {}
        self._waiting: list[tuple[int, int]] = []
        if outlet >= 0:
            for route in self.graph.outlet_outs[outlet]:
                come = arrivals.at_tap(route)
                if come is not None:
                    self._send(route, (come[1].earliest, come[1].latest))
        else:
            own = arrivals.source_span(strip)
            if own is not None:
                start = own[1].latest + arrivals.own_delay.get(strip, 0)
                self._arrive(strip, (start, start))
        while self._waiting:
            self._leave(heapq.heappop(self._waiting)[1])

    def _arrive(self, strip: int, span: tuple[int, int]) -> None:
        if strip in self.at_in:
            was = self.at_in[strip]
            self.at_in[strip] = min(was[0], span[0]), max(was[1], span[1])
        else:
            self.at_in[strip] = span
            heapq.heappush(self._waiting, (self.levels.loops.position[strip], strip))

    def _leave(self, strip: int) -> None:
        if not self.levels.reach.passes_on(strip):
            return
        for route in self.graph.outs[strip]:
            later = 0 if self.graph.stage[route] == IN else self.arrivals.chain[strip][1]
            self._send(route, (self.at_in[strip][0] + later, self.at_in[strip][1] + later))

    def _send(self, route: int, span: tuple[int, int]) -> None:
        if not self.levels.goes(route) or route not in self.arrivals.delays:
            return
        if self.only is not None and route not in self.only:
            return
        later = self.arrivals.delays[route] + self.arrivals.tie_samples(route)
        self.brought[route] = span[0] + later, span[1] + later
        self._arrive(self.graph.head[route], self.brought[route])
