"""Tracing in words: from strips, outlets and notes, to endpoints or to one strip, blocked or not."""

from __future__ import annotations

import pytest

from lattice.errors import DocumentError
from lattice.gain_staging.chain import figures
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from lattice.tracing import HopFigures, as_json, hop_line, sentence, trace
from tests.build import template

MADE = template(
    [
        {"id": "lead", "name": "Lead", "kind": "audio"},
        {"id": "kit", "name": "Kit", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}]},
        {"id": "pads", "name": "Pads", "kind": "midi"}, {"id": "keys", "name": "Keys", "kind": "midi"},
        {"id": "bus", "name": "Band", "kind": "bus", "inserts": [{"id": "i", "type": "gain", "gain_db": -2.0, "latency_samples": 64}]},
        {"id": "hall", "name": "Hall", "kind": "return", "mute": True},
        {"id": "out", "name": "Out", "kind": "output"}, {"id": "alone", "name": "Alone", "kind": "audio"},
    ],
    ["lead>bus", "send lead>hall -14 pre-fader", "bus>out", "hall>out", "kit>bus", "kit/2>out", "midi keys>pads", "midi pads>kit", "send lead>out off"],
)  # fmt: skip
GRAPH = SignalGraph(MADE)


def sentences(start: str, end: str | None = None) -> list[str]:
    traced = trace(GRAPH, start, end)
    return [sentence(GRAPH, path, traced) for path in traced.paths]


@pytest.mark.parametrize(
    ("start", "end", "expected"),
    [
        (
            "lead",
            None,
            [
                "Lead feeds Band, which feeds Out",
                "Lead sends to Hall at −14.0 dB, pre-fader, which feeds Out",
                "Lead sends to Out at −∞ dB",
            ],
        ),
        ("lead", "hall", ["Lead sends to Hall at −14.0 dB, pre-fader"]),
        ("kit", None, ["Kit feeds Band, which feeds Out", "Kit 2 feeds Out"]),
        ("kit/2", None, ["Kit 2 feeds Out"]),
        (
            "pads",
            None,
            [
                f"Pads plays Kit on port 1, all channels, which from outlet {outlet}"
                for outlet in ("1 of Main computer feeds Band, which feeds Out", "2 of Main computer feeds Out")
            ],
        ),
        (
            "keys",
            "bus",
            [
                "Keys plays Pads on port 1, all channels, which plays Kit on port 1, all channels, "
                "which from outlet 1 of Main computer feeds Band"
            ],
        ),
        ("out", None, ["Out is an endpoint itself"]),
        ("alone", None, []),
        ("out", "lead", []),
    ],
)
def test_ways_are_sentences(start: str, end: str | None, expected: list[str]) -> None:
    assert sentences(start, end) == expected


@pytest.mark.parametrize(
    ("start", "end", "words"),
    [("nobody", None, "nobody"), ("lead", "nobody", "nobody"), ("kit/9", None, "9"), ("lead/1", None, "1")],
)
def test_what_is_unknown_is_named(start: str, end: str | None, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        trace(GRAPH, start, end)


def test_what_blocks_a_way_is_said_hop_by_hop() -> None:
    open_way, muted, off = trace(GRAPH, "lead").paths
    assert open_way.blockers == ()
    assert [blocker.sentence for blocker in muted.blockers] == ["Hall is muted"]
    assert [blocker.sentence for blocker in off.blockers] == ["the send from Lead to Out is off"]


def test_figures_of_a_way_are_those_of_its_source_alone() -> None:
    """−6 dBFS through −2 dB, and 64 samples later at the output."""
    (path,) = trace(GRAPH, "lead", "out").paths[:1]
    at_bus, at_out = HopFigures.of(GRAPH).along(path)
    assert (at_bus.peak_dbfs, at_bus.rms_dbfs) == pytest.approx((-6.0, -18.0))
    assert (at_out.peak_dbfs, at_out.rms_dbfs) == pytest.approx((-8.0, -20.0))
    assert (at_bus.arrival_samples, at_out.arrival_samples) == (0, 64)
    assert hop_line(GRAPH, path.routes[1], at_out) == "Out: peak −8.0, RMS −20.0 dBFS, after 64 samples"
    blocked = trace(GRAPH, "lead").paths[1]
    silent = HopFigures.of(GRAPH).along(blocked)[-1]
    assert hop_line(GRAPH, blocked.routes[-1], silent) == "Out: silent"


def test_figures_from_a_bus_are_those_of_what_comes_to_it() -> None:
    """Lead and kit, −6 dBFS each, add up in power at the bus and leave it 2 dB lower; a third source does not count."""
    levels = HopFigures.of(GRAPH).levels
    (path,) = trace(GRAPH, "bus").paths[:1]
    (at_out,) = HopFigures.of(GRAPH).along(path)
    _peak, likely, rms = figures(levels.stages[GRAPH.index["bus"]][0]).loudest
    assert likely is not None
    assert rms is not None
    assert (at_out.peak_dbfs, at_out.rms_dbfs) == pytest.approx((likely - 2.0, rms - 2.0))
    assert at_out.arrival_samples == 64
    silent = trace(GRAPH, "hall").paths[0]
    assert [one.peak_dbfs for one in HopFigures.of(GRAPH).along(silent)] == [None]


def test_the_form_of_the_command_line_says_the_same() -> None:
    plain = as_json(GRAPH, trace(GRAPH, "keys"))
    assert plain["format"] == "intact-lattice.tracing"
    assert plain["from"] == "keys"
    assert [len(path["hops"]) for path in plain["paths"]] == [2, 1]


def test_no_more_ways_are_listed_than_are_asked_for() -> None:
    strips = ["a:x", *(f"b:l{n}" for n in range(6)), *(f"b:r{n}" for n in range(6)), "o:z"]
    routes = ["x>l0", "x>r0"]
    for n in range(5):
        routes += [f"l{n}>l{n + 1}", f"l{n}>r{n + 1}", f"r{n}>l{n + 1}", f"r{n}>r{n + 1}"]
    made: Template = template(strips, [*routes, "l5>z", "r5>z"])
    every, some = trace(SignalGraph(made), "x"), trace(SignalGraph(made), "x", most=10)
    assert (len(every.paths), every.complete) == (64, True)
    assert (len(some.paths), some.complete) == (10, False)
