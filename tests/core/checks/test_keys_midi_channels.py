"""Keys, MIDI, channels and physical connections: the rows beyond the plain case, and brute force where it is short."""

from __future__ import annotations

from typing import Any

import networkx as nx
import pytest
from hypothesis import given

from lattice.checks import Finding, audit
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from lattice.model.layouts import NAMED, channel_count
from tests.build import template
from tests.core import brute
from tests.deep import tries
from tests.strategies import templates

DUCK = {"id": "duck", "type": "compressor", "key": "external"}
BUS = {"id": "b", "kind": "bus", "inserts": [DUCK]}


def found(made: Template, code: str) -> list[Finding]:
    return [finding for finding in audit(made).findings if finding.code == code]


def wide(name: str, layout: str, kind: str = "bus", **fields: Any) -> dict[str, Any]:
    return {"id": name, "kind": kind, "layout": layout, **fields}


@given(templates())
@tries(300)
def test_unfed_keys_against_the_stage_graph(made: Template) -> None:
    """An insert is fed if some source's sound is, unblocked, at the tap of an open key route that ends at it."""
    stages = brute.Stages(made)
    sounding = stages.reached_from_sources(stages.open)
    fed = set()
    for route in made.routes:
        if route.kind == "key" and route.enabled and (route.gain_db is not None or route.automated):
            tail, head = stages.by_id[route.from_strip], stages.by_id[route.to]
            side = {outlet.id for outlet in stages.side_outlets(tail)}
            if route.from_outlet in side:
                taps = [f"outlet {route.from_outlet}"]
            else:
                stage = brute.STAGE[route.tap]
                taps = [f"{stage} own", *([f"{stage} fed"] if stages.monitors(tail) else [])]
            if head.in_service and any((tail.id, tap) in sounding for tap in taps):
                fed.add(route.to_insert)
    expected = {
        insert.id
        for strip in made.strips
        for insert in strip.inserts
        if strip.in_service and insert.key == "external" and insert.state == "on" and insert.id not in fed
    }
    assert {finding.inserts[0] for finding in found(made, "key.unfed")} == expected


@given(templates())
@tries(200)
def test_keys_of_oneself_against_sets_of_sources(made: Template) -> None:
    graph = SignalGraph(made)
    reach = Reach(graph, states=True)
    outlets = [o for o in range(len(graph.outlets)) if reach.outlet_sounds(o)]
    sources = [("strip", n) for n, sounds in enumerate(reach.sounds) if sounds] + [("outlet", o) for o in outlets]
    spread = {s: reach.forward([s[1]] if s[0] == "strip" else [], [s[1]] if s[0] == "outlet" else []) for s in sources}
    expected = set()
    for route in graph.keys:
        if not reach.route_ok[route]:
            continue
        outlet = graph.outlet[route]
        key = {s for s in sources if (s == ("outlet", outlet) if outlet >= 0 else spread[s].leaves[graph.tail[route]])}
        works_on = {s for s in sources if spread[s].arrives[graph.head[route]]}
        if key and key <= works_on:
            expected.add(made.routes[route].id)
    assert {finding.routes[0] for finding in found(made, "key.self")} == expected


@given(templates())
@tries(200)
def test_midi_strips_and_instruments_against_the_rows_of_the_table(made: Template) -> None:
    midis = [route for route in made.routes if route.kind == "midi" and route.enabled]
    silent = {s.id for s in made.strips if s.kind == "midi" and s.in_service and "spare" not in s.tags}
    sections = {s.id: s.section for s in made.strips}
    kinds = {s.id: s.kind for s in made.strips}
    played = {sections[r.to] for r in midis if kinds[r.from_strip] == "midi" and kinds[r.to] == "instrument"}
    unplayed = {s.id for s in made.strips if s.kind == "instrument" and "spare" not in s.tags and s.section in played}
    assert {f.strips[0] for f in found(made, "midi.no-instrument")} == silent - {route.from_strip for route in midis}
    assert {f.strips[0] for f in found(made, "midi.unplayed")} == unplayed - {route.to for route in midis}


