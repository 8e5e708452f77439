"""Levels and timing against values from outside, each with its source (docs/reference/checks.md, *Check values*)."""

from __future__ import annotations

import math

import pytest

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.checks.clocks import nearest_note
from lattice.gain_staging.chain import figures
from lattice.gain_staging.levels import Levels
from lattice.model.document import Template
from lattice.profiles import PRESETS, preset
from tests.build import template as t


def levels_of(made: Template) -> Levels:
    return Analysis(made).levels


def at_in(made: Template, strip: str) -> tuple[float, float, float]:
    """P, Q and E at a strip's `in`, loudest channel."""
    levels = levels_of(made)
    return figures(levels.stages[levels.graph.index[strip]][0]).loudest  # type: ignore[return-value]


def source(name: str, peak: float = -20.0, rms: float = -20.0, **fields: object) -> dict:
    return {"id": name, "kind": "audio", "source": {"peak_dbfs": peak, "rms_dbfs": rms}, **fields}


class TestSums:
    """n equal sources: +20·log10 n coherent, +10·log10 n in power (any acoustics handbook)."""

    @pytest.mark.parametrize(("count", "coherent", "power"), [(2, 6.02, 3.01), (4, 12.04, 6.02), (10, 20.0, 10.0)])
    def test_different_sources_add_in_power_and_at_worst_in_amplitude(
        self, count: int, coherent: float, power: float
    ) -> None:
        made = t([*(source(f"s{n}") for n in range(count)), "b:b"], [f"s{n}>b" for n in range(count)])
        assert at_in(made, "b") == pytest.approx((-20 + coherent, -20 + power, -20 + power), abs=0.005)

    def test_one_source_by_two_ways_adds_in_amplitude(self) -> None:
        made = t([source("s"), "b:b", "b:c", "x:m"], ["s>b", "s>c", "b>m", "c>m"])
        assert at_in(made, "m") == pytest.approx((-13.98,) * 3, abs=0.005)

    def test_of_opposite_polarity_it_is_gone_but_for_the_worst_case(self) -> None:
        turned = {"id": "c", "kind": "bus", "invert": True}
        levels = at_in(t([source("s"), "b:b", turned, "x:m"], ["s>b", "s>c", "b>m", "c>m"]), "m")
        assert levels == (pytest.approx(-13.98, abs=0.005), None, None)

    def test_what_has_passed_a_reverb_adds_in_power(self) -> None:
        wet = {"id": "c", "kind": "return", "inserts": [{"id": "v", "type": "reverb"}]}
        made = t([source("s"), "b:b", wet, "x:m"], ["s>b", "s>c", "b>m", "c>m"])
        assert at_in(made, "m") == pytest.approx((-13.98, -16.99, -16.99), abs=0.005)


class TestDynamics:
    """Static curves of hard-knee compressors (handbook tables)."""

    @pytest.mark.parametrize(
        ("threshold", "ratio", "level", "reduction"),
        [(-20, 4, -8, 9.0), (-40, 5, -18, 17.6), (-20, 3, -8, 8.0), (-20, 100, -8, 12.0), (-20, 4, -20, 0.0)],
    )
    def test_reduction(self, threshold: float, ratio: float, level: float, reduction: float) -> None:
        insert = {"id": "c", "type": "compressor", "threshold_db": threshold, "ratio": ratio}
        levels = levels_of(t([source("s", -1.0, level, inserts=[insert])]))
        assert levels.insert_figures(0, 0).reduction_db == pytest.approx(reduction)
        assert figures(levels.stages[0][1]).loudest == pytest.approx((-1.0, -1.0, level - reduction))

    def test_a_duck_by_expected_and_by_peak_level(self) -> None:
        """Ducking at −20 dB, 3:1 (common practice): −8 dB of key give 8 dB, its peak at −5 dB gives 10."""
        insert = {"id": "d", "type": "compressor", "key": "external", "threshold_db": -20, "ratio": 3}
        made = t(
            [source("s"), source("k", -5.0, -8.0), {"id": "b", "kind": "bus", "inserts": [insert]}],
            ["s>b", "key k>b/d"],
        )
        levels = levels_of(made)
        found = levels.insert_figures(levels.graph.index["b"], 0)
        assert (found.duck_db, found.duck_peak_db, found.reduction_db) == pytest.approx((8.0, 10.0, 0.0))

    def test_a_limiter_holds_and_is_pushed(self) -> None:
        insert = {"id": "l", "type": "limiter", "ceiling_db": -1.0, "gain_db": 6.0}
        levels = levels_of(t([source("s", -4.0, -20.0, inserts=[insert])]))
        assert figures(levels.stages[0][1]).loudest == pytest.approx((-1.0, -1.0, -14.0))
        assert levels.insert_figures(0, 0).pushed_db == pytest.approx(3.0)

    @pytest.mark.parametrize(("feedback", "worst"), [(0.2, 1.94), (0.3, 3.10), (0.4, 4.44)])
    def test_delay_feedback_is_a_geometric_series(self, feedback: float, worst: float) -> None:
        insert = {"id": "d", "type": "delay", "feedback": feedback}
        levels = levels_of(t([source("s", inserts=[insert])]))
        peak, _likely, rms = figures(levels.stages[0][1]).loudest
        assert peak == pytest.approx(-20 + worst, abs=0.005)
        assert rms == pytest.approx(-20 - 10 * math.log10(1 - feedback**2))


