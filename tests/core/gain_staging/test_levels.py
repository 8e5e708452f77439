"""Levels against a slow source-by-source computation, and properties of every template."""

from __future__ import annotations

import json
import math
from typing import Any

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice import tracing
from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.deliverables import report as stem_report
from lattice.gain_staging import report
from lattice.gain_staging.chain import ChannelFigures, Stage, figures
from lattice.gain_staging.levels import Levels
from lattice.model.document import Template
from tests.build import template
from tests.core.gain_staging.naive import Naive
from tests.deep import tries
from tests.flows import flows
from tests.strategies import templates

many = tries(300)
few = tries(100)


def levels_of(template: Template) -> Levels:
    return Analysis(template).levels


def like(stage: Stage, naive: Naive, expected: object) -> None:
    shown = figures(stage)
    for mine, theirs in zip(
        (shown.peak_dbfs, shown.likely_dbfs, shown.rms_dbfs),
        naive.totals(expected),
        strict=True,  # type: ignore[arg-type]
    ):
        levels = [-math.inf if level is None else level for level in mine]
        with np.errstate(divide="ignore"):
            wanted = 20 * np.log10(theirs)
        np.testing.assert_allclose(np.maximum(levels, -250), np.maximum(wanted, -250), atol=1e-6)


@given(flows())
@many
def test_every_stage_has_the_levels_of_a_reading_source_by_source(template: Template) -> None:
    levels, naive = levels_of(template), Naive(template)
    for number, strip in enumerate(template.strips):
        assert bool(levels.stages[number]) == (strip.id in naive.stages)
        if not levels.stages[number]:
            continue
        for mine, theirs in zip(levels.stages[number], naive.stages[strip.id], strict=True):
            like(mine, naive, theirs)
        post = levels.post[number]
        assert (post is not None) == (strip.id in naive.post)
        if post is not None:
            like(post, naive, naive.post[strip.id])
        for place, insert in enumerate(strip.inserts):
            shown = levels.insert_figures(number, place)
            assert math.isclose(shown.reduction_db, naive.reduction[insert.id], abs_tol=1e-6)
            assert math.isclose(shown.pushed_db, naive.pushed[insert.id], abs_tol=1e-6)


@given(flows())
@few
def test_keys_bring_what_their_routes_bring(template: Template) -> None:
    levels, naive = levels_of(template), Naive(template)
    found = {insert: levels.at_key.get(node) for insert, node in levels.loops.insert_nodes.items()}
    for insert, sound in found.items():
        if sound is not None:
            like((sound, 1.0, 1.0, 1.0), naive, naive.keys[insert])
        else:
            assert insert not in naive.keys or not naive.keys[insert].p.any()


def loudest(shown: ChannelFigures) -> tuple[float, float, float]:
    peak, likely, rms = (-999.0 if level is None else level for level in shown.loudest)
    return peak, likely, rms


@given(flows())
@many
def test_expected_is_never_above_likely_nor_likely_above_worst(template: Template) -> None:
    levels = levels_of(template)
    for stages in levels.stages:
        for stage in stages:
            shown = figures(stage)
            for peak, likely, rms in zip(shown.peak_dbfs, shown.likely_dbfs, shown.rms_dbfs, strict=True):
                assert rms is None or rms <= (-999 if likely is None else likely) + 1e-6
                assert likely is None or likely <= (-999 if peak is None else peak) + 1e-6


@given(flows(), st.data())
@few
def test_raising_one_source_never_lowers_the_worst_case(template: Template, data: st.DataObject) -> None:
    number = data.draw(st.integers(0, len(template.strips) - 1))
    raised = msgspec.to_builtins(template)
    raised["strips"][number]["source"] = {"peak_dbfs": 12.0, "rms_dbfs": -18.0}
    before, after = levels_of(template), levels_of(msgspec.convert(raised, Template))
    for one, other in zip(before.stages, after.stages, strict=True):
        if one:
            for stage_before, stage_after in zip(one, other, strict=True):
                assert loudest(figures(stage_before))[0] <= loudest(figures(stage_after))[0] + 1e-9


@given(flows(), st.data())
@few
def test_a_fader_at_off_silences_what_leaves_behind_it(template: Template, data: st.DataObject) -> None:
    number = data.draw(st.integers(0, len(template.strips) - 1))
    changed = msgspec.to_builtins(template)
    changed["strips"][number]["fader_db"] = None
    assert levels_of(msgspec.convert(changed, Template)).post[number] is None


