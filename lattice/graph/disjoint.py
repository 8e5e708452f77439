"""The cheapest pair of node-disjoint paths between two nodes (Suurballe 1974).

A minimum-cost flow of two: the cheapest path, then the cheapest path in the residual graph, which may reverse edges of
the first; where the two overlap, they swap their ends. Nodes are strips, edges are routes. Every strip between the ends
carries one path only, so it is two nodes, its entry and its exit.
"""

from __future__ import annotations

import heapq
from collections.abc import Mapping, Sequence

Edges = Mapping[int, Sequence[tuple[int, int, float]]]  # node → (route, node it leads to, cost)
FAR = float("inf")


class DisjointPathPair:
    """The cheapest pair of node-disjoint paths between two nodes.

    Parameters
    ----------
    edges
        By node, its outgoing edges. Costs may be negative only if the edges make no cycle.
    start, end
        Two different nodes.
    order
        The nodes of `edges` in an order in which every edge leads onward; None where they make circles (then costs have
        to be 0 or more).

    Attributes
    ----------
    steps : int
        Routes visited so far, for a budget.

    Notes
    -----
    O(edges · log nodes) for one pair.

    References
    ----------
    J. W. Suurballe, *Disjoint paths in a network*, Networks 4 (1974), 125–145. Each node is split in two, as usual, so
    that the paths share none.
    """

    def __init__(self, edges: Edges, start: int, end: int, order: Sequence[int] | None) -> None:
        self.edges, self.start, self.end = edges, start, end
        self.steps = 0
        self._far, self._came = self._onward(order) if order is not None else self._circling()

    def pair(self) -> tuple[list[int], list[int]] | None:
        """The routes of both paths, the cheaper one first; None if there is no pair."""
        if self.end not in self._came:
            return None
        first = self._walked_back()
        second = self._second(first)
        return None if second is None else self._untangled(first, second)

    def _onward(self, order: Sequence[int]) -> tuple[dict[int, float], dict[int, tuple[int, int]]]:
        """Costs from the start, and the (route, node) before each node, along an order of the flow."""
        far: dict[int, float] = {self.start: 0.0}
        came: dict[int, tuple[int, int]] = {}
        for node in order:
            here = far.get(node)
            if here is None or node == self.end:
                continue
            for route, there, cost in self.edges.get(node, ()):
                self.steps += 1
                if here + cost < far.get(there, FAR):
                    far[there], came[there] = here + cost, (route, node)
        return far, came

    def _circling(self) -> tuple[dict[int, float], dict[int, tuple[int, int]]]:
        """The same where routes lead round (Dijkstra)."""
        far: dict[int, float] = {self.start: 0.0}
        came: dict[int, tuple[int, int]] = {}
        heap, done = [(0.0, self.start)], set()
        while heap:
            here, node = heapq.heappop(heap)
            if node in done or node == self.end:
                continue
            done.add(node)
            for route, there, cost in self.edges.get(node, ()):
                self.steps += 1
                if here + cost < far.get(there, FAR) and there != self.start:
                    far[there], came[there] = here + cost, (route, node)
                    heapq.heappush(heap, (far[there], there))
        return far, came

    def _walked_back(self) -> list[tuple[int, int, int]]:
        """The cheapest path as (node, route, node), from the end to the start."""
        found, at = [], self.end
        while at != self.start:
            route, before = self._came[at]
            found.append((before, route, at))
            at = before
        return found

    def _second(self, first: list[tuple[int, int, int]]) -> list[tuple[int, int, int]] | None:
        """The cheapest path in the residual graph of the first, its edges as (node, route, node).

        Reversed edges lead backward. Costs are reduced by those of the first sweep (c + far[tail] − far[head]), so that
        none is negative. A state is (node, whether it is at the node's exit).
        """
        taken = {route for _tail, route, _head in first}
        back = {head: (route, tail) for tail, route, head in first}  # on the first path: its edge into a node
        begin, far = (self.start, True), self._far
        best: dict[tuple[int, bool], float] = {begin: 0.0}
        came: dict[tuple[int, bool], tuple[tuple[int, bool], tuple[int, int, int] | None]] = {}
        heap, done = [(0.0, begin)], set()

        def arrive(
            state: tuple[int, bool], cost: float, by: tuple[int, bool], edge: tuple[int, int, int] | None
        ) -> None:
            if cost < best.get(state, FAR):
                best[state], came[state] = cost, (by, edge)
                heapq.heappush(heap, (cost, state))

        while heap:
            cost, state = heapq.heappop(heap)
            if state in done:
                continue
            done.add(state)
            node, at_exit = state
            if node == self.end:
                return _traced(came, state, begin)
            is_on_first = node in back
            if is_on_first:
                if at_exit:
                    arrive((node, False), cost, state, None)  # its passage through the node is reversed
                else:
                    route, before = back[node]
                    arrive((before, True), cost, state, (node, route, before))
            elif not at_exit:
                arrive((node, True), cost, state, None)
            if at_exit:
                for route, there, price in self.edges.get(node, ()):
                    self.steps += 1
                    if route not in taken and there != self.start:
                        reduced = max(price + far[node] - far[there], 0.0)  # below 0 by rounding only
                        arrive((there, False), cost + reduced, state, (node, route, there))
        return None

    def _untangled(
        self, first: list[tuple[int, int, int]], second: list[tuple[int, int, int]]
    ) -> tuple[list[int], list[int]]:
        """Two paths from the edges of both, without the edges that one reverses of the other; the cheaper first."""
        undone = {route for tail, route, head in second if (head, route, tail) in set(first)}
        follow: dict[int, list[tuple[int, int]]] = {}
        for tail, route, head in (*first, *second):
            if route not in undone:
                follow.setdefault(tail, []).append((route, head))
        price = {route: cost for known in follow for route, _there, cost in self.edges[known]}
        ways = []
        for route, head in follow[self.start]:
            way, at = [route], head
            while at != self.end:
                ((onward, at),) = follow[at]
                way.append(onward)
            ways.append(way)
        ways.sort(key=lambda way: sum(price[route] for route in way))
        return ways[0], ways[1]


def _traced(
    came: Mapping[tuple[int, bool], tuple[tuple[int, bool], tuple[int, int, int] | None]],
    state: tuple[int, bool],
    begin: tuple[int, bool],
) -> list[tuple[int, int, int]]:
    ways = []
    while state != begin:
        state, edge = came[state]
        if edge is not None:
            ways.append(edge)
    return ways
