"""Values from outside, each with its source. Never our own output as expectation."""

from __future__ import annotations

import math

import numpy as np
import pytest

from lattice.checks import audit
from lattice.gain_staging.gains import chain_gain, hops_gain
from lattice.graph.signal_graph import POST, SignalGraph
from lattice.model.layouts import NAMED, balance_gains, channel_names, mapping, pan_gains, panner_matrix
from lattice.model.units import decibels, gain, samples_to_ms
from tests.build import template


def db(linear: float) -> float:
    return decibels(linear)


class TestLayouts:
    """ITU-R BS.775-4: channel order of 5.1 (table 1) and the down-mix to stereo (annex 4: 0.7071, −3.01 dB)."""

    def test_channel_order_of_5_1(self) -> None:
        assert channel_names("5.1") == ("L", "R", "C", "LFE", "Ls", "Rs")

    def test_5_1_to_stereo(self) -> None:
        matrix = np.array(mapping("5.1", "stereo"))
        expected = np.array([[1, 0, 0.7071, 0, 0.7071, 0], [0, 1, 0.7071, 0, 0, 0.7071]])
        assert matrix == pytest.approx(expected)
        assert db(matrix[0][2]) == pytest.approx(-3.01, abs=0.005)

    def test_7_1_folds_its_rear_pair_onto_the_sides(self) -> None:
        matrix = np.array(mapping("7.1", "5.1"))
        assert matrix[4] == pytest.approx([0, 0, 0, 0, 1, 0, 0.7071, 0])
        assert np.array(mapping("7.1", "stereo"))[0] == pytest.approx([1, 0, 0.7071, 0, 0.7071, 0, 0.7071, 0])

    def test_to_mono_is_half_the_sum_of_the_stereo_fold(self) -> None:
        assert np.array(mapping("stereo", "mono")) == pytest.approx(np.array([[0.5, 0.5]]))
        assert np.array(mapping("5.1", "mono"))[0] == pytest.approx([0.5, 0.5, 0.7071, 0, 0.35355, 0.35355])

    def test_discrete_goes_channel_to_channel(self) -> None:
        assert np.array(mapping("discrete:4", "5.1")) == pytest.approx(np.eye(6, 4))

    def test_a_panner_keeps_the_power_of_what_it_spreads(self) -> None:
        for layout, names in NAMED.items():
            matrix = np.array(panner_matrix("mono", layout))
            assert float(np.sum(matrix**2)) == pytest.approx(1.0)
            if "LFE" in names:
                assert matrix[names.index("LFE")] == 0


class TestPan:
    """The pan law names the level of a centred signal (common practice)."""

    @pytest.mark.parametrize("law_db", [0.0, -2.5, -3.0, -4.5, -6.0])
    def test_centre_and_ends(self, law_db: float) -> None:
        left, right = pan_gains(0.0, law_db)
        assert (db(left), db(right)) == pytest.approx((law_db, law_db), abs=0.01)
        assert pan_gains(-1.0, law_db) == pytest.approx((1.0, 0.0), abs=1e-9)
        assert pan_gains(1.0, law_db) == pytest.approx((0.0, 1.0), abs=1e-9)

    def test_3_db_keeps_power_and_6_db_keeps_amplitude(self) -> None:
        for pan in np.linspace(-1, 1, 21):
            left, right = pan_gains(float(pan), -3.0103)
            assert left**2 + right**2 == pytest.approx(1.0)
            left, right = pan_gains(float(pan), -6.0206)
            assert math.sqrt(left) ** 2 + math.sqrt(right) ** 2 == pytest.approx(1.0)

    def test_balance(self) -> None:
        assert balance_gains(0.5) == (0.5, 1.0)


class TestArithmetic:
    """docs/reference/checks.md, *Check values*: samples to time; n equal sources (any acoustics handbook)."""

    @pytest.mark.parametrize(("samples", "rate", "ms"), [(64, 48000, 1.333), (256, 48000, 5.333), (1024, 44100, 23.22)])
    def test_samples_to_ms(self, samples: int, rate: int, ms: float) -> None:
        assert samples_to_ms(samples, rate) == pytest.approx(ms, abs=0.005)

    def test_two_equal_sources(self) -> None:
        assert db(2 * gain(0)) == pytest.approx(6.02, abs=0.005)
        assert db(math.sqrt(2) * gain(0)) == pytest.approx(3.01, abs=0.005)


def loop_figures(strips: list, routes: list, **fields: object) -> dict[str, float]:
    (found,) = [
        finding for finding in audit(template(strips, routes, **fields)).findings if finding.code == "loop.audio"
    ]
    return found.figures | {"words": found.message}


