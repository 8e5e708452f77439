"""The order of the flow: every strip after what feeds it, every keyed insert after its keys, feedback left out."""

from __future__ import annotations

from lattice.graph.compiled import IN
from lattice.graph.loops import LoopGraph


def flow_order(loops: LoopGraph) -> list[int]:
    """Nodes of the loop graph without its outlets: strips (their `in`), then keyed inserts, in an order of the flow.

    The routes of the cut (`loops.feedback`) are left out, so there always is one. O(strips + routes).
    """
    compiled, cut = loops.compiled, loops.feedback
    count = loops.first_outlet
    degree = [0] * count
    follow: list[list[int]] = [[] for _ in range(count)]
    last = _chains(loops, degree, follow)
    tail, head, stage, outlet = compiled.tail, compiled.head, compiled.stage, compiled.outlet
    for routes in compiled.ins:
        for route in routes:
            if outlet[route] < 0 and route not in cut:
                start = tail[route]
                follow[start if stage[route] == IN else last.get(start, start)].append(head[route])
                degree[head[route]] += 1
    for route in compiled.keys:
        if outlet[route] < 0 and route not in cut:
            start, node = tail[route], loops.insert_nodes[compiled.key_node[route][1]]
            follow[start if stage[route] == IN else last.get(start, start)].append(node)
            degree[node] += 1
    order = [node for node in range(count) if not degree[node]]
    for node in order:  # grows while it is walked
        for there in follow[node]:
            degree[there] -= 1
            if not degree[there]:
                order.append(there)
    return order


def _chains(loops: LoopGraph, degree: list[int], follow: list[list[int]]) -> dict[int, int]:
    """Strings the keyed inserts of each strip behind its `in`; gives the last node of such strips."""
    last = {}
    for strip, nodes in loops.keyed.items():
        places = sorted(nodes, key=loops.place.__getitem__)
        for here, there in zip([strip, *places], places, strict=False):
            follow[here].append(there)
            degree[there] += 1
        last[strip] = places[-1]
    return last
