"""Paths of sound, and the blocks on each, hop by hop."""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Literal

from lattice.graph.origin import NO_OUTLET
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import POST, SignalGraph

BlockerKind = Literal["out-of-service", "mute", "fader-off", "disabled", "gain-off", "outlet-closed", "not-monitored"]
Cost = tuple[int, int]  # (blocks, hops): the path with the fewest blocks, then the shortest
# More blockers than any path has: the cost of a place that is not reached.
FAR: Cost = (1 << 60, 0)


@dataclass(frozen=True)
class Blocker:
    """One state that stops sound, and where."""

    kind: BlockerKind
    sentence: str
    strip: str
    route: str | None = None


@dataclass(frozen=True)
class Path:
    """A path over routes from a strip's chain, or one of its outlets, to its last strip.

    Strips, outlet and routes are positions in the signal graph; `outlet` is NO_OUTLET for the chain itself.
    """

    start: int
    routes: tuple[int, ...]
    outlet: int = NO_OUTLET
    blockers: tuple[Blocker, ...] = field(default=(), compare=False)

    def strips(self, graph: SignalGraph) -> list[int]:
        """The strips it passes, from the one it starts at to the one it ends at."""
        return [self.start, *(graph.head[route] for route in self.routes)]


class Blockers:
    """Names the blocks at each step of a path (docs/reference/model.md, *Signal flow*)."""

    def __init__(self, graph: SignalGraph) -> None:
        self.graph = graph

    def at_start(self, strip: int, outlet: int = NO_OUTLET) -> list[Blocker]:
        """Before the source's sound is in its chain, or leaves its outlet."""
        piece = self.graph.strips[strip]
        found = [] if piece.in_service else [_out_of_service(piece.name, piece.id)]
        shut = not self.graph.main_open[strip] if outlet < 0 else not self.graph.outlets[outlet][1].open
        if shut:
            found.append(Blocker("outlet-closed", f"an outlet of {piece.name} is closed", piece.id))
        if outlet < 0 and self.graph.passes_input[strip]:
            sentence = f"{piece.name} monitors its input instead of playing its recording"
            found.append(Blocker("not-monitored", sentence, piece.id))
        return found

    def passing(self, strip: int) -> list[Blocker]:
        """The strip's inputs pass through it."""
        if self.graph.monitors[strip]:
            return []
        piece = self.graph.strips[strip]
        return [Blocker("not-monitored", f"input monitoring of {piece.name} is off", piece.id)]

    def after_fader(self, strip: int) -> list[Blocker]:
        """The blocks between a strip's `pre` and its `post`: mute, fader at off."""
        piece = self.graph.strips[strip]
        found = [Blocker("mute", f"{piece.name} is muted", piece.id)] if piece.mute else []
        if piece.fader_db is None:
            found.append(Blocker("fader-off", f"fader of {piece.name} is off", piece.id))
        return found

    def on_route(self, route: int) -> list[Blocker]:
        """From the tap of a route to the `in` of the strip it ends at."""
        graph, step = self.graph, self.graph.routes[route]
        tail, head = graph.strips[graph.tail[route]], graph.strips[graph.head[route]]
        blockers = []
        if graph.outlet[route] < 0 and graph.stage[route] == POST:
            blockers += self.after_fader(graph.tail[route])
        if not step.enabled:
            blockers.append(
                Blocker("disabled", f"the {step.kind} from {tail.name} to {head.name} is disabled", tail.id, step.id)
            )
        if step.gain_db is None and not step.automated:
            blockers.append(
                Blocker("gain-off", f"the {step.kind} from {tail.name} to {head.name} is off", tail.id, step.id)
            )
        if not head.in_service:
            blockers.append(_out_of_service(head.name, head.id))
        return blockers

    def at_end(self, strip: int, *, fed: bool) -> list[Blocker]:
        """From the strip's `in` to the endpoint there."""
        piece = self.graph.strips[strip]
        if piece.kind == "print":
            return []
        found = self.passing(strip) if fed else []
        stems = [self.graph.template.stems[stem] for stem in self.graph.stems_at.get(strip, ())]
        before_fader = any(stem.tap != "post-fader" for stem in stems)
        return found if before_fader else found + self.after_fader(strip)

    def along(self, path: Path, *, to_endpoint: bool = True) -> tuple[Blocker, ...]:
        """All blockers of a path in order.

        Parameters
        ----------
        path
            Any path of the graph, whatever states say.
        to_endpoint
            Whether the last strip counts as the endpoint too, up to its `post`.

        Returns
        -------
        tuple of Blocker
            Empty for an open path.
        """
        found = self.at_start(path.start, path.outlet)
        for position, route in enumerate(path.routes):
            found += self.passing(self.graph.tail[route]) if position else []
            found += self.on_route(route)
        end = path.strips(self.graph)[-1]
        if to_endpoint and self.graph.is_endpoint(end):
            found += self.at_end(end, fed=bool(path.routes))
        return tuple(found)


