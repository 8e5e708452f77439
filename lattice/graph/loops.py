"""Loops: strongly connected groups, the shortest cycle of each, and the cut.

Sought on the stage graph with states ignored (docs/reference/checks.md, *Loops*). The nodes are those of the graph
form: strips, then keyed inserts, then outlets beyond the main one.
"""

from __future__ import annotations

from bisect import insort
from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

from lattice.graph.signal_graph import IN, SignalGraph

Edge = tuple[int, int, int]  # from node, to node, route
Adjacency = dict[int, list[tuple[int, int]]]  # node → (to node, route)
# Each pass adds edges to those before it, so a loop is reported for the first kind of route that closes it.
PASSES = ("audio", "key", "midi")


@dataclass(frozen=True)
class Loop:
    """One strongly connected group of a pass: its shortest cycle and every route inside it."""

    needs: str  # "audio", "key" or "midi"
    cycle: tuple[int, ...]  # routes in order
    group: tuple[int, ...]  # all routes of the group, in document order
    strips: tuple[int, ...]  # strips of the cycle, in its order; starts at the first by the cut's order


class LoopGraph:
    """The flow as edges between nodes, the cycles they make and where those are cut.

    Nodes are strips, then keyed inserts, then outlets, numbered consecutively. Edges are added in three passes: audio,
    then keys, then MIDI. A loop belongs to the first pass that closes it (docs/reference/checks.md, *Loops*).

    Parameters
    ----------
    graph
        The signal graph of a template. Building is O(routes); the rest is computed on first use.
    """

    def __init__(self, graph: SignalGraph) -> None:
        self.graph = graph
        self.count = len(graph.strips)
        self.insert_nodes: dict[str, int] = {}
        self.insert_strips: list[int] = []
        self._order: list[int] | None = None
        self.place: dict[int, int] = {}  # keyed insert → its position in the chain
        for route in graph.keys:
            strip, insert = graph.key_node[route]
            if insert not in self.insert_nodes:
                self.insert_nodes[insert] = self.count + len(self.insert_strips)
                self.place[self.insert_nodes[insert]] = graph.place_of_key(route)
                self.insert_strips.append(strip)
        self.first_outlet = self.count + len(self.insert_strips)
        self.keyed: dict[int, list[int]] = defaultdict(list)  # strip → nodes of its keyed inserts
        for offset, strip in enumerate(self.insert_strips):
            self.keyed[strip].append(self.count + offset)

    @cached_property
    def rank(self) -> list[int]:
        """Per route, its place among the sorted ids."""
        ids = [route.id for route in self.graph.routes]
        by_id = sorted(range(len(ids)), key=ids.__getitem__)
        places = [0] * len(by_id)
        for place, number in enumerate(by_id):
            places[number] = place
        return places

    def _tails(self, route: int) -> list[int]:
        """Nodes a route leaves: its strip, and the keyed inserts of it that lie before the tap."""
        graph = self.graph
        if graph.outlet[route] >= 0:
            return [self.first_outlet + graph.outlet[route]]
        tail = graph.tail[route]
        return [tail] if graph.stage[route] == IN else [tail, *self.keyed.get(tail, ())]

    @cached_property
    def edges(self) -> dict[str, list[Edge]]:
        """Edges that each pass adds, among the nodes that are not ordered before every cycle."""
        graph, behind = self.graph, self._behind
        by_pass: dict[str, list[Edge]] = {name: [] for name in PASSES}
        keys, midis, head_of, tail_of = set(graph.keys), set(graph.midis), graph.head, graph.tail
        for route, head in enumerate(head_of):
            if head not in behind and route not in midis:
                continue
            if tail_of[route] not in behind and tail_of[route] not in self.keyed and graph.outlet[route] < 0:
                continue
            if route in midis:
                heads = [head, *(self.first_outlet + outlet for outlet in graph.outlets_of.get(head, ()))]
                by_pass["midi"] += [(tail_of[route], there, route) for there in heads]
            elif route in keys:
                head = self.insert_nodes[graph.key_node[route][1]]  # noqa: PLW2901 - the insert, not its strip
                by_pass["key"] += [(tail, head, route) for tail in self._tails(route)]
            else:
                by_pass["audio"] += [(tail, head, route) for tail in self._tails(route)]
        return by_pass

    @cached_property
    def _behind(self) -> Collection[int]:
        """Nodes on cycles of any pass, and behind them; all of them where notes might come round."""
        graph = self.graph
        every = range(self.first_outlet + len(graph.outlets))
        if any(graph.ins[graph.tail[route]] for route in graph.midis):
            return every  # a strip that sounds and sends notes: looked at closely
        played = {graph.head[route] for route in graph.midis}
        if any(graph.tail[route] in played for route in graph.midis):
            return every
        left = set(range(self.first_outlet))
        left.difference_update(self.order_without(frozenset()))
        # Keyed inserts are separate nodes: their strip is on the path to them.
        return left.union(self.insert_strips[node - self.count] for node in left if node >= self.count)

    @cached_property
    def core(self) -> set[int]:
        """Nodes that may lie on a cycle of any pass; empty for most templates. O(routes)."""
        if not self._behind:
            return set()
        edges = [edge for name in PASSES for edge in self.edges[name]]
        for direction in (0, 1):  # remove nodes without inputs, then nodes without outputs
            degree: dict[int, int] = defaultdict(int)
            follow: dict[int, list[int]] = defaultdict(list)
            nodes = set()
            for edge in edges:
                here, there = edge[direction], edge[1 - direction]
                degree[there] += 1
                follow[here].append(there)
                nodes.add(here)
                nodes.add(there)
            waiting = [node for node in nodes if not degree[node]]
            left = nodes
            while waiting:
                node = waiting.pop()
                left.discard(node)
                for there in follow[node]:
                    degree[there] -= 1
                    if not degree[there]:
                        waiting.append(there)
            edges = [edge for edge in edges if edge[0] in left and edge[1] in left]
        return {edge[0] for edge in edges} | {edge[1] for edge in edges}

    def order_without(self, cut: frozenset[int]) -> list[int]:  # noqa: C901 - one sweep over all routes, without calls
        """Strips (their `in`) and keyed inserts in an order of the flow.

        Parameters
        ----------
        cut
            Audio and key routes to leave out.

        Returns
        -------
        list of int
            Nodes, each behind all that lead to it; those in or behind a cycle are missing. O(strips + routes).

        Notes
        -----
        Kahn's sort by number of edges still to come (A. B. Kahn, *Topological sorting of large networks*, CACM 5,
        1962).
        """
        if self._order is not None and not cut:
            return self._order
        graph, strips = self.graph, len(self.graph.strips)
        outs, head, stage = graph.outs, graph.head, graph.stage
        degree = [len(routes) for routes in graph.ins] + [0] * (self.first_outlet - strips)
        left_out = [route for routes in graph.outlet_outs for route in routes]  # they leave from no strip's `in`
        keys = [route for route in graph.keys if graph.outlet[route] < 0 and route not in cut]
        of_chains = {route for route in cut if route not in graph.key_node and graph.outlet[route] < 0}
        for route in (*left_out, *of_chains):
            degree[head[route]] -= 1
        beyond: dict[int, list[int]] = defaultdict(list)  # node → nodes that follow it, beside a strip's own routes
        last = self._strung(degree, beyond)
        for strip, node in last.items():
            beyond[node] += [
                head[route] for route in outs[strip] if stage[route] != IN and route not in of_chains
            ]  # fmt: skip
        for route in keys:
            start, node = graph.tail[route], self.insert_nodes[graph.key_node[route][1]]
            beyond[start if stage[route] == IN else last.get(start, start)].append(node)
            degree[node] += 1
        order = [node for node, entered in enumerate(degree) if not entered]
        for node in order:  # grows while it is walked
            for there in beyond.get(node, ()):
                degree[there] -= 1
                if not degree[there]:
                    order.append(there)
            if node >= strips:
                continue
            is_strung = node in last
            for route in outs[node]:
                if route not in of_chains and not (is_strung and stage[route] != IN):
                    there = head[route]
                    degree[there] -= 1
                    if not degree[there]:
                        order.append(there)
        if not cut:
            self._order = order
        return order

    def _strung(self, degree: list[int], follow: dict[int, list[int]]) -> dict[int, int]:
        """Strings the keyed inserts of each strip behind its `in`; gives the last node of such strips."""
        last = {}
        for strip, nodes in self.keyed.items():
            places = sorted(nodes, key=self.place.__getitem__)
            for here, there in pairwise([strip, *places]):
                follow[here].append(there)
                degree[there] += 1
            last[strip] = places[-1]
        return last

    @cached_property
    def order(self) -> list[int]:
        """Every strip after its inputs, every keyed insert after its keys, the routes of the cut left out."""
        return self.order_without(self.feedback)

    @cached_property
    def position(self) -> list[int]:
        """Per node, its place in the order of the flow."""
        places = [0] * self.first_outlet
        for place, node in enumerate(self.order):
            places[node] = place
        return places

    def adjacency(self, *passes: str) -> Adjacency:
        """Edges of some passes among the nodes that may lie on a cycle."""
        found: Adjacency = {node: [] for node in sorted(self.core)}
        for name in passes:
            for here, there, route in self.edges[name]:
                if here in found and there in found:
                    found[here].append((there, route))
        return found

    @cached_property
    def loops(self) -> tuple[Loop, ...]:
        """One loop a group and pass, audio first; groups in the order of their first strip."""
        if not self.core:
            return ()
        found: list[Loop] = []
        for position, needs in enumerate(PASSES):
            adjacency = self.adjacency(*PASSES[: position + 1])
            of_pass = {edge[2] for edge in self.edges[needs]}
            loops = [self._loop(group, adjacency, needs, of_pass) for group in strongly_connected_components(adjacency)]
            found += sorted((loop for loop in loops if loop), key=lambda loop: min(loop.strips))
        return tuple(found)

    def _loop(self, group: set[int], adjacency: Adjacency, needs: str, of_pass: set[int]) -> Loop | None:
        inner = {node: [edge for edge in adjacency[node] if edge[0] in group] for node in sorted(group)}
        routes = sorted({route for edges in inner.values() for _there, route in edges})
        if needs == "audio":
            through = back_edges(inner)
        else:
            through = [
                (node, there, route) for node, edges in inner.items() for there, route in edges if route in of_pass
            ]
        if not through:
            return None
        cycle = self._turned(shortest_cycle(inner, through, self.rank))
        strips = tuple(dict.fromkeys(self.graph.tail[route] for route in cycle))
        return Loop(needs, cycle, tuple(routes), strips)

    def _turned(self, cycle: list[int]) -> tuple[int, ...]:
        """The cycle from its first strip by the cut's order, so that equal loops read alike."""
        first = min(range(len(cycle)), key=lambda at: (self.graph.order_key(self.graph.tail[cycle[at]]), at))
        return tuple(cycle[first:] + cycle[:first])

    @cached_property
    def feedback(self) -> frozenset[int]:
        """The cut: audio and key routes of a group that do not run forward in (kind, document) order."""
        if not self.core:
            return frozenset()
        order, graph = self.graph.order_key, self.graph
        cut = set()
        adjacency = self.adjacency("audio", "key")
        for group in strongly_connected_components(adjacency):
            for node in group:
                for there, route in adjacency[node]:
                    if there in group and order(graph.tail[route]) >= order(graph.head[route]):
                        cut.add(route)
        return frozenset(cut)