def test_a_key_that_is_ducked_twice_names_outer_inner_and_trigger() -> None:
    inner = {"id": "x", "kind": "audio", "inserts": [{**DUCK, "id": "inner"}]}
    (one,) = found(
        template([inner, "a:k", BUS, "o:out"], ["x>b", "b>out", "key k>b/duck", "key k>x/inner"]), "key.double"
    )
    assert one.strips == ("b", "x", "k")
    before = template([inner, "a:k", BUS, "o:out"], ["x>b pre-insert", "b>out", "key k>b/duck", "key k>x/inner"])
    assert found(before, "key.double") == []


def midi(*channels: int | None, port: int | None = None, received: Any = "all") -> Template:
    strips = [
        *(f"m:m{n}" for n in range(len(channels))),
        {"id": "i", "kind": "instrument", "midi": {"ports": 1, "channels": received}},
    ]
    routes = [
        {"kind": "midi", "from": f"m{n}", "to": "i", "channel": channel, "port": port}
        for n, channel in enumerate(channels)
    ]
    return template(strips, routes)


@pytest.mark.parametrize(
    ("channels", "clashing"),
    [((1, 2), ()), ((1, 1), ("m0", "m1")), ((None, 5), ("m0", "m1")), ((1, 2, 1), ("m0", "m2")), ((None,), ())],
)
def test_clashing_channels(channels: tuple[int | None, ...], clashing: tuple[str, ...]) -> None:
    findings = found(midi(*channels), "midi.channel-clash")
    assert [finding.strips for finding in findings] == ([("i", *clashing)] if clashing else [])


def test_a_remedy_moves_to_the_next_channel_that_is_free_and_received() -> None:
    from lattice.edits import apply_steps

    made = midi(3, 3, None, received=[1, 3, 4, 7])
    (finding,) = found(made, "midi.channel-clash")
    mended = apply_steps(made, finding.remedies[0].steps)
    assert [route.channel for route in mended.routes] == [3, 1, 4]
    assert found(midi(3, 3, received=[3]), "midi.channel-clash")[0].remedies == ()


def test_ports_of_another_machine_count_with_the_instruments_own() -> None:
    player = {"id": "i", "kind": "instrument", "machine": "two", "midi": {"ports": 3}}
    routes = [{"kind": "midi", "from": "n", "to": "i", "port": 3}]
    for ports, blockers in ((3, 0), (2, 1)):
        machines = [{"id": "main", "name": "Main"}, {"id": "two", "name": "Two", "midi_ports": ports}]
        assert len(found(template(["m:n", player], routes, machines=machines), "midi.port-range")) == blockers


@pytest.mark.parametrize("start", [*NAMED, "discrete:3"])
@pytest.mark.parametrize("end", [*NAMED, "discrete:3"])
def test_folding_is_said_of_wider_named_layouts_into_narrower_ones(start: str, end: str) -> None:
    made = template([wide("x", start, "audio"), wide("y", end)], ["x>y"])
    folds = start in NAMED and end in NAMED and channel_count(start) > channel_count(end)
    assert bool(found(made, "route.folded")) == folds


def test_only_channels_that_carry_sound_are_lost() -> None:
    mono_in_stereo = [wide("x", "mono", "audio", pan=-1.0), wide("y", "stereo"), wide("z", "stereo")]
    only_left = {"from": "y", "to": "z", "channels": [[1, 1]]}
    assert (
        found(
            template(mono_in_stereo, [{"from": "x", "to": "y", "channels": [[1, 1]]}, only_left]), "route.channels-lost"
        )
        == []
    )
    (lost,) = found(
        template(mono_in_stereo, [{"from": "x", "to": "y", "channels": [[1, 1], [1, 2]]}, only_left]),
        "route.channels-lost",
    )
    assert (lost.strips, lost.figures) == (("y", "z"), {"channels": 1})


