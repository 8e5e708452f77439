"""Results reused from the version before an edit equal computed ones, whatever was edited."""

from __future__ import annotations

from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.analysis import Analysis
from lattice.checks.audit import Audit, audit_of
from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.generate import generate
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from lattice.model.quiet import is_quiet
from tests.deep import tries
from tests.random_edits import RandomEdits
from tests.strategies import templates

WORN = generate(60, worn=True)
AUDIO = next(strip for strip in WORN.strips if strip.kind == "audio" and strip.inserts)
FEED = next(route for route in WORN.routes if route.kind == "feed")
STRIP, INSERT, ROUTE = {"strip": AUDIO.id}, {"insert": AUDIO.inserts[0].id}, {"route": FEED.id}


def audited(made: Template, before: Analysis | None = None) -> tuple[Analysis, Audit]:
    analysis = Analysis(made, before=before)
    return analysis, audit_of(analysis)


@given(templates(), st.lists(st.integers(0, 2**32), min_size=1, max_size=4))
@tries(120)
def test_after_random_edits_an_audit_finds_the_same(made: Template, seeds: list[int]) -> None:
    analysis, _audit = audited(made)
    for seed in seeds:
        try:
            made = apply(made, *RandomEdits(made, Random(seed)).edit())  # noqa: S311
        except DocumentError:
            continue
        analysis, audit = audited(made, analysis)
        assert audit == audited(made)[1]


QUIET: list[tuple[str, dict[str, Any]]] = [
    ("change_strip", {**STRIP, "changes": {"fader_db": -7.0, "name": "Other", "pan": 0.5, "invert": True}}),
    ("change_insert", {**INSERT, "changes": {"gain_db": 3.0, "threshold_db": -20.0, "wet": 0.5}}),
    ("change_route", {**ROUTE, "changes": {"gain_db": -3.0, "pan": -0.5}}),
    ("change_template", {"changes": {"name": "Another"}}),
]


@pytest.mark.parametrize(("edit", "arguments"), QUIET)
def test_levels_and_words_leave_the_flow_and_what_is_found_is_the_same(edit: str, arguments: dict[str, Any]) -> None:
    after = apply(WORN, edit, arguments)
    assert is_quiet(WORN, after)
    before, _audit = audited(WORN)
    analysis, audit = audited(after, before)
    assert audit == audited(after)[1]
    assert analysis.arrivals.delays is before.arrivals.delays  # it was not computed again


@pytest.mark.parametrize(
    ("edit", "arguments"),
    [
        *(("change_strip", {**STRIP, "changes": {name: value}}) for name, value in {
            "mute": True, "fader_db": None, "layout": "5.1", "source": None, "in_service": False, "monitor": "always",
            "latency_samples": 64, "tags": ["spare"], "section": None, "kind": "bus",
        }.items()),
        *(("change_insert", {**INSERT, "changes": {name: value}}) for name, value in {
            "state": "unloaded", "latency_samples": 64, "layout_out": "stereo", "delay_ms": 5.0,
        }.items()),
        *(("change_route", {**ROUTE, "changes": {name: value}}) for name, value in {
            "enabled": False, "gain_db": None, "tap": "pre-fader", "kind": "send",
        }.items()),
        ("change_template", {"changes": {"sample_rate_hz": 96000}}),
        ("remove_strips", {"strips": [AUDIO.id]}),
        ("remove_routes", {"routes": [FEED.id]}),
    ],
)  # fmt: skip
def test_all_else_is_computed_anew(edit: str, arguments: dict[str, Any]) -> None:
    assert not is_quiet(WORN, apply(WORN, edit, arguments))


@given(templates(), st.integers(0, 2**32))
@tries(80)
def test_inserts_with_other_levels_are_as_found_anew(made: Template, seed: int) -> None:
    chance = Random(seed)  # noqa: S311
    inserts = [insert for strip in made.strips for insert in strip.inserts]
    if not inserts:
        return
    changes = {"gain_db": chance.choice([0.0, 3.0, -3.0]), "threshold_db": chance.choice([None, -20.0])}
    after = apply(made, "change_insert", {"insert": chance.choice(inserts).id, "changes": changes})
    known = SignalGraph(made).inserts.with_levels_of(made.strips, after.strips)
    assert vars(known) == vars(SignalGraph(after).inserts)