def strongly_connected_components(adjacency: Adjacency) -> list[set[int]]:
    """Groups of nodes that all reach each other, those without a cycle left out.

    Parameters
    ----------
    adjacency
        Node → (node, route) of each edge.

    Returns
    -------
    list of set of int
        Nodes of each group. O(nodes + edges).

    References
    ----------
    R. Tarjan, *Depth-first search and linear graph algorithms*, SIAM J. Comput. 1 (1972); here with a stack of its own,
    as Python's is 1,000 deep and a chain of strips may be longer.
    """
    index: dict[int, int] = {}
    low: dict[int, int] = {}
    on_stack: set[int] = set()
    stack: list[int] = []
    groups: list[set[int]] = []
    for root in adjacency:
        if root in index:
            continue
        work = [(root, iter(adjacency[root]))]
        index[root] = low[root] = len(index)
        stack.append(root)
        on_stack.add(root)
        while work:
            node, edges = work[-1]
            for there, _route in edges:
                if there not in index:
                    index[there] = low[there] = len(index)
                    stack.append(there)
                    on_stack.add(there)
                    work.append((there, iter(adjacency[there])))
                    break
                if there in on_stack:
                    low[node] = min(low[node], index[there])
            else:
                work.pop()
                if work:
                    low[work[-1][0]] = min(low[work[-1][0]], low[node])
                if low[node] == index[node]:
                    group = set()
                    while True:
                        member = stack.pop()
                        on_stack.discard(member)
                        group.add(member)
                        if member == node:
                            break
                    if len(group) > 1 or any(there == node for there, _route in adjacency[node]):
                        groups.append(group)
    return sorted(groups, key=min)