def test_the_centre_of_5_1_is_3_db_down_in_stereo() -> None:
    """ITU-R BS.775: centre and surrounds at −3.01 dB; LFE is left out."""
    for channel, expected in ((1, -20.0), (3, -23.01), (5, -23.01), (4, None)):
        route = {"from": "s", "to": "b", "channels": [[1, channel]]}
        made = t(
            [
                source("s"),
                {"id": "b", "kind": "bus", "layout": "5.1"},
                {"id": "f", "kind": "master", "layout": "stereo"},
            ],
            [route, "b>f"],
        )
        assert at_in(made, "f")[0] == (None if expected is None else pytest.approx(expected, abs=0.005))


class TestTiming:
    @pytest.mark.parametrize(("samples", "rate", "notch"), [(48, 48000, 500.0), (441, 44100, 50.0), (64, 48000, 375.0)])
    def test_the_first_notch_of_a_comb(self, samples: int, rate: int, notch: float) -> None:
        """f = 1/(2τ): 1 ms gives 500 Hz."""
        late = {"id": "b", "kind": "bus", "inserts": [{"id": "l", "latency_samples": samples, "type": "eq"}]}
        made = t(
            ["a:s", late, "b:c", "x:m", "o:o"],
            ["s>b", "s>c", "b>m", "c>m", "m>o"],
            sample_rate_hz=rate,
            compensation={"mode": "off"},
        )
        (found,) = [finding for finding in audit(made).findings if finding.code == "time.misaligned"]
        assert found.figures["notch_hz"] == pytest.approx(notch)

    @pytest.mark.parametrize(
        ("delay_ms", "words"), [(500, "1/4"), (375, "dotted 1/8"), (166.7, "triplet 1/8"), (166, "triplet 1/8"), (360, "dotted 1/8"), (440, None)]
    )  # fmt: skip
    def test_note_values_at_120_bpm(self, delay_ms: float, words: str | None) -> None:
        """60000 / bpm: a quarter 500 ms, a dotted eighth 375 ms, an eighth triplet 166.7 ms (arithmetic)."""
        found = nearest_note(delay_ms, 120.0)
        assert (found and found[0]) == words

    @pytest.mark.parametrize(
        ("delay_ms", "said"), [(166.0, False), (360.0, True), (375.0, False), (356.25, True), (356.2, False)]
    )
    def test_a_delay_near_a_note_value(self, delay_ms: float, said: bool) -> None:
        insert = {"id": "d", "type": "delay", "delay_ms": delay_ms}
        made = t([{"id": "r", "kind": "return", "inserts": [insert]}])
        assert ("time.delay-note" in {finding.code for finding in audit(made).findings}) == said


class TestProfiles:
    def test_figures_of_the_standards(self) -> None:
        """EBU R 128 and R 68, ATSC A/85, SMPTE RP 155; the room of a pre-master is common practice."""
        ebu, atsc = preset("ebu-r128").profile, preset("atsc-a85").profile
        assert (ebu.loudness_lufs, ebu.loudness_tolerance_lu, ebu.true_peak_dbtp, ebu.operating_level_dbfs) == (
            -23,
            0.5,
            -1,
            -18,
        )
        assert (atsc.loudness_lufs, atsc.loudness_tolerance_lu, atsc.true_peak_dbtp, atsc.operating_level_dbfs) == (
            -24,
            2,
            -2,
            -20,
        )
        assert preset("pre-master").profile.mix_headroom_db == 6

    @pytest.mark.parametrize("found", PRESETS, ids=lambda found: found.id)
    def test_every_figure_that_is_set_has_its_source(self, found: object) -> None:
        fields = type(found.profile)()  # type: ignore[attr-defined]
        changed = {name for name in fields.__struct_fields__ if getattr(fields, name) != getattr(found.profile, name)}  # type: ignore[attr-defined]
        assert changed - {"name"} <= found.sources.keys()  # type: ignore[attr-defined]

    def test_an_alignment_level_is_a_sines(self) -> None:
        """EBU R 68: −18 dBFS is the level of a sine, −21.01 dBFS plain RMS: right on the operating level."""
        insert = {"id": "c", "type": "saturator"}
        made = t([source("s", -18.0, -21.0103, inserts=[insert])], profile={"operating_window_db": 0.001})
        assert "level.operating" not in {finding.code for finding in audit(made).findings}