@given(templates())
@few
def test_templates_with_loops_end_and_give_numbers(template: Template) -> None:
    levels = levels_of(template)
    for stages in levels.stages:
        for stage in stages:
            shown = figures(stage)
            assert all(level is None or math.isfinite(level) for level in (*shown.peak_dbfs, *shown.rms_dbfs))
    assert levels.cut or not levels.loop_strips


@pytest.mark.parametrize("kind", ["delay", "gain", "reverb", "compressor", "limiter", "saturator"])
def test_gains_typed_beyond_all_reason_leave_every_figure_a_number(kind: str) -> None:
    """+200 dB wherever a gain may be typed, thirty strips in a row: nothing overflows, and all JSON is JSON."""
    insert = {
        "type": kind,
        "gain_db": 200.0,
        "feedback": 0.99,
        "wet": 0.7,
        "threshold_db": -200.0,
        "ratio": 2.0,
        "ceiling_db": 200.0,
    }
    strips: list[Any] = [
        {"id": "b-1", "kind": "audio", "layout": "stereo", "source": {"peak_dbfs": 200.0, "rms_dbfs": 200.0}}
    ]
    routes = []
    for n in range(30):
        chain = [{**insert, "id": f"i{n}-{place}"} for place in range(4)]
        strips.append(
            {
                "id": f"b{n}",
                "kind": "return" if n % 3 == 0 else "bus",
                "layout": "5.1" if n % 2 else "stereo",
                "fader_db": 200.0,
                "inserts": chain,
            }
        )
        routes += [f"b{n - 1}>b{n} 200", *([f"send b{n - 2}>b{n} 200"] if n > 1 else [])]
    stems = [
        {"id": f"st{n}", "name": "S", "strip": f"b{n}", "role": "mix" if n % 2 else "stem"} for n in range(0, 30, 5)
    ]
    made = template([*strips, "o:out"], [*routes, "b29>out 200"], stems=stems)
    json.dumps([finding.as_json() for finding in audit(made).findings], allow_nan=False)
    analysis = Analysis(made)
    for answer in (
        report.as_json(analysis.levels),
        stem_report.as_json(analysis.ledger),
        tracing.as_json(analysis.graph, tracing.trace(analysis.graph, "b-1")),
    ):
        json.dumps(answer, allow_nan=False)


def test_strips_in_a_loop_and_behind_it_are_told_apart_from_others() -> None:
    made = template(["a:x", "b:a", "b:b", "b:c", "b:d"], ["x>a", "a>b", "b>a", "b>c", "x>d"])
    assert {made.strips[number].id for number in Analysis(made).levels.loop_strips} == {"a", "b", "c"}


@pytest.mark.parametrize(
    ("fields", "expected"),
    [
        ({"layout": "stereo"}, (1.0, 1.0)),
        ({"layout": "stereo", "pan": -0.5}, (1.0, 0.5)),  # balance takes from the other side
        ({"layout": "stereo", "pan": 0.5}, (0.5, 1.0)),
        ({"layout": "stereo", "inserts": [{"id": "w", "type": "gain", "layout_in": "mono"}]}, (1.0,)),  # halves, added
    ],
)
def test_the_worst_case_of_each_channel_by_hand(fields: dict[str, Any], expected: tuple[float, ...]) -> None:
    out = {
        "id": "o",
        "kind": "output",
        "layout": "stereo" if len(expected) == 2 else "mono",
        "io": [1, 2][: len(expected)],
    }
    levels = Analysis(template([{"id": "x", "kind": "audio", **fields}, out], ["x>o"])).levels
    end = levels.at_end(1)
    assert end is not None
    usual = 10 ** (-6 / 20)  # the peak of a source that states none, dBFS
    assert [p * end.peak_gain for p in end.levels.p] == pytest.approx([usual * share for share in expected])


def test_a_route_that_is_disabled_passes_nothing() -> None:
    levels = Analysis(template(["a:x", "b:b", "x:m"], ["x>b", "x>m disabled"])).levels
    assert [levels.passes(route) for route in (0, 1)] == [True, False]


def test_an_insert_folds_what_comes_to_it_into_its_own_layout() -> None:
    """All on the right: a fold to mono halves it; left alone would be silent."""
    narrow = {"id": "w", "type": "gain", "layout_in": "mono"}
    strips = [
        {"id": "x", "kind": "audio", "pan": 1.0},
        {"id": "b", "kind": "bus", "layout": "stereo", "inserts": [narrow]},
        {"id": "o", "kind": "output", "io": [1]},
    ]
    made = template(strips, ["x>b", "b>o"])
    end = Analysis(made).levels.at_end(2)
    assert end is not None
    assert [p * end.peak_gain for p in end.levels.p] == pytest.approx([10 ** (-6 / 20) / 2])
