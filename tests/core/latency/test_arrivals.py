"""Arrivals against networkx's longest path and against their definition, and properties of every template."""

from __future__ import annotations

import msgspec
import networkx as nx
import pytest
from hypothesis import assume, given

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.latency.arrivals import Arrivals, _apart
from lattice.latency.paths import critical_path
from lattice.model.document import Strip, Template
from tests.build import template as t
from tests.deep import tries
from tests.flows import flows
from tests.strategies import templates

many = tries(150)


def arrivals_of(template: Template) -> Arrivals:
    return Analysis(template).arrivals


def plays(template: Template, strip: Strip) -> bool:
    fed = any(r.to == strip.id and r.kind != "key" for r in template.routes)
    passes = strip.kind == "audio" and fed and strip.monitor == "always"
    return strip.kind in ("audio", "instrument", "input") and not passes


def longest(template: Template, *, compensated: bool) -> nx.DiGraph:
    """Nodes (strip, stage), edges weighted by samples; `start` plays every source. Keys are left out."""
    graph = nx.DiGraph()
    for strip in template.strips:
        chain = sum(insert.latency_samples for insert in strip.inserts if insert.state != "unloaded")
        graph.add_edge((strip.id, "in"), (strip.id, "pre"), weight=chain)
        if plays(template, strip):
            live = 32 + 64 if strip.kind == "input" and not compensated else 0
            graph.add_edge("start", (strip.id, "in"), weight=live or strip.latency_samples)
        if len(strip.outlets) > 1:
            graph.add_edge("start", (strip.id, "b"), weight=strip.latency_samples)
    for route in template.routes:
        if route.enabled and route.kind != "key":
            start = "b" if route.from_outlet == "b" else "in" if route.tap == "pre-insert" else "pre"
            graph.add_edge((route.from_strip, start), (route.to, "in"), weight=0)
    graph.add_node("start")
    return graph


@given(flows())
@many
def test_reported_arrivals_are_longest_paths(template: Template) -> None:
    assume(not template.compensation.covers_keys and template.compensation.mode == "full")
    graph, arrivals = longest(template, compensated=True), arrivals_of(template)
    reached = nx.descendants(graph, "start")
    for number, strip in enumerate(template.strips):
        assert (arrivals.at_in[number] is not None) == ((strip.id, "in") in reached)
        if arrivals.at_in[number] is not None:
            ways = graph.subgraph(
                {"start", *nx.ancestors(graph, (strip.id, "in")), (strip.id, "in")} & (reached | {"start"})
            )
            assert arrivals.reported[number] == nx.dag_longest_path_length(ways, weight="weight")


@given(flows())
@many
def test_without_compensation_the_latest_arrival_is_the_longest_path_and_the_earliest_the_shortest(
    template: Template,
) -> None:
    assume(template.compensation.mode == "off")
    graph, arrivals = longest(template, compensated=False), arrivals_of(template)
    reached = nx.descendants(graph, "start")
    for number, strip in enumerate(template.strips):
        span = arrivals.at_in[number]
        if span is not None:
            ways = graph.subgraph(
                {"start", *nx.ancestors(graph, (strip.id, "in")), (strip.id, "in")} & (reached | {"start"})
            )
            assert span.latest == nx.dag_longest_path_length(ways, weight="weight")
            assert span.earliest == nx.shortest_path_length(ways, "start", (strip.id, "in"), weight="weight")


@given(flows())
@many
def test_full_unlimited_compensation_of_what_is_reported_leaves_nothing_out_of_line(template: Template) -> None:
    assume(template.compensation.mode == "full" and template.compensation.limit_samples is None)
    assert "time.misaligned" not in {finding.code for finding in audit(template).findings}
    for span in arrivals_of(template).at_in:
        assert span is None or span.playback is None or span.playback[0] == span.playback[1]


@given(flows())
@many
def test_the_critical_path_adds_up_to_the_latency(template: Template) -> None:
    arrivals = arrivals_of(template)
    for output, samples in arrivals.outputs.items():
        assert sum(step.samples for step in critical_path(arrivals, output)) == samples


