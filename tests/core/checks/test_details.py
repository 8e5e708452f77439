"""The rows of docs/reference/checks.md beyond the plain case, one line each."""

from __future__ import annotations

from itertools import combinations

import networkx as nx
import pytest
from hypothesis import given

from lattice.checks import audit
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

KEYED = {"id": "b", "kind": "bus", "inserts": [{"id": "duck", "type": "compressor", "key": "external"}]}
DORMANT = {
    "id": "b",
    "kind": "bus",
    "inserts": [{"id": "duck", "type": "compressor", "key": "external", "state": "bypassed"}],
}
PLAYER = {"id": "i", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}, {"id": "3", "open": False}]}
TWO = [{"id": "main", "name": "Main"}, {"id": "two", "name": "Two"}]
AWAY = {"id": "away", "kind": "output", "machine": "two"}
PLAYED = {"id": "choir", "kind": "instrument", "machine": "two", "section": "s"}


ASIDE = {
    "time.total",
    "midi.unplayed",
    "route.folded",
    "route.channels-lost",
}  # occurs in many small examples, and is tested elsewhere


def codes(made: Template, about: str) -> dict[str, str]:
    """code → severity of the findings about a strip."""
    return {f.code: f.severity for f in audit(made).findings if about in f.strips[:1] and f.code not in ASIDE}


UNPRINTED = {"stem.unprinted": "warning", "stem.layout": "warning"}  # a stereo stem of a mono bus, without a print


@pytest.mark.parametrize(
    ("made", "about", "expected"),
    [
        # unrouted and blocked
        (template(["a:x spare"]), "x", {}),
        (template(["a:x backup"]), "x", {}),
        (template(["a:x silent"]), "x", {}),
        (template(["a:x out"]), "x", {}),
        (template(["a:x trigger", KEYED], ["key x>b/duck"]), "x", {}),
        (template(["a:x trigger", DORMANT], ["key x>b/duck"]), "x", {}),  # key.dormant says it
        (template(["a:x trigger", KEYED], ["key x>b/duck disabled"]), "x", {"route.unheard": "note"}),
        (template(["a:x", "b:y", "o:z"], ["x>y", "y>z off"]), "x", {"route.blocked": "warning"}),
        (template(["a:x", "b:y", "o:z"], ["x>y", "y>z off automated"]), "x", {}),
        (template(["a:x", "p:y out"], ["x>y"]), "x", {"route.blocked": "warning"}),
        (template(["a:x", "p:y mute"], ["x>y"]), "x", {}),
        (template(["a:x", "p:y", "o:z"], ["x>y", "y>z"]), "z", {"route.starved": "warning"}),
        (template(["a:x", "p:y always", "o:z"], ["x>y", "y>z"]), "z", {}),
        (template(["n:x", "a:y", "o:z"], ["x>y", "y>z"]), "x", {"route.blocked": "warning"}),
        (template(["n:x", "a:y always", "o:z"], ["x>y", "y>z"]), "x", {}),
        (template(["n:x", "a:y always"], ["x>y"]), "x", {"route.unheard": "blocker"}),
        (template(["n:x", "a:y always"], ["x>y"]), "y", {}),  # it passes its input and plays nothing of its own
        (template([PLAYER, "o:z"], ["i/2>z", "i>z"]), "i", {}),
        # a tie: the output at its origin is no endpoint, the input at its end no source
        (template(["n:x", AWAY, {**PLAYED, "section": None}], ["choir>away", "tie away>x"], machines=TWO), "choir", {"route.unheard": "blocker"}),
        (template(["n:x", AWAY, "o:z"], ["tie away>x", "x>z"], machines=TWO), "away", {"route.unfed": "warning"}),
        # starved: pop or talkback alone is a note; spares count as sources
        (template(["a:x pop", "o:z mute"], ["x>z"]), "z", {"route.starved": "note"}),
        (template(["a:x talkback", "a:y", "o:z mute"], ["x>z", "y>z"]), "z", {"route.starved": "warning"}),
        (template(["a:x spare", "o:z"], ["x>z"]), "z", {}),
        (template(["a:x backup", "o:z"], ["x>z"]), "z", {"route.unfed": "warning"}),
        (template(["b:x spare"]), "x", {}),
        (template(["a:x", "b:y mute", "o:z"], ["x>y", "x>z"], stems=[{"id": "st", "name": "S", "strip": "y"}]), "y", {"route.starved": "warning", **UNPRINTED}),
        (template(["a:x", "b:y mute", "o:z"], ["x>y", "x>z"], stems=[{"id": "st", "name": "S", "strip": "y", "tap": "pre-fader"}]), "y", UNPRINTED),
        # stray: through a sub-bus or the tie of another machine is not stray; apart tags are not
        (template([{"id": "x", "kind": "audio", "section": "s"}, {"id": "sub", "kind": "bus", "section": "s"}, "b:bus", "o:z"],
                  ["x>sub", "sub>bus", "bus>z"], sections=[{"id": "s", "name": "S", "bus": "bus"}]), "x", {}),
        (template([{"id": "x", "kind": "audio", "section": "s", "tags": ["click"]}, "b:bus", "o:z"], ["x>z"],
                  sections=[{"id": "s", "name": "S", "bus": "bus"}]), "x", {}),
        (template([PLAYED, {**AWAY, "section": "s"}, {"id": "back", "kind": "input", "section": "s"}, "b:bus", "o:z"],
                  ["choir>away", "tie away>back", "back>bus", "bus>z"], machines=TWO,
                  sections=[{"id": "s", "name": "S", "bus": "bus"}]), "choir", {}),
        # double path: the clean send counts, the processed one does not; a pop belongs in every stem
        (template(["a:x", "b:y", "o:z"], ["x>z", "send x>y -6", "y>z"]), "x", {"route.double-path": "warning"}),
        (template(["a:x", DORMANT, "o:z"], ["x>z", "send x>b -6", "b>z"]), "x", {"route.double-path": "warning"}),
        (template(["a:x", KEYED, "o:z"], ["x>z", "send x>b -6", "b>z"]), "x", {}),
        (template(["a:x", KEYED, "o:z"], ["x>z", "x>b", "b>z"]), "x", {"route.double-path": "warning"}),
        (template(["a:x pop", "b:y", "b:w", "o:z"], ["x>y", "x>w", "y>z", "w>z"]), "x", {}),
        (template(["a:x", "b:y", "o:z"], ["x>z", "x>y disabled", "y>z"]), "x", {}),
        (template([{"id": "x", "kind": "audio", "layout": "stereo"}, {"id": "z", "kind": "output", "layout": "stereo"}],
                  [{"from": "x", "to": "z", "channels": [[1, 1]]}, {"from": "x", "to": "z", "channels": [[2, 2]]}]), "x", {}),
    ],
)  # fmt: skip
def test_rows(made: Template, about: str, expected: dict[str, str]) -> None:
    assert codes(made, about) == expected