def _out_of_service(name: str, strip: str) -> Blocker:
    return Blocker("out-of-service", f"{name} is disabled", strip)


class LeastBlockedPaths:
    """For every strip the least blocked path to an endpoint, and the least blocked path from a source.

    Least blocked: the fewest blocks, then the fewest hops. Each direction is one sweep of shortest paths over all
    strips (E. W. Dijkstra, 1959, with costs of pairs), O(routes · log routes), however many paths are read.
    """

    def __init__(self, graph: SignalGraph) -> None:
        self.graph = graph
        self.blockers = Blockers(graph)
        self._route_cost = [len(self.blockers.on_route(route)) for route in range(len(graph.routes))]

    def to_endpoint(self, strip: int, outlet: int = NO_OUTLET) -> Path | None:
        """The least blocked path from a strip's own source, or one of its outlets, to an endpoint, or None.

        Settings (mute, fader, monitoring and the like) count as costs only.
        """
        leave, next_route = self._onward()
        routes: list[int] = []
        at, fed = strip, False
        if outlet >= 0:
            first = min(
                self.graph.outlet_outs[outlet],
                key=lambda route: self._after(route, leave),
                default=None,
            )
            if first is None or self._after(first, leave) >= FAR:
                return None
            routes, at, fed = [first], self.graph.head[first], True
        while True:
            ending = self._end_cost(at, fed=fed)
            going = _plus(leave[at], len(self.blockers.passing(at)) if fed else 0)
            if ending >= FAR and going >= FAR:
                return None
            if ending <= going:
                return self._path(strip, routes, outlet)
            routes.append(next_route[at])
            at, fed = self.graph.head[next_route[at]], True

    def from_source(self, strip: int) -> Path | None:
        """The least blocked path from any source to the strip, settings ignored; None if no source is connected."""
        leave, came_by, own = self._inward()
        best, last = (own[strip], -1) if own[strip] < FAR else (FAR, -1)
        for route in self.graph.ins[strip]:
            cost = _plus(self._before(route, leave), self._route_cost[route], 1)
            if cost < best:
                best, last = cost, route
        if best >= FAR:
            return None
        routes: list[int] = []
        while last >= 0:
            routes.append(last)
            if self.graph.outlet[last] >= 0:
                break
            last = came_by[self.graph.tail[last]]
        routes.reverse()
        start = self.graph.tail[routes[0]] if routes else strip
        return self._path(start, routes, self.graph.outlet[routes[0]] if routes else -1)

    def _path(self, strip: int, routes: list[int], outlet: int) -> Path:
        path = Path(strip, tuple(routes), outlet)
        return Path(strip, tuple(routes), outlet, self.blockers.along(path))

    def _end_cost(self, strip: int, *, fed: bool) -> Cost:
        return (len(self.blockers.at_end(strip, fed=fed)), 0) if self.graph.is_endpoint(strip) else FAR

    def _after(self, route: int, leave: list[Cost]) -> Cost:
        """Cost from a route's tap to an endpoint."""
        head = self.graph.head[route]
        onward = min(self._end_cost(head, fed=True), _plus(leave[head], len(self.blockers.passing(head))))
        return _plus(onward, self._route_cost[route], 1)

    def _onward(self) -> tuple[list[Cost], list[int]]:
        """Per strip, the cost from its chain's taps to an endpoint by a route, and the first such route."""
        if not hasattr(self, "_onward_found"):
            graph = self.graph
            leave, next_route = [FAR] * len(graph.strips), [-1] * len(graph.strips)
            ends = [self._end_cost(strip, fed=True) for strip in range(len(graph.strips))]
            heap = [(cost, strip) for strip, cost in enumerate(ends) if cost < FAR]
            heapq.heapify(heap)
            done = [False] * len(graph.strips)
            while heap:
                cost, strip = heapq.heappop(heap)
                if done[strip]:
                    continue
                done[strip] = True
                for route in graph.ins[strip]:
                    tail, new = graph.tail[route], _plus(cost, self._route_cost[route], 1)
                    if graph.outlet[route] < 0 and new < leave[tail]:
                        leave[tail], next_route[tail] = new, route
                        heapq.heappush(heap, (min(ends[tail], _plus(new, len(self.blockers.passing(tail)))), tail))
            self._onward_found = leave, next_route
        return self._onward_found

    def _before(self, route: int, leave: list[Cost]) -> Cost:
        """Cost from a source to the tap of a route (its strip's fader state counts with the route)."""
        outlet = self.graph.outlet[route]
        if outlet < 0:
            return leave[self.graph.tail[route]]
        plays = outlet in self._playing_outlets
        return (len(self.blockers.at_start(self.graph.tail[route], outlet)), 0) if plays else FAR

    def _inward(self) -> tuple[list[Cost], list[int], list[Cost]]:
        """Per strip, the cost from a source to its taps, the route it came by (−1: own), and of its own source."""
        if not hasattr(self, "_inward_found"):
            graph = self.graph
            ignoring = Reach(graph, states=False)
            self._playing_outlets = {o for o in range(len(graph.outlets)) if ignoring.outlet_sounds(o)}
            own: list[Cost] = [
                (len(self.blockers.at_start(strip)), 0) if graph.is_source[strip] else FAR
                for strip in range(len(graph.strips))
            ]
            leave, came_by = list(own), [-1] * len(graph.strips)
            for outlet in sorted(self._playing_outlets):
                for route in graph.outlet_outs[outlet]:
                    self._arrive(route, self._before(route, leave), leave, came_by)
            heap = [(cost, strip) for strip, cost in enumerate(leave) if cost < FAR]
            heapq.heapify(heap)
            while heap:
                cost, strip = heapq.heappop(heap)
                if cost > leave[strip]:
                    continue
                for route in graph.outs[strip]:
                    if self._arrive(route, cost, leave, came_by):
                        heapq.heappush(heap, (leave[graph.head[route]], graph.head[route]))
            self._inward_found = leave, came_by, own
        return self._inward_found

    def _arrive(self, route: int, cost: Cost, leave: list[Cost], came_by: list[int]) -> bool:
        head = self.graph.head[route]
        new = _plus(cost, self._route_cost[route] + len(self.blockers.passing(head)), 1)
        if new >= leave[head]:
            return False
        leave[head], came_by[head] = new, route
        return True