@given(flows())
@many
def test_no_route_is_held_longer_than_the_limit(template: Template) -> None:
    arrivals = arrivals_of(template)
    limit = template.compensation.limit_samples
    assert all(samples >= 0 for samples in arrivals.delays.values())
    assert limit is None or all(samples <= limit for samples in arrivals.delays.values())
    assert template.compensation.mode == "full" or not any(arrivals.delays.values())


@given(templates())
@many
def test_loops_end(template: Template) -> None:
    arrivals = arrivals_of(template)
    assert all(span is None or 0 <= span.earliest <= span.latest for span in arrivals.at_in)


LATE = {"id": "late", "type": "eq", "latency_samples": 100}
TRUE = {"id": "late", "type": "external", "latency_samples": 100, "measured_latency_samples": 148}
DUCK = {"id": "duck", "type": "compressor", "key": "external"}
TWO = [{"id": "main", "name": "Main"}, {"id": "two", "name": "Two", "tie_latency_samples": 30}]


def span(template: Template, strip: str, stage: str = "in") -> tuple[int, int]:
    arrivals = arrivals_of(template)
    number = arrivals.graph.index[strip]
    found = arrivals.at_in[number] if stage == "in" else arrivals.at_pre(number)
    assert found is not None
    return found.earliest, found.latest


def bus(name: str, *inserts: dict) -> dict:
    return {"id": name, "kind": "bus", "inserts": list(inserts)}


@pytest.mark.parametrize(
    ("made", "strip", "stage", "expected"),
    [
        # measured latency delays the sound, reported latency is compensated
        (t(["a:x", "a:y", bus("b", TRUE), "x:m"], ["x>b", "b>m", "y>m"]), "m", "in", (100, 148)),
        # bypassed inserts take their time, unloaded ones none
        (t(["a:x", bus("b", LATE | {"state": "bypassed"}), "x:m"], ["x>b", "b>m"]), "m", "in", (100, 100)),
        (t(["a:x", bus("b", LATE | {"state": "unloaded"}), "x:m"], ["x>b", "b>m"]), "m", "in", (0, 0)),
        # mutes, gains at off and monitoring do not matter; disabled routes and strips disabled do
        (t(["a:x mute", bus("b", LATE), "x:m"], ["x>b", "b>m off"]), "m", "in", (100, 100)),
        (t(["a:x", "a:y", bus("b", LATE), "x:m"], ["x>b disabled", "b>m", "y>m"]), "m", "in", (0, 0)),
        # a pre-insert tap leaves before the latency
        (t(["a:x", bus("b", LATE), "x:m"], ["x>b", "b>m pre-insert"]), "m", "in", (0, 0)),
        # a live input: its machine's latency and one buffer; no compensation can take that back
        (t(["n:x", "x:m"], ["x>m"], buffer_samples=128, machines=[{"id": "main", "name": "M", "input_latency_samples": 40}]), "m", "in", (168, 168)),
        # an insert waits for its key, and all behind it with it
        (t(["a:x", "a:k", bus("t", LATE), bus("b", DUCK)], ["x>b", "k>t", "key t>b/duck"]), "b", "post", (100, 100)),
        (t(["a:x", "a:k", bus("t", LATE), bus("b", DUCK)], ["x>b", "k>t", "key t>b/duck"], compensation={"covers_keys": False}), "b", "post", (0, 0)),
        # a key that leaves before a chain is not late by it
        (t(["a:x", "a:k", bus("t", LATE), bus("b", DUCK)], ["x>b", "k>t", "key t>b/duck pre-insert"]), "b", "post", (0, 0)),
        # a feed that carries no signal leaves a strip's own playback where it is
        (t(["a:y", "b:b"], ["b>y"]), "y", "in", (0, 0)),
        # a strip's own playback waits for feeds that are late
        (t(["a:x", "a:y", bus("b", LATE)], ["x>b", "b>y"], compensation={"mode": "off"}), "y", "in", (0, 100)),
        (t(["a:x", "a:y", bus("b", LATE)], ["x>b", "b>y"]), "y", "in", (100, 100)),
        # the limit stops short
        (t(["a:x", "a:y", bus("b", LATE), "x:m"], ["x>b", "b>m", "y>m"], compensation={"limit_samples": 60}), "m", "in", (60, 100)),
    ],
)  # fmt: skip
def test_arrivals(made: Template, strip: str, stage: str, expected: tuple[int, int]) -> None:
    assert span(made, strip, stage) == expected


