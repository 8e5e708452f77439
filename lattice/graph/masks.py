"""Which targets each source reaches, as bits: one sweep for many targets."""

from __future__ import annotations

from collections.abc import Mapping

from lattice.graph.reach import Reach


def masks(reach: Reach, strips: Mapping[int, int], routes: Mapping[int, int]) -> list[int]:
    """For every sounding chain and outlet the bits of what its sound comes to.

    `strips`: strip → bit for arriving at its `in`; `routes`: route (of any kind) → bit for leaving by it.
    Walks back from the targets until no bits are new, O(routes · changes).
    """
    graph = reach.graph
    count = len(graph.strips)
    leaving, fed = [0] * count, [0] * count  # bits reached from a strip's chain; from what is fed to it
    outlet = [0] * len(graph.outlets)
    for strip in range(count):
        fed[strip] = strips.get(strip, 0) if reach.enters(strip) and reach.in_service[strip] else 0
    waiting = [strip for strip in range(count) if fed[strip]]

    def give(route: int, bits: int) -> None:
        tail = graph.tail[route]
        if graph.outlet[route] >= 0:
            outlet[graph.outlet[route]] |= bits
        elif bits & ~leaving[tail]:
            leaving[tail] |= bits
            if reach.monitors[tail] and reach.in_service[tail]:
                fed[tail] |= bits
                waiting.append(tail)

    for route, bits in routes.items():
        if reach.route_ok[route]:
            give(route, bits)
    while waiting:
        strip = waiting.pop()
        for route in graph.ins[strip]:
            if reach.route_ok[route]:
                give(route, fed[strip])
    own = [leaving[n] | strips.get(n, 0) for n in range(count) if reach.sounds[n]]
    return own + [bits for number, bits in enumerate(outlet) if reach.outlet_sounds(number)]