def _plus(cost: Cost, blockers: int, hops: int = 0) -> Cost:
    return (cost[0] + blockers, cost[1] + hops) if cost < FAR else FAR


@dataclass
class Found:
    """Paths in the order found.

    `complete` is False where a bound ended the search.
    """

    paths: list[Path]
    complete: bool = True


def enumerate_paths(
    graph: SignalGraph, starts: Iterable[tuple[int, int]], targets: set[int], *, most: int = 100, steps: int = 200_000
) -> Found:
    """All paths from some sources to some strips, states ignored.

    Parameters
    ----------
    graph
        The signal graph.
    starts
        (strip, outlet) to start from; the outlet is NO_OUTLET for the chain.
    targets
        Strips to end at. A path goes on behind one of them where it can reach another; none passes a strip twice.
    most
        As many paths are given at most.
    steps
        As many hops are looked at.

    Returns
    -------
    Found
        In document order of their routes. Their number may grow exponentially with the routes, so it is limited.
    """
    useful = Reach(graph, states=False).to_strips(targets)
    namer = Blockers(graph)
    paths = Found([])
    budget = [steps]

    def walk(start: int, outlet: int) -> Iterator[tuple[int, ...]]:
        first = graph.outs[start] if outlet < 0 else graph.outlet_outs[outlet]
        on_path = {start}
        if outlet < 0 and start in targets:
            yield ()
        stack: list[tuple[Iterator[int], int]] = [(iter(first), start)]
        routes: list[int] = []
        while stack:
            route = next(stack[-1][0], None)
            budget[0] -= 1
            if route is None or budget[0] < 0:
                on_path.discard(stack.pop()[1])
                if routes:
                    routes.pop()
                continue
            head = graph.head[route]
            if head in on_path or not useful.fed[head]:
                continue
            routes.append(route)
            on_path.add(head)
            if head in targets:
                yield tuple(routes)
            stack.append((iter(graph.outs[head]), head))

    for start, outlet in starts:
        for routes in walk(start, outlet):
            if len(paths.paths) == most:
                return Found(paths.paths, complete=False)
            path = Path(start, routes, outlet)
            paths.paths.append(Path(start, routes, outlet, namer.along(path)))
    paths.complete = budget[0] >= 0
    return paths