@pytest.mark.parametrize(("covers", "expected"), [(True, (30, 30)), (False, (0, 30))])
def test_ties_take_their_time_and_are_waited_for_where_the_host_covers_them(
    covers: bool, expected: tuple[int, int]
) -> None:
    strips = [
        {"id": "x", "kind": "audio", "machine": "two"}, {"id": "o", "kind": "output", "machine": "two"},
        {"id": "n", "kind": "input"}, "a:y", "x:m",
    ]  # fmt: skip
    made = t(strips, ["x>o", "tie o>n", "n>m", "y>m"], machines=TWO, compensation={"covers_ties": covers})
    assert span(made, "m") == expected


@pytest.mark.parametrize(("covers", "expected"), [(True, {"p": 100, "q": 100}), (False, {"p": 0, "q": 100})])
def test_prints_are_padded_to_the_latest(covers: bool, expected: dict[str, int]) -> None:
    made = t(
        ["a:x", "a:y", bus("b", LATE), "p:p", "p:q"], ["x>p", "y>b", "b>q"], compensation={"covers_prints": covers}
    )
    arrivals = arrivals_of(made)
    assert {made.strips[number].id: span.latest for number, span in arrivals.prints.items()} == expected


def test_a_key_that_waits_is_on_the_critical_path() -> None:
    made = t(["a:x", "a:k", bus("t", LATE), bus("b", DUCK), "o:out"], ["x>b", "k>t", "key t>b/duck", "b>out"])
    arrivals = arrivals_of(made)
    steps = critical_path(arrivals, arrivals.graph.index["out"])
    assert [step.id for step in steps if step.what == "insert"] == ["late", "duck"]
    assert steps[0].id == "k"


def findings(made: Template, code: str) -> list:
    return [finding for finding in audit(made).findings if finding.code == code]


@pytest.mark.parametrize(
    ("beside", "severity", "notch"),
    [
        ({}, "blocker", 500.0),  # 48 samples at 48 kHz are 1 ms: f = 1/(2τ)
        ({"invert": True}, "blocker", 1000.0),  # of opposite polarity: f = 1/τ
        ({"fader_db": -24.0}, "blocker", 500.0),
        ({"fader_db": -25.0}, "warning", 500.0),  # below −24.8 dB there is less than 1 dB of ripple
    ],
)
def test_a_source_that_arrives_twice_combs(beside: dict, severity: str, notch: float) -> None:
    late = {"id": "late", "type": "eq", "latency_samples": 48}
    made = t(
        ["a:x", bus("b", late) | beside, "b:c", "x:m", "o:out"],
        ["x>b", "x>c", "b>m", "c>m", "m>out"],
        compensation={"mode": "off"},
    )
    (found,) = findings(made, "time.misaligned")
    assert (found.severity, found.strips, found.figures["skew_samples"]) == (severity, ("m", "b", "c"), 48)
    assert found.figures["skew_ms"] == pytest.approx(1.0)
    assert found.figures["notch_hz"] == pytest.approx(notch)


def test_a_late_reverb_is_a_note() -> None:
    hall = {"id": "r", "kind": "return", "inserts": [{"id": "v", "type": "reverb", "latency_samples": 200}]}
    made = t(["a:x", hall, "x:m"], ["send x>r -10", "x>m", "r>m"], compensation={"mode": "off"})
    (found,) = findings(made, "time.misaligned")
    assert found.severity == "note"
    assert "notch_hz" not in found.figures


def test_live_against_playback_is_not_called_misaligned() -> None:
    assert findings(t(["a:x", "n:y", "x:m"], ["x>m", "y>m"]), "time.misaligned") == []