@pytest.mark.parametrize(
    ("strips", "routes", "severity"),
    [
        (["b:x", "b:y"], ["x>y", "y>x"], "blocker"),
        (["b:x mute", "b:y"], ["x>y", "y>x"], "warning"),
        (["b:x", "b:y"], ["x>y", "y>x disabled"], "warning"),
        (["b:x", "p:y"], ["x>y", "y>x"], "warning"),
        (["b:x", "b:y"], ["x>y", "y>x off"], "note"),
        (["b:x off", "b:y"], ["x>y", "y>x off"], "note"),
        (["b:x off mute", "b:y"], ["x>y", "y>x"], "warning"),
        (["b:x", "b:y"], ["x>y", "y>x off automated"], "blocker"),
    ],
)
def test_severity_of_a_loop(strips: list[str], routes: list[str], severity: str) -> None:
    (found,) = [finding for finding in audit(template(strips, routes)).findings if finding.code == "loop.audio"]
    assert found.severity == severity


def test_evidence_names_the_first_blocker_and_the_strip_it_is_at() -> None:
    made = template(["a:x", "b:y mute", "x:m off", "o:z"], ["x>y", "y>m", "m>z"])
    (found,) = [finding for finding in audit(made).findings if finding.code == "route.blocked"]
    assert found.strips == ("x", "y")
    assert found.evidence == ("x → y → m → z", "blocked: y is muted", "blocked: fader of m is off")


@given(templates())
@tries(250)
def test_double_paths_against_all_pairs_of_simple_paths(made: Template) -> None:
    found = {f.strips[:2] for f in audit(made).findings if f.code == "route.double-path"}
    assert found == _double_paths(made)


def _double_paths(made: Template) -> set[tuple[str, ...]]:
    """All strips D, J with two disjoint paths by feeds, or by sends that no insert changes."""
    graph = SignalGraph(made)
    reach = Reach(graph, states=True)
    nx_graph = nx.MultiDiGraph()
    for number, route in enumerate(made.routes):
        if route.kind in ("feed", "send") and reach.route_ok[number] and graph.outlet[number] < 0:
            nx_graph.add_edge(route.from_strip, route.to, key=number)
    strips = {strip.id: strip for strip in made.strips}
    leaves = reach.from_sources().leaves

    def is_clean(path: list[tuple[str, str, int]]) -> bool:
        sent = False
        for at, (start, _end, number) in enumerate(path):
            inserts = [i for i in strips[start].inserts if i.state == "on" and i.type != "gain"]
            if at and (
                not reach.monitors[graph.index[start]] or (sent and inserts and made.routes[number].tap != "pre-insert")
            ):
                return False
            sent = sent or made.routes[number].kind == "send"
        return True

    doubles = set()
    for start, end in ((s, e) for s in nx_graph for e in nx_graph if s != e):
        if not leaves[graph.index[start]] or "pop" in strips[start].tags:
            continue
        paths = [path for path in nx.all_simple_edge_paths(nx_graph, start, end) if is_clean(path)]
        for one, other in combinations(paths, 2):
            between = [{edge[1] for edge in path[:-1]} for path in (one, other)]
            if one[0] != other[0] and not between[0] & between[1]:
                doubles.add((start, end))
    return doubles


def test_levels_state_how_many_sources_are_assumed() -> None:
    """Evidence of a level: three sources reach it, two of them without a stated level."""
    loud = {"source": {"peak_dbfs": 0.0, "rms_dbfs": -6.0}}
    strips = [
        {"id": "a", "kind": "audio", **loud},
        {"id": "b", "kind": "audio"},
        {"id": "c", "kind": "audio"},
        {"id": "d", "kind": "audio", "mute": True},
        {"id": "e", "kind": "audio", "source": None},
        {"id": "out", "kind": "output", "io": [1]},
    ]
    made = template(strips, ["a>out 6", "b>out", "c>out", "d>out", "e>out"])
    (over,) = [finding for finding in audit(made).findings if finding.code == "level.over"]
    assert "2 of 3 sources at an assumed level" in over.evidence
    stated = template([strip | loud for strip in strips[:1]] + strips[-1:], ["a>out 6"])
    (over,) = [finding for finding in audit(stated).findings if finding.code == "level.over"]
    assert not any("assumed" in line for line in over.evidence)
