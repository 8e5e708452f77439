"""Loops and the cut against networkx on random templates, and on hand-worked ones."""

from __future__ import annotations

import itertools

import networkx as nx
import pytest
from hypothesis import given

from lattice.graph.loops import PASSES, LoopGraph
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

KIND_ORDER = ["input", "midi", "instrument", "audio", "bus", "return", "master", "print", "output"]
COMP = [{"id": "comp", "type": "compressor", "key": "external"}]


def stage_graph(made: Template, passes: int) -> nx.MultiDiGraph:
    """Every stage of every strip as a node; routes as edges that carry their id."""
    nx_graph = nx.MultiDiGraph()
    for strip in made.strips:
        stages = ["in", *(insert.id for insert in strip.inserts), "pre", "post"]
        for start, end in itertools.pairwise(stages):
            nx_graph.add_edge((strip.id, start), (strip.id, end), route=None)
        main = next((o for o in strip.outlets if o.main), strip.outlets[0] if strip.outlets else None)
        for outlet in strip.outlets:
            nx_graph.add_edge(
                (strip.id, "notes"), (strip.id, "in" if outlet is main else f"outlet {outlet.id}"), route=None
            )
        nx_graph.add_edge((strip.id, "notes"), (strip.id, "in"), route=None)
    by_id = {strip.id: strip for strip in made.strips}
    tap = {"pre-insert": "in", "pre-fader": "pre", "post-fader": "post"}
    for route in made.routes:
        kind = "audio" if route.kind in ("feed", "send", "tie") else route.kind
        if PASSES.index(kind) > passes:
            continue
        outlets = by_id[route.from_strip].outlets
        main = next((o for o in outlets if o.main), outlets[0] if outlets else None)
        side = route.from_outlet is not None and main is not None and route.from_outlet != main.id
        start = f"outlet {route.from_outlet}" if side and kind != "midi" else "in" if kind == "midi" else tap[route.tap]
        # a key drives the stage behind its insert
        end = {"audio": "in", "midi": "notes", "key": route.to_insert}[kind]
        nx_graph.add_edge((route.from_strip, start), (route.to, end), route=route.id, kind=kind)
    return nx_graph


def cycles(nx_graph: nx.MultiDiGraph) -> list[tuple[list[str], set[str]]]:
    """Every simple cycle as its route ids in order and the kinds of routes on it."""
    found = []
    for nodes in nx.simple_cycles(nx.DiGraph(nx_graph)):
        steps = list(zip(nodes, [*nodes[1:], nodes[0]], strict=True))
        ways: list[tuple[list[str], set[str]]] = [([], set())]
        for start, end in steps:
            options = nx_graph.get_edge_data(start, end).values()
            ways = [
                (ids + ([data["route"]] if data["route"] else []), kinds | ({data["kind"]} if data["route"] else set()))
                for ids, kinds in ways
                for data in options
            ]
        found += ways
    return found


@given(templates(most_strips=5, most_routes=9))
@tries(300)
def test_shortest_cycles_against_all_simple_cycles(made: Template) -> None:
    loops = LoopGraph(SignalGraph(made)).loops
    for position, needs in enumerate(PASSES):
        nx_graph = stage_graph(made, position)
        wanted = {}
        groups = list(nx.strongly_connected_components(nx_graph))
        for ids, kinds in cycles(nx_graph):
            if needs in kinds or needs == "audio":
                where = next(at for at, group in enumerate(groups) if _node_of(nx_graph, ids[0]) in group)
                best = (len(ids), sorted(ids))
                wanted[where] = min(wanted.get(where, best), best)
        found = [loop for loop in loops if loop.needs == needs]
        assert sorted(sorted(made.routes[r].id for r in loop.cycle) for loop in found) == sorted(
            ids for _n, ids in wanted.values()
        )


def _node_of(nx_graph: nx.MultiDiGraph, route: str) -> tuple[str, str]:
    return next(start for start, _end, data in nx_graph.edges(data=True) if data["route"] == route)


@given(templates())
@tries(200)
def test_the_cut_is_what_runs_against_the_order_inside_a_group_and_leaves_no_loop(made: Template) -> None:
    nx_graph = stage_graph(made, 1)
    order = {strip.id: (KIND_ORDER.index(strip.kind), at) for at, strip in enumerate(made.strips)}
    group_of = {node: at for at, group in enumerate(nx.strongly_connected_components(nx_graph)) for node in group}
    wanted = {
        data["route"]
        for start, end, data in nx_graph.edges(data=True)
        if data["route"] and group_of[start] == group_of[end] and order[start[0]] >= order[end[0]]
    }
    feedback = {made.routes[number].id for number in LoopGraph(SignalGraph(made)).feedback}
    assert feedback == wanted
    nx_graph.remove_edges_from(
        [(s, e, k) for s, e, k, d in nx_graph.edges(keys=True, data=True) if d["route"] in feedback]
    )
    assert nx.is_directed_acyclic_graph(nx.DiGraph(nx_graph))


@pytest.mark.parametrize(
    ("strips", "routes", "cycle", "group"),
    [
        (["b:x", "b:y"], ["x>y", "y>x"], "r1 r2", "r1 r2"),
        (["b:x"], ["x>x"], "r1", "r1"),
        (["b:x", "b:y"], ["x>y", "send x>y", "y>x"], "r1 r3", "r1 r2 r3"),
        (["b:x", "r:y", "r:z"], ["x>z", "z>x", "x>y", "y>x"], "r1 r2", "r1 r2 r3 r4"),
        (["a:x always", "b:y"], ["y>x", "x>y pre-insert"], "r1 r2", "r1 r2"),
        (["b:x", "b:y", "b:z"], ["x>y", "y>z", "z>x", "z>y"], "r2 r4", "r1 r2 r3 r4"),
    ],
)
def test_hand_worked_cycles(strips: list[str], routes: list[str], cycle: str, group: str) -> None:
    made = template(strips, routes)
    (loop,) = LoopGraph(SignalGraph(made)).loops
    assert " ".join(sorted(made.routes[r].id for r in loop.cycle)) == cycle
    assert " ".join(made.routes[r].id for r in loop.group) == group


def test_a_key_from_before_the_insert_it_works_is_no_loop() -> None:
    made = template([{"id": "x", "kind": "bus", "inserts": COMP}], ["key x>x/comp pre-insert"])
    assert LoopGraph(SignalGraph(made)).loops == ()


def test_a_key_from_behind_the_insert_it_works_is_a_loop() -> None:
    made = template([{"id": "x", "kind": "bus", "inserts": COMP}], ["key x>x/comp pre-fader"])
    assert [loop.needs for loop in LoopGraph(SignalGraph(made)).loops] == ["key"]


def test_a_ring_of_many_strips_is_found_without_recursion_or_waiting() -> None:
    count = 5_000  # Python calls itself 1,000 deep at most
    made = template([f"b:b{n}" for n in range(count)], [f"b{n}>b{(n + 1) % count}" for n in range(count)])
    (loop,) = LoopGraph(SignalGraph(made)).loops
    assert len(loop.cycle) == count
