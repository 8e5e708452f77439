"""Which targets each source reaches, as bits: one sweep for many targets."""

from __future__ import annotations

from collections.abc import Mapping

from lattice.graph.reach import Reach


def masks(reach: Reach, strips: Mapping[int, int], routes: Mapping[int, int]) -> list[int]:
    """Which targets each source reaches, for many targets in one sweep.

    Parameters
    ----------
    reach
        The reach under which sound counts, with or without states.
    strips
        Strip → bit for the sum at its `in`.
    routes
        Route, of any kind → bit for its signal.

    Returns
    -------
    list of int
        For every strip's chain, then every outlet, the bits its sound reaches; 0 without sound.

    Notes
    -----
    Walks back from the targets until no bits are new: O(routes · changes), and one machine word holds 64 targets.
    """
    leaving, _fed, outlet = spread(reach, strips, routes)
    own = [bits | strips.get(n, 0) for n, bits in enumerate(leaving) if reach.sounds[n]]
    return own + [bits for outlet_number, bits in enumerate(outlet) if reach.outlet_sounds(outlet_number)]


def spread(
    reach: Reach, strips: Mapping[int, int], routes: Mapping[int, int]
) -> tuple[list[int], list[int], list[int]]:
    """The same by place: bits reached from each strip's chain, from each strip's inputs, and from each outlet."""
    graph = reach.graph
    count = len(graph.strips)
    leaving, fed = [0] * count, [0] * count  # bits reached from a strip's chain; from its inputs
    outlet = [0] * len(graph.outlets)
    waiting = []
    for strip, bits in strips.items():
        if bits and reach.enters(strip) and reach.in_service[strip]:
            fed[strip] = bits
            waiting.append(strip)

    tails, outlets, ins, route_ok = graph.tail, graph.outlet, graph.ins, reach.route_ok
    given = [(route, bits) for route, bits in routes.items() if route_ok[route]]
    while given or waiting:
        if not given:
            strip = waiting.pop()
            given = [(route, fed[strip]) for route in ins[strip] if route_ok[route]]
        for route, bits in given:
            tail = tails[route]
            if outlets[route] >= 0:
                outlet[outlets[route]] |= bits
            elif bits & ~leaving[tail]:
                leaving[tail] |= bits
                if reach.monitors[tail] and reach.in_service[tail]:
                    fed[tail] |= bits
                    if ins[tail]:
                        waiting.append(tail)
        given = []
    return leaving, fed, outlet
