"""One way that shows something: the shortest from a source over routes that a question allows."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from lattice.graph.origin import Origin
from lattice.graph.paths import Path
from lattice.graph.signal_graph import SignalGraph


def first_path(
    graph: SignalGraph,
    origin: Origin,
    goal: Callable[[int], bool],
    allowed: Callable[[int], bool],
    onward: Callable[[int], bool] = lambda _strip: True,
) -> Path | None:
    """The path with the fewest routes from a source to a target strip.

    Parameters
    ----------
    graph
        The signal graph.
    origin
        Where sound starts.
    goal
        Whether a strip is a target.
    allowed
        Whether a route may be taken.
    onward
        Whether the path may continue after a strip.

    Returns
    -------
    Path or None
        Of several the first by the ids of its strips, then of its routes: independent of the order of routes.
        O(routes).
    """
    strip, outlet = origin
    by: dict[int, int | None] = {strip: None} if outlet < 0 else {}  # strip → the route that reached it
    layer = by_ids(graph, graph.outs[strip] if outlet < 0 else graph.outlet_outs[outlet])
    while layer:
        onward_routes = []
        for route in layer:
            head = graph.head[route]
            if head in by or not allowed(route):
                continue
            by[head] = route
            if goal(head):
                return Path(strip, _back(graph, by, route), outlet)
            if onward(head):
                onward_routes += by_ids(graph, graph.outs[head])
        layer = onward_routes
    return None


def by_ids(graph: SignalGraph, routes: Iterable[int]) -> list[int]:
    """Routes by the id of the strip they end at, then by their own."""
    return sorted(routes, key=lambda route: (graph.routes[route].to, graph.routes[route].id))


def _back(graph: SignalGraph, by: dict[int, int | None], last: int) -> tuple[int, ...]:
    """The routes from the start to the last one, walked back."""
    found = [last]
    while (before := by.get(graph.tail[found[-1]])) is not None and graph.outlet[found[-1]] < 0:
        found.append(before)
    return tuple(reversed(found))