def test_it_is_said_where_it_first_appears() -> None:
    late = {"id": "late", "type": "eq", "latency_samples": 48}
    made = t(
        ["a:x", "a:y", bus("b", late), "x:m", "x:n", "o:out"],
        ["x>b", "b>m", "y>m", "m>n", "n>out"],
        compensation={"mode": "off"},
    )
    assert [finding.strips[0] for finding in findings(made, "time.misaligned")] == ["m"]


def test_monitoring_counts_two_buffers_and_the_slowest_chain() -> None:
    machine = {"id": "main", "name": "Main", "input_latency_samples": 40, "output_latency_samples": 56}
    made = t(
        ["n:x", bus("b", LATE), "b:c", "o:out"],
        ["x>b", "x>c", "b>out", "c>out"],
        machines=[machine],
        profile={"monitor_limit_ms": 1.0},
    )
    (found,) = findings(made, "time.monitor")
    assert found.strips == ("x", "out")
    assert found.figures["monitor_ms"] == pytest.approx((40 + 2 * 256 + 100 + 56) / 48)


def test_the_total_has_the_output_latency_and_a_limit() -> None:
    machine = {"id": "main", "name": "Main", "output_latency_samples": 56}
    made = t(
        ["a:x", bus("b", LATE), "o:out"], ["x>b", "b>out"], machines=[machine], profile={"total_latency_limit_ms": 3.0}
    )
    (found,) = findings(made, "time.total")
    assert (found.severity, found.figures["total_samples"], found.inserts) == ("warning", 156, ("late",))
    relaxed = msgspec.structs.replace(made, profile=msgspec.structs.replace(made.profile, total_latency_limit_ms=None))
    assert findings(relaxed, "time.total")[0].severity == "note"


@pytest.mark.parametrize(
    ("spans", "expected"),
    [([(0, 50)], 0), ([(100, 150), (100, 150)], 0), ([(100, 150), (120, 150)], 0), ([(0, 10), (20, 30)], 30)],
)
def test_what_comes_apart_is_more_than_each_is_by_itself(spans: list[tuple[int, int]], expected: int) -> None:
    assert _apart(spans) == expected


def test_the_total_is_that_of_the_latest_output() -> None:
    made = t(
        [
            {"id": "in", "kind": "input", "io": [1]},
            {"id": "slow", "kind": "bus", "inserts": [{"id": "i", "type": "eq", "latency_samples": 300}]},
            {"id": "soon", "kind": "output", "io": [1]},
            {"id": "late", "kind": "output", "io": [2]},
            {"id": "alike", "kind": "output", "io": [3]},
        ],
        ["in>soon", "in>slow", "slow>late", "slow>alike"],
        compensation={"mode": "off"},
        machines=[{"id": "main", "name": "Main", "input_latency_samples": 11, "output_latency_samples": 5}],
    )
    arrivals = Analysis(made).arrivals
    by_name = {made.strips[number].id: samples for number, samples in arrivals.outputs.items()}
    assert by_name["late"] == by_name["alike"] == by_name["soon"] + 300 == arrivals.total_samples
    assert arrivals.latest_output is not None
    assert made.strips[arrivals.latest_output].id == "late"  # of several the first


def test_a_key_that_would_have_to_wait_longer_than_the_limit_is_told() -> None:
    duck = {"id": "duck", "type": "compressor", "key": "external"}
    slow = {"id": "i", "type": "eq", "latency_samples": 100}

    def made(limit_samples: int | None) -> Template:
        return t(
            [
                "a:x",
                "a:voice",
                {"id": "b", "kind": "bus", "inserts": [slow]},
                {"id": "c", "kind": "bus", "inserts": [duck]},
            ],
            ["x>b", "b>c", "key voice>c/duck"],
            compensation={"limit_samples": limit_samples},
        )

    held = Analysis(made(60)).arrivals
    key = next(number for number, route in enumerate(made(60).routes) if route.kind == "key")
    assert (held.wants[key], held.delays[key]) == (100, 60)
    assert Analysis(made(None)).arrivals.wants == {}
    (found,) = (finding for finding in audit(made(60)).findings if finding.code == "time.limit")
    assert (found.routes, found.figures["over_samples"]) == ((made(60).routes[key].id,), 40)
    assert "time.limit" not in {finding.code for finding in audit(made(None)).findings}
