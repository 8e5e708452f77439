"""The cheapest pair of disjoint paths, against every pair of simple paths."""

from __future__ import annotations

from itertools import combinations, pairwise

import networkx as nx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.graph.disjoint import DisjointPathPair
from tests.deep import tries

Edge = tuple[int, int, float]  # from, to, cost; its place in the list is its route


@st.composite
def edges(draw: st.DrawFn, *, loops: bool) -> list[Edge]:
    """A small nx_graph from node 0 to node 1; without loops, nodes are numbered along the flow (1 is the last)."""
    count = draw(st.integers(2, 7))
    order = [0, *range(2, count), 1]
    costs = st.sampled_from([0.0, 1.0, 2.0, 5.5] if loops else [-3.0, 0.0, 1.0, 2.0, 5.5])
    found = []
    for _ in range(draw(st.integers(1, 14))):
        start, end = draw(st.integers(0, count - 1)), draw(st.integers(0, count - 1))
        if start != end and (loops or start < end):
            found.append((order[start], order[end], draw(costs)))
    return found


def search(made: list[Edge], *, loops: bool) -> DisjointPathPair:
    follow: dict[int, list[tuple[int, int, float]]] = {}
    for route, (start, end, cost) in enumerate(made):
        follow.setdefault(start, []).append((route, end, cost))
    order = [0, *sorted({node for edge in made for node in edge[:2]} - {0, 1})]
    return DisjointPathPair(follow, 0, 1, None if loops else order)


def cheapest(made: list[Edge]) -> float | None:
    """The least cost of two disjoint paths from 0 to 1, by trying all."""
    nx_graph = nx.MultiDiGraph()
    nx_graph.add_nodes_from((0, 1))
    for route, (start, end, _cost) in enumerate(made):
        nx_graph.add_edge(start, end, key=route)
    paths = list(nx.all_simple_edge_paths(nx_graph, 0, 1))
    costs = [
        sum(made[route][2] for path in pair for _start, _end, route in path)
        for pair in combinations(paths, 2)
        if not {edge[1] for edge in pair[0][:-1]} & {edge[1] for edge in pair[1][:-1]}
    ]
    return min(costs, default=None)


@pytest.mark.parametrize("loops", [False, True])
@given(st.data())
@tries(250)
def test_the_pair_is_the_cheapest_of_all(loops: bool, data: st.DataObject) -> None:
    made = data.draw(edges(loops=loops))
    pair, wanted = search(made, loops=loops).pair(), cheapest(made)
    if pair is None:
        assert wanted is None
        return
    between = []
    for way in pair:
        hops = [made[route] for route in way]
        assert (hops[0][0], hops[-1][1]) == (0, 1)
        assert all(one[1] == other[0] for one, other in pairwise(hops))
        between.append({hop[1] for hop in hops[:-1]})
    assert not between[0] & between[1]
    assert pair[0] != pair[1]
    assert sum(made[route][2] for way in pair for route in way) == pytest.approx(wanted)
    assert sum(made[route][2] for route in pair[0]) <= sum(made[route][2] for route in pair[1]) + 1e-9


def test_a_first_way_that_bars_all_others_is_taken_back() -> None:
    """The textbook trap: the cheapest path goes straight across, and the pair has to go round it on both sides."""
    made = [(0, 2, 1.0), (2, 3, 0.0), (3, 1, 1.0), (2, 1, 9.0), (0, 3, 9.0)]
    pair = search(made, loops=False).pair()
    assert pair is not None
    assert sorted(map(tuple, pair)) == [(0, 3), (4, 2)]


def test_a_chain_of_diamonds_has_no_pair_beyond_each_diamond() -> None:
    made = [(0, 2, 1.0), (0, 3, 1.0), (2, 4, 1.0), (3, 4, 1.0), (4, 5, 1.0), (4, 6, 1.0), (5, 1, 1.0), (6, 1, 1.0)]
    assert search(made, loops=False).pair() is None
