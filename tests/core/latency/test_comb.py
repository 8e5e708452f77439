"""The comb's curve against |1 + r·e^(−jωτ)| in complex numbers (NumPy)."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.checks.misaligned import worst_comb
from lattice.latency.comb import Comb, _passes
from tests.build import template
from tests.deep import tries

combs = st.builds(
    Comb,
    origin=st.just((0, -1)),
    skew=st.integers(1, 5000),
    beside_db=st.sampled_from([0.0, -0.5, -6.0, -24.8]),
    turned=st.booleans(),
)


def response(comb: Comb, hz: np.ndarray, rate_hz: int) -> np.ndarray:
    r = 10 ** (comb.beside_db / 20) * (-1 if comb.turned else 1)
    return np.abs(1 + r * np.exp(-2j * np.pi * hz * comb.skew / rate_hz))


@given(combs, st.floats(20, 20_000), st.sampled_from([44_100, 48_000, 96_000]))
@tries(200)
def test_one_frequency(comb: Comb, hz: float, rate_hz: int) -> None:
    wanted = float(response(comb, np.array(hz), rate_hz))
    assert 10 ** (comb.response_db(hz, rate_hz) / 20) == pytest.approx(wanted, abs=1e-6)


@given(combs, st.floats(20, 10_000), st.floats(1.0, 2.0))
@tries(200)
def test_a_band_holds_its_curve_and_is_no_wider(comb: Comb, low_hz: float, factor: float) -> None:
    curve = response(comb, np.linspace(low_hz, low_hz * factor, 40_001), 48_000)
    low, high = (10 ** (db / 20) for db in comb.band_db(low_hz, low_hz * factor, 48_000))
    assert low <= curve.min() + 1e-9
    assert high >= curve.max() - 1e-9
    # between two of the curve's points the phase moves on by at most this much, and the curve by no more
    step = 2 * np.pi * low_hz * (factor - 1) * comb.skew / 48_000 / 40_000
    assert curve.min() - low <= step + 1e-9
    assert high - curve.max() <= step + 1e-9


@pytest.mark.parametrize(("turned", "notch_hz"), [(False, 500.0), (True, 1000.0)])
def test_the_first_notch_of_1_ms(turned: bool, notch_hz: float) -> None:
    """f = 1/(2τ), and 1/τ for opposite polarity (docs/reference/checks.md, *Check values*): all is lost there at equal levels."""
    comb = Comb((0, -1), 48, 0.0, turned)
    assert comb.notch_hz(48_000) == notch_hz
    assert comb.response_db(notch_hz, 48_000) < -100
    assert Comb((0, -1), 48, -6.0, turned).response_db(notch_hz, 48_000) == pytest.approx(
        20 * np.log10(1 - 10 ** (-6 / 20))
    )


@pytest.mark.parametrize(
    ("gain_db", "invert", "beside_db"), [("0", False, 0.0), ("-6", False, -6.0), ("-6", True, -6.0)]
)
def test_a_template_s_comb_has_its_level_and_polarity(gain_db: str, invert: bool, beside_db: float) -> None:
    late = {
        "id": "late",
        "kind": "bus",
        "invert": invert,
        "inserts": [{"id": "i", "type": "other", "measured_latency_samples": 48}],
    }
    made = template(["a:x", late, "b:sum", "o:out"], ["x>sum", f"x>late {gain_db}", "late>sum", "sum>out"])
    comb = worst_comb(Analysis(made), 2)
    assert comb is not None
    assert (comb.skew, comb.turned) == (48, invert)
    assert comb.beside_db == pytest.approx(beside_db)
    (finding,) = [f for f in audit(made).findings if f.code == "time.misaligned"]
    assert finding.figures["notch_hz"] == pytest.approx(comb.notch_hz(48_000))


@pytest.mark.parametrize(
    ("low", "high", "does"),
    [(0.1, 3.0, False), (0.1, 3.2, True), (3.2, 9.4, False), (3.2, 9.5, True), (4.0, 40.0, True), (np.pi, np.pi, True)],
)
def test_a_band_has_a_notch_where_its_phases_pass_half_a_turn(low: float, high: float, does: bool) -> None:
    """π, 3π, 5π, … radians: 3.1416, 9.4248, 15.708."""
    assert _passes(low, high, np.pi) is does