def test_a_panner_first_makes_channels_count_one_by_one() -> None:
    panned = wide("d", "quad", inserts=[{"id": "p", "type": "panner"}])
    pairs = [{"from": name, "to": "d", "channels": [[1, 3]]} for name in ("x", "y")]
    made = template(["a:x", "a:y", panned], pairs)
    assert found(made, "route.channels-doubled")[0].strips == ("d", "x", "y")
    assert found(made, "route.channels-gap")[0].figures == {"channels": 2}
    assert found(template(["a:x", "a:y", wide("d", "quad")], pairs), "route.channels-doubled") == []


def test_external_inserts_use_physical_channels_too() -> None:
    sent = wide("x", "stereo", inserts=[{"id": "box", "type": "external", "io_out": [3, 4], "io_in": [9]}])
    made = template([sent, wide("o", "stereo", "output", io=[4, 5])])
    (out_of_range,) = found(made, "io.range")
    assert out_of_range.inserts == ("box",)
    assert out_of_range.evidence == (
        "uses input 9; Main computer has 8",
        "uses 1 physical inputs for 2 channels",
    )
    (clash,) = found(made, "io.clash")
    assert (clash.severity, clash.strips, clash.inserts) == ("warning", ("x", "o"), ("box",))


def test_two_inputs_on_one_channel_are_a_note() -> None:
    (clash,) = found(template([wide("x", "mono", "input", io=[1]), wide("y", "mono", "input", io=[1])]), "io.clash")
    assert clash.severity == "note"


def test_a_tie_between_different_rates_is_broken() -> None:
    machines = [{"id": "main", "name": "Main"}, {"id": "two", "name": "Two", "sample_rate_hz": 44100}]
    made = template(
        [wide("x", "mono", "output", machine="two"), wide("y", "mono", "input")], ["tie x>y"], machines=machines
    )
    assert found(made, "tie.broken")[0].evidence == ("44100 Hz at one end, 48000 Hz at the other",)


def test_members_of_a_choice_are_not_said_to_be_blocked() -> None:
    choices = [{"id": "c", "name": "Mics", "members": ["x", "y"], "sounding": 1}]
    made = template(["a:x", "a:y mute", "o:out"], ["x>out", "y>out"], choices=choices)
    assert found(made, "route.blocked") == []
    assert found(made, "choice.wrong") == []


def test_the_finding_that_appears_when_one_outlet_is_closed() -> None:
    from lattice.edits import apply

    kit = {
        "id": "kit", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}],
        "parts": [{"id": "kick", "name": "Kick", "outlet": "1"}, {"id": "snare", "name": "Snare", "outlet": "2"}],
    }  # fmt: skip
    made = template([kit, "o:out"], ["kit>out", "kit/2>out"])
    assert found(made, "part.unheard") == []
    closed = apply(made, "change_outlet", {"strip": "kit", "outlet": "2", "changes": {"open": False}})
    (finding,) = found(closed, "part.unheard")
    assert finding.message == "Snare of kit is silent: outlet 2 is closed"
    assert finding.others == ("kit/snare",)


def test_the_activity_of_channels_against_paths_of_single_channels() -> None:
    from lattice.gain_staging.activity import active_channels
    from lattice.gain_staging.gains import chain_gain, route_gain

    strips = [wide("a", "stereo", "audio"), wide("b", "5.1"), wide("c", "mono"), wide("d", "discrete:4")]
    routes = ["a>b", "b>c", "c>d", {"from": "a", "to": "d", "channels": [[2, 4]]}, "d>b"]
    made = template(strips, routes)
    graph = SignalGraph(made)
    nx_graph = nx.DiGraph()
    for number in range(len(routes)):
        tail, head = graph.tail[number], graph.head[number]
        whole = chain_gain(made.strips[tail], 2).then(route_gain(graph, number)).matrix
        for row, gains in enumerate(whole):
            for column, gain in enumerate(gains):
                if gain:
                    nx_graph.add_edge((tail, column), (head, row))
    reached = {node for channel in (0, 1) for node in nx.descendants(nx_graph, (0, channel))} | {(0, 0), (0, 1)}
    activity = active_channels(Reach(graph, states=True))
    assert {
        (strip, channel) for strip in range(4) for channel in range(6) if activity.at_in[strip] >> channel & 1
    } == reached
