"""Shares of a level: they add up, bounds hold, the loudest source is the loudest of all."""

from __future__ import annotations

import math

import pytest
from hypothesis import given

from lattice.analysis import Analysis
from lattice.gain_staging.shares import bounds_to, by_source, inflow, loudest_source, part_at, sources_of
from lattice.gain_staging.source_response import LIKELY, SourceResponse
from lattice.gain_staging.trims import trim_db, trimmed
from lattice.model.document import Template
from lattice.model.units import decibels
from tests.build import template
from tests.deep import tries
from tests.flows import flows

LOUD = {"source": {"peak_dbfs": 0.0, "rms_dbfs": -12.0}}
QUIET = {"source": {"peak_dbfs": -20.0, "rms_dbfs": -32.0}}


def levels_of(made: Template) -> Analysis:
    return Analysis(made)


def test_shares_of_a_sum_are_those_of_powers() -> None:
    """Two sources 20 dB apart: 1 to 0.01 in power (common practice: 20 dB is a hundredth of the power)."""
    made = template(
        [{"id": "x", "kind": "audio", **LOUD}, {"id": "y", "kind": "audio", **QUIET}, "b:bus", "o:out"],
        ["x>bus", "y>bus", "bus>out"],
    )
    analysis = levels_of(made)
    first, second = inflow(analysis.levels, analysis.graph.index["bus"])
    assert (first.share, second.share) == pytest.approx((1 / 1.01, 0.01 / 1.01))
    assert (first.likely_db, second.likely_db) == pytest.approx((0.0, -20.0))
    assert (first.expected_db, second.expected_db) == pytest.approx((-12.0, -32.0))
    assert inflow(analysis.levels, analysis.graph.index["x"]) == []


@given(flows())
@tries(120)
def test_shares_add_up_to_one_and_come_loudest_first(made: Template) -> None:
    analysis = levels_of(made)
    for strip in range(len(made.strips)):
        shares = inflow(analysis.levels, strip)
        assert not shares or math.isclose(sum(share.share for share in shares), 1.0) or not any(s.share for s in shares)
        assert [share.share for share in shares] == sorted((share.share for share in shares), reverse=True)


@given(flows())
@tries(120)
def test_no_source_is_louder_at_a_strip_than_its_bound(made: Template) -> None:
    analysis = levels_of(made)
    levels = analysis.levels
    for target in range(len(made.strips)):
        bounds = bounds_to(levels, target)
        for origin in sources_of(levels):
            response = SourceResponse(levels, *origin, weight=LIKELY)
            part = response.at_in.get(target)
            if part is not None:
                assert math.sqrt(max(part.power)) <= bounds[origin] * (1 + 1e-9)


@given(flows())
@tries(120)
def test_the_loudest_source_is_the_loudest_of_all_or_below_full_scale(made: Template) -> None:
    analysis = levels_of(made)
    levels = analysis.levels
    for strip in range(len(made.strips)):
        for tap in ("in", "pre", "post"):
            listed, loudest = by_source(levels, strip, tap), loudest_source(levels, strip, tap)
            assert [likely for _origin, likely, _expected in listed] == sorted((row[1] for row in listed), reverse=True)
            if loudest is None:
                assert not listed or listed[0][1] < 1e-6
            else:
                assert loudest.likely_db == pytest.approx(listed[0][1])


def test_a_source_is_followed_to_the_input_of_an_insert() -> None:
    strip = {
        "id": "x",
        "kind": "audio",
        **LOUD,
        "inserts": [{"id": "g", "type": "gain", "gain_db": -6.0}, {"id": "m", "type": "meter"}],
    }
    analysis = levels_of(template([strip, "o:out"], ["x>out"]))
    response = SourceResponse(analysis.levels, 0, weight=LIKELY)
    assert decibels(response.level(part_at(response, 0, "g"))) == pytest.approx(0.0)
    assert decibels(response.level(part_at(response, 0, "m"))) == pytest.approx(-6.0)
    assert decibels(response.level(part_at(response, 1, "in"))) == pytest.approx(-6.0)
    with pytest.raises(KeyError):
        part_at(response, 0, "nothing")
    assert part_at(SourceResponse(analysis.levels, 0, only=frozenset()), 1, "in") is None


@pytest.mark.parametrize(("room", "change"), [(6.0, -6.0), (0.0, 0.0), (12.5, -12.5)])
def test_a_trim_leaves_the_room_that_is_wanted(room: float, change: float) -> None:
    made = template([{"id": "x", "kind": "audio", **LOUD}, "x:mix", "o:out"], ["x>mix", "mix>out"])
    analysis = levels_of(made)
    mix = analysis.graph.index["mix"]
    assert trim_db(analysis.levels, mix, room) == pytest.approx(change)
    assert trimmed(analysis.levels, mix, change) == [("r1", change)]


def test_nothing_is_trimmed_where_nothing_sounds() -> None:
    analysis = levels_of(template(["x:mix", "o:out"], ["mix>out"]))
    assert trim_db(analysis.levels, 0, 6.0) is None
    assert loudest_source(analysis.levels, 0, "post") is None
