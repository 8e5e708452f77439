"""Mistakes that were put into the core by hand and that no test noticed: each has its case here."""

from __future__ import annotations

import pytest

from lattice.analysis import Analysis
from lattice.bench.prints.differences import LEVEL, LEVEL_DB, Pair, _pair
from lattice.bench.prints.slot_reading import Out
from lattice.checks import audit
from lattice.gain_staging.chain import duck_db
from lattice.graph.origin import Origin
from lattice.latency.monitoring import monitored
from lattice.model.document import Insert
from tests.build import template


@pytest.mark.parametrize(
    ("threshold_db", "ceiling_db", "ducked"),
    [(None, -20.0, 14.0), (-10.0, -20.0, 4.0), (-30.0, -20.0, 24.0), (None, None, 0.0)],
)
def test_a_keyed_limiter_ducks_from_its_threshold_else_from_its_ceiling(
    threshold_db: float | None, ceiling_db: float | None, ducked: float
) -> None:
    """A key at −6 dBFS; a limiter's ratio is ∞:1 (docs/reference/checks.md, *Dynamics*)."""
    insert = Insert(id="i", type="limiter", key="external", threshold_db=threshold_db, ceiling_db=ceiling_db)
    assert duck_db(insert, -6.0) == ducked


def test_monitoring_counts_the_output_latency_of_the_machine_it_is_heard_at() -> None:
    made = template(
        [
            {"id": "mic", "kind": "input", "machine": "far", "io": [1]}, {"id": "far-out", "kind": "output", "machine": "far", "io": [1]},
            {"id": "near-in", "kind": "input", "io": [1]}, {"id": "phones", "kind": "output", "io": [1]},
        ],
        ["mic>far-out", "tie far-out>near-in", "near-in>phones"],
        buffer_samples=64,
        machines=[
            {"id": "main", "name": "Main", "input_latency_samples": 1000, "output_latency_samples": 7},
            {"id": "far", "name": "Far", "input_latency_samples": 30, "output_latency_samples": 5000},
        ],
    )  # fmt: skip
    analysis = Analysis(made)
    (found,) = monitored(analysis.arrivals, analysis.levels)
    assert (made.strips[found.source].id, made.strips[found.output].id) == ("mic", "phones")
    assert (found.input_samples, found.output_samples) == (30, 7)
    assert found.ms(64) == pytest.approx((30 + 2 * 64 + 7) / 48)


@pytest.mark.parametrize(
    ("off_by_db", "is_found"), [(0.45, False), (-0.45, False), (0.55, True), (-0.55, True), (0.8, True)]
)
def test_a_print_may_differ_by_half_a_decibel(off_by_db: float, is_found: bool) -> None:
    """docs/reference/bench.md: the tolerance of a gain."""
    assert LEVEL_DB == 0.5
    was = Out(channel=0, present=True, gain_db=-12.0, polarity=1, delay_samples=0)
    now = Out(channel=0, present=True, gain_db=-12.0 + off_by_db, polarity=1, delay_samples=0)
    found = list(_pair(Pair(Origin(0), "st"), [(was,)], [(now,)], is_note=False))
    assert [one.code for one in found] == ([LEVEL] if is_found else [])


@pytest.mark.parametrize(("late_samples", "is_late"), [(47, False), (48, False), (49, True)])
def test_a_key_may_be_late_by_its_tolerance(late_samples: int, is_late: bool) -> None:
    """“more than key_tolerance_ms” (docs/reference/checks.md): at 48 kHz 48 samples are 1 ms."""
    made = template(
        [
            "a:music", {"id": "voice", "kind": "audio", "inserts": [{"id": "slow", "type": "other", "latency_samples": late_samples}]},
            {"id": "sub", "kind": "bus", "inserts": [{"id": "duck", "type": "compressor", "key": "external", "threshold_db": -40, "ratio": 3}]}, "o:out",
        ],
        ["music>sub", "sub>out", "voice>out", "key voice>sub/duck"],
        compensation={"covers_keys": False},
        profile={"key_tolerance_ms": 1.0},
    )  # fmt: skip
    assert ("time.key-late" in {finding.code for finding in audit(made).findings}) is is_late


def test_a_pan_to_the_left_is_on_the_left() -> None:
    """Also in the readings that hold the core to account: they have layouts and pans of their own."""
    from lattice.model.layouts import LAYOUTS, mapping, pan_gains, panner_matrix
    from tests.core import layouts_by_hand as by_hand

    for law_db in (0.0, -2.5, -3.0, -4.5, -6.0):
        for pan in (-1.0, -0.5, 0.0, 0.25, 1.0):
            assert pan_gains(pan, law_db) == pytest.approx(by_hand.panned(pan, law_db), abs=1e-12)
    assert by_hand.panned(-1.0, -3.0) == pytest.approx((1.0, 0.0), abs=1e-12)
    named = [layout for layout in LAYOUTS if ":" not in layout]
    for source in (*named, "discrete:3"):
        for destination in (*named, "discrete:3"):
            flat = [value for row in mapping(source, destination, 0.3, 0.8) for value in row]
            assert flat == pytest.approx(by_hand.mapped(source, destination, 0.3, 0.8).ravel().tolist()), (
                source,
                destination,
            )
            if destination not in (source, "mono"):
                rows = panner_matrix(source, destination)
                assert [value for row in rows for value in row] == pytest.approx(
                    by_hand.spread(source, destination).ravel().tolist()
                )