def back_edges(adjacency: Adjacency) -> list[Edge]:
    """Edges to a node that the depth-first walk is still inside of: every cycle has at least one. O(edges)."""
    state: dict[int, int] = {}  # 1 inside, 2 done
    edges_back: list[Edge] = []
    for root in adjacency:
        if root in state:
            continue
        state[root] = 1
        work = [(root, iter(adjacency[root]))]
        while work:
            node, edges = work[-1]
            for there, route in edges:
                if state.get(there) == 1:
                    edges_back.append((node, there, route))
                elif there not in state:
                    state[there] = 1
                    work.append((there, iter(adjacency[there])))
                    break
            else:
                state[node] = 2
                work.pop()
    return edges_back


def shortest_cycle(adjacency: Adjacency, through: list[Edge], rank: list[int]) -> list[int]:
    """The cycle to show of a group: the fewest routes, then the smallest sorted list of route ids.

    Parameters
    ----------
    adjacency
        Edges of the group.
    through
        Edges of which the cycle has to take one.
    rank
        Per route, its place among all ids in order.

    Returns
    -------
    list of int
        Routes in the order of the cycle.

    Notes
    -----
    A breadth-first walk from the head of each edge back to its tail has, per node, the best set of routes so far. Of
    two sets of one size the one with the smaller smallest difference stays ahead with any common addition. So the best
    path to a node is part of a best path beyond it.
    """
    heads: dict[int, list[tuple[int, int]]] = defaultdict(list)
    for tail, head, route in through:
        heads[head].append((tail, route))
    best: tuple[int, tuple[int, ...], list[int]] | None = None
    for head, ends in heads.items():
        bound = len(rank) + 1 if best is None else best[0]
        for length, ids, routes in _ways_back(adjacency, head, ends, rank, bound):
            if best is None or (length, ids) < best[:2]:
                best = (length, ids, routes)
    if best is None:
        raise ValueError("none of the edges lies on a cycle")
    return best[2]


def _ways_back(
    adjacency: Adjacency, head: int, ends: list[tuple[int, int]], rank: list[int], bound: int
) -> list[tuple[int, tuple[int, ...], list[int]]]:
    wanted: dict[int, list[int]] = defaultdict(list)
    for tail, route in ends:
        wanted[tail].append(route)
    ways = []
    seen = {head}
    layer: dict[int, tuple[tuple[int, ...], list[int]]] = {head: ((), [])}
    length = 1
    while layer and length <= bound:
        for node, (ids, routes) in layer.items():
            for route in wanted.get(node, ()):
                ways.append((length, _with(ids, rank[route]), [*routes, route]))
        if ways:
            return ways
        ahead: dict[int, tuple[tuple[int, ...], list[int]]] = {}
        for node, (ids, routes) in layer.items():
            for there, route in adjacency[node]:
                if there not in seen:
                    new = _with(ids, rank[route])
                    if there not in ahead or new < ahead[there][0]:
                        ahead[there] = (new, [*routes, route])
        seen |= ahead.keys()
        layer, length = ahead, length + 1
    return ways


def _with(ids: tuple[int, ...], new: int) -> tuple[int, ...]:
    grown = list(ids)
    insort(grown, new)
    return tuple(grown)