class TestLoops:
    """Loop gain as the spectral radius round a cycle: control theory; the values are arithmetic from docs/reference/checks.md."""

    def test_one_loop_at_minus_4_db(self) -> None:
        figures = loop_figures(["b:x", "r:y"], ["send x>y -4", "y>x"])
        assert (figures["loop_gain_db"], figures["group_gain_db"]) == pytest.approx((-4.0, -4.0))
        assert "−4.0 dB per pass" in figures["words"]

    @pytest.mark.parametrize("longer", [False, True])
    def test_two_loops_at_minus_4_db_through_one_bus_make_2_02_db(self, longer: bool) -> None:
        ways = ["send x>y -4", "y>x", "send x>z -4", *(["z>w", "w>x"] if longer else ["z>x"])]
        figures = loop_figures(["b:x", "r:y", "r:z", "r:w"], ways)
        assert figures["loop_gain_db"] == pytest.approx(-4.0)
        assert figures["group_gain_db"] == pytest.approx(2.02, abs=0.005)
        assert "may run away" in figures["words"]

    def test_at_0_db_it_runs_away(self) -> None:
        assert "runs away" in loop_figures(["b:x", "b:y"], ["x>y", "y>x"])["words"]

    def test_channels_that_never_come_back_are_silence(self) -> None:
        crossed = [{"from": "x", "to": "y", "channels": [[1, 2]]}, {"from": "y", "to": "x", "channels": [[1, 1]]}]
        stereo = [{"id": name, "kind": "bus", "layout": "stereo"} for name in "xy"]
        assert loop_figures(stereo, crossed)["loop_gain_db"] is None

    def test_crossed_channels_come_back_after_two_rounds(self) -> None:
        crossed = [{"from": "x", "to": "y", "channels": [[1, 2], [2, 1]], "gain_db": -3.0}, {"from": "y", "to": "x"}]
        stereo = [{"id": name, "kind": "bus", "layout": "stereo"} for name in "xy"]
        assert loop_figures(stereo, crossed)["loop_gain_db"] == pytest.approx(-3.0)

    def test_a_delay_with_feedback_counts_its_geometric_series(self) -> None:
        for percent, rise_db in ((20, 1.94), (30, 3.10), (40, 4.44)):  # docs/reference/checks.md, *Check values*
            delay = {"id": "d", "type": "delay", "feedback": percent / 100, "delay_ms": 42.0}
            figures = loop_figures(["b:x", {"id": "y", "kind": "return", "inserts": [delay]}], ["send x>y -10", "y>x"])
            assert figures["loop_gain_db"] == pytest.approx(-10 + rise_db, abs=0.005)
            assert figures["repeat_ms"] == 42.0

    def test_repeat_time_is_latency_and_at_least_one_buffer(self) -> None:
        slow = {"id": "y", "kind": "bus", "inserts": [{"id": "i", "latency_samples": 480}]}
        assert loop_figures(["b:x", slow], ["x>y", "y>x"])["repeat_ms"] == pytest.approx(10.0)
        assert loop_figures(["b:x", "b:y"], ["x>y", "y>x"])["repeat_ms"] == pytest.approx(5.333, abs=0.001)

    def test_huge_gains_stay_finite(self) -> None:
        gains = [{"id": f"g{number}", "type": "gain", "gain_db": 200.0} for number in range(40)]
        figures = loop_figures([{"id": "x", "kind": "bus", "inserts": gains}, "b:y"], ["x>y 200", "y>x -200"])
        assert all(math.isfinite(value) for name, value in figures.items() if name != "words")


def test_the_gain_of_a_chain_is_the_product_of_its_stages() -> None:
    made = template([
        {"id": "x", "kind": "audio", "layout": "stereo", "fader_db": -3.0, "pan": 0.5,
         "inserts": [{"id": "g", "type": "gain", "gain_db": 6.0}, {"id": "h", "type": "gain", "gain_db": 6.0, "state": "bypassed"}]},
        {"id": "y", "kind": "output", "layout": "mono"},
    ], ["x>y -6"])  # fmt: skip
    graph = SignalGraph(made)
    chain = chain_gain(made.strips[0], POST)
    assert chain.level_db == pytest.approx(3.0)
    assert np.array(chain.matrix) == pytest.approx(np.diag([0.5, 1.0]))
    whole = hops_gain(graph, [0], 0)
    assert np.array(whole.matrix) == pytest.approx(np.array([[0.25, 0.5]]))
    assert whole.level_db == pytest.approx(-3.0)
