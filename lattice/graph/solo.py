"""Solo, as a preview: the strips that would sound if only some strips, their inputs and their destinations did."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from lattice.graph.reach import Reach
from lattice.model.route_kinds import BRINGING_SOUND


@dataclass(frozen=True)
class Solo:
    """Numbers of strips and routes.

    Attributes
    ----------
    strips
        The strips that would sound: the selected ones, their inputs, and their destinations.
    routes
        That would carry it.
    heard, silent
        Endpoints that sound now: those that still would, and those that would not.
    """

    strips: frozenset[int]
    routes: frozenset[int]
    heard: tuple[int, ...]
    silent: tuple[int, ...]


def solo(reach: Reach, wanted: Iterable[int]) -> Solo:
    """The strips that would sound if only some of a template did.

    Parameters
    ----------
    reach
        Of the states as they are.
    wanted
        Numbers of the strips.

    Returns
    -------
    Solo
        O(strips + routes).
    """
    graph = reach.graph
    asked = set(wanted)
    sounding = reach.from_sources()
    carries = [
        ok and graph.routes[n].kind in BRINGING_SOUND
        and (reach.outlet_sounds(graph.outlet[n]) if graph.outlet[n] >= 0 else sounding.leaves[graph.tail[n]])
        for n, ok in enumerate(reach.route_ok)
    ]  # fmt: skip
    outs: list[list[int]] = [[] for _ in graph.strips]  # those of outlets among them
    for route, tail in enumerate(graph.tail):
        outs[tail].append(route)
    routes = _along(asked, graph.ins, graph.tail, carries) | _along(asked, outs, graph.head, carries)
    ends = {graph.head[route] for route in routes} | {graph.tail[route] for route in routes}
    strips = {strip for strip in asked | ends if sounding.arrives[strip]}
    endpoints = [
        n for n in range(len(graph.strips)) if graph.is_endpoint(n) and sounding.arrives[n] and reach.ends_here(n)
    ]
    heard = tuple(n for n in endpoints if n in strips)
    return Solo(frozenset(strips), frozenset(routes), heard, tuple(n for n in endpoints if n not in strips))


def _along(asked: set[int], next_routes: list[list[int]], other_end: list[int], carries: list[bool]) -> set[int]:
    """Routes that carry sound, followed one way from some strips."""
    seen, waiting, found = set(asked), list(asked), set()
    while waiting:
        for route in next_routes[waiting.pop()]:
            if carries[route]:
                found.add(route)
                if other_end[route] not in seen:
                    seen.add(other_end[route])
                    waiting.append(other_end[route])
    return found
