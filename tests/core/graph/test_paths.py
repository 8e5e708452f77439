"""Paths, their blocks, and the least blocked path, against exhaustive search."""

from __future__ import annotations

import networkx as nx
from hypothesis import given

from lattice.graph.paths import Blockers, LeastBlockedPaths, Path, enumerate_paths
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates


def _audio(made: Template) -> nx.MultiDiGraph:
    nx_graph = nx.MultiDiGraph()
    nx_graph.add_nodes_from(range(len(made.strips)))
    graph = SignalGraph(made)
    for number in range(len(made.routes)):
        if made.routes[number].kind in ("feed", "send", "tie") and graph.outlet[number] < 0:
            nx_graph.add_edge(graph.tail[number], graph.head[number], key=number)
    return nx_graph


@given(templates())
@tries(150)
def test_enumerated_paths_are_all_simple_paths(made: Template) -> None:
    nx_graph, graph = _audio(made), SignalGraph(made)
    last = len(made.strips) - 1
    found = enumerate_paths(graph, [(0, -1)], {last}, most=10_000)
    expected = (
        [tuple(key for _s, _e, key in path) for path in nx.all_simple_edge_paths(nx_graph, 0, last)] if last else [()]
    )
    assert sorted(path.routes for path in found.paths) == sorted(expected)
    assert found.complete


@given(templates())
@tries(150)
def test_the_easiest_way_has_the_fewest_blockers_then_the_fewest_hops(made: Template) -> None:
    graph = SignalGraph(made)
    ends = {n for n in range(len(made.strips)) if graph.is_endpoint(n)}
    ways, namer = LeastBlockedPaths(graph), Blockers(graph)
    for start in range(len(made.strips)):
        if made.strips[start].kind == "midi":
            continue
        paths = enumerate_paths(graph, [(start, -1)], ends, most=10_000).paths
        costs = [(len(namer.along(path)), len(path.routes)) for path in paths]
        easiest = ways.to_endpoint(start)
        assert (easiest is None) == (not costs)
        if easiest is not None:
            assert (len(easiest.blockers), len(easiest.routes)) == min(costs)


@given(templates())
@tries(150)
def test_a_path_is_blocked_exactly_where_reach_says_that_nothing_arrives(made: Template) -> None:
    graph = SignalGraph(made)
    reach = Reach(graph, states=True)
    heard = reach.to_endpoints()
    ends = {n for n in range(len(made.strips)) if graph.is_endpoint(n)}
    for start, sounds in enumerate(reach.sounds):
        if sounds:
            paths = enumerate_paths(graph, [(start, -1)], ends, most=10_000).paths
            assert heard.own[start] == any(not path.blockers for path in paths)


def test_a_bound_is_said_and_kept() -> None:
    layers = [f"b:l{layer}n{n}" for layer in range(8) for n in range(4)]
    routes = [f"l{layer}n{a}>l{layer + 1}n{b}" for layer in range(7) for a in range(4) for b in range(4)]
    graph = SignalGraph(template([*layers, "o:out"], [*routes, *(f"l7n{n}>out" for n in range(4))]))
    found = enumerate_paths(graph, [(0, -1)], {graph.index["out"]}, most=50)
    assert len(found.paths) == 50
    assert not found.complete


def test_blockers_are_named_in_order_of_the_path() -> None:
    graph = SignalGraph(template(["a:x mute", "b:y off", "o:z out"], ["x>y disabled", "y>z off"]))
    kinds = [blocker.kind for blocker in Blockers(graph).along(Path(0, (0, 1)))]
    assert kinds == ["mute", "disabled", "fader-off", "gain-off", "out-of-service"]


def test_an_automated_send_at_off_blocks_nothing() -> None:
    graph = SignalGraph(template(["a:x", "o:z"], ["x>z off automated"]))
    assert Reach(graph, states=True).to_endpoints().own[0]
