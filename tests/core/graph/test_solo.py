"""Solo as a preview, against the removal of everything else (networkx)."""

from __future__ import annotations

import networkx as nx
import pytest
from hypothesis import given

from lattice.graph.reach import Reach
from lattice.graph.signal_graph import SignalGraph
from lattice.graph.solo import solo
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

BAND = template(
    ["a:kick", "a:voice", "a:mute mute", "b:drums", "r:hall", "b:mix", "p:take", {"id": "i", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}]},
     "b:keys", "o:out", "o:cue"],
    ["kick>drums", "drums>mix", "voice>mix", "send voice>hall", "hall>mix", "mix>out", "voice>cue", "drums>take", "mute>drums", "i>keys", "i/2>drums", "keys>cue"],
)  # fmt: skip
CASES = [
    ("a source", ["kick"], {"kick", "drums", "mix", "out", "take"}, {"cue"}),
    ("a bus, with what feeds it", ["drums"], {"kick", "i", "drums", "mix", "out", "take"}, {"cue"}),
    ("a return, with what sends to it", ["hall"], {"voice", "hall", "mix", "out"}, {"cue", "take"}),
    ("a muted strip brings nothing", ["mute"], {"mute"}, {"out", "cue", "take"}),
    ("two", ["hall", "keys"], {"voice", "hall", "mix", "out", "i", "keys", "cue"}, {"take"}),
]


@pytest.mark.parametrize(("asked", "sounding", "silent"), [case[1:] for case in CASES], ids=[case[0] for case in CASES])
def test_what_would_still_sound(asked: list[str], sounding: set[str], silent: set[str]) -> None:
    graph = SignalGraph(BAND)
    found = solo(Reach(graph, states=True), [graph.index[strip] for strip in asked])
    assert {graph.strips[n].id for n in found.strips} == sounding
    assert {graph.strips[n].id for n in found.silent} == silent
    assert {graph.strips[n].id for n in found.heard} == {"out", "cue", "take"} - silent


@given(templates())
@tries(200)
def test_all_of_it_solo_is_all_of_it(made: Template) -> None:
    graph = SignalGraph(made)
    reach = Reach(graph, states=True)
    everything = solo(reach, range(len(graph.strips)))
    assert everything.silent == ()
    for strip in range(len(graph.strips)):
        one = solo(reach, [strip])
        assert one.routes <= everything.routes
        carrying = nx.DiGraph((graph.tail[route], graph.head[route]) for route in everything.routes)
        carrying.add_nodes_from(range(len(graph.strips)))
        near = {strip} | nx.ancestors(carrying, strip) | nx.descendants(carrying, strip)
        assert one.strips == near & everything.strips
