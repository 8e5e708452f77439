"""Loudness against the test signals of EBU Tech 3341 (2016) and 3342 (2016), generated as they are described there.

Tolerances are those of the two documents: ±0.1 LU for integrated, momentary and short-term loudness, ±1 LU for the
range, +0.2/−0.4 dB for true peaks. The lists of cases are from memory of the documents' tables.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest
import soundfile

from lattice.bench.loudness import Loudness, measure_print

RATE = 48000
LAYOUT_51 = ("L", "R", "C", "LFE", "Ls", "Rs")


def sine(level_dbfs: float, seconds: float, hz: float = 1000.0, phase: float = 0.0) -> np.ndarray:
    return 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE + phase)


def in_turn(*parts: tuple[float, float]) -> np.ndarray:
    return np.concatenate([sine(level, seconds) for level, seconds in parts])


def stereo(line: np.ndarray) -> np.ndarray:
    return np.stack((line, line), axis=1)


def measured(tmp_path: Path, samples: np.ndarray, layout: str | None = None) -> Loudness:
    path = tmp_path / "signal.wav"
    soundfile.write(path, samples, RATE, "FLOAT")
    return measure_print(path, layout)


INTEGRATED = {  # Tech 3341, table 1, cases 1 to 6
    "1": ([(-23.0, 20)], -23.0),
    "2": ([(-33.0, 20)], -33.0),
    "3": ([(-36.0, 10), (-23.0, 60), (-36.0, 10)], -23.0),
    "4": ([(-72.0, 10), (-36.0, 10), (-23.0, 60), (-36.0, 10), (-72.0, 10)], -23.0),
    "5": ([(-26.0, 20), (-20.0, 20.1), (-26.0, 20)], -23.0),
}


@pytest.mark.parametrize("case", INTEGRATED)
def test_integrated_loudness(tmp_path: Path, case: str) -> None:
    parts, expected = INTEGRATED[case]
    assert measured(tmp_path, stereo(in_turn(*parts))).integrated_lufs == pytest.approx(expected, abs=0.1)


def test_five_point_one_is_weighted(tmp_path: Path) -> None:
    """Case 6: −28 dBFS in L and R, −24 in C, −30 in Ls and Rs, nothing in LFE: −23.0 LUFS."""
    levels = {"L": -28.0, "R": -28.0, "C": -24.0, "Ls": -30.0, "Rs": -30.0}
    channels = [sine(levels[name], 20) if name in levels else np.zeros(20 * RATE) for name in LAYOUT_51]
    assert measured(tmp_path, np.stack(channels, axis=1)).integrated_lufs == pytest.approx(-23.0, abs=0.1)
    loud_lfe = np.stack(
        [sine(-3.0, 20) if name == "LFE" else line for name, line in zip(LAYOUT_51, channels, strict=True)], axis=1
    )
    assert measured(tmp_path, loud_lfe).integrated_lufs == pytest.approx(-23.0, abs=0.1)


def test_short_term_loudness(tmp_path: Path) -> None:
    """Case 9: −20 dBFS for 1.34 s and −30 for 1.66 s, five times: a short-term loudness of −23.0 LUFS from 3 s on."""
    one = measured(tmp_path, stereo(in_turn(*[(-20.0, 1.34), (-30.0, 1.66)] * 5)))
    assert one.short_term_max_lufs == pytest.approx(-23.0, abs=0.1)
    assert all(level == pytest.approx(-23.0, abs=0.1) for level in one.short_term_lufs)


def test_momentary_loudness(tmp_path: Path) -> None:
    """Case 12: −20 dBFS for 0.18 s and −30 for 0.22 s, 25 times: a momentary loudness of −23.0 LUFS from 1 s on."""
    one = measured(tmp_path, stereo(in_turn(*[(-20.0, 0.18), (-30.0, 0.22)] * 25)))
    assert one.momentary_max_lufs == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("silence_s", [0.0, 0.15, 0.4])
def test_the_loudest_moment_and_three_seconds(tmp_path: Path, silence_s: float) -> None:
    """Cases 10 and 13: a tone of 3 s (of 400 ms) behind a silence of any length reads its own level at its highest."""
    for seconds, name in ((3.0, "short_term_max_lufs"), (0.4, "momentary_max_lufs")):
        line = np.concatenate((np.zeros(round((silence_s + 0.0) * RATE)), sine(-23.0, seconds), np.zeros(RATE)))
        window = 0.1 / (
            3.0 if name.startswith("short") else 0.4
        )  # windows begin every 100 ms: at worst so much is missed
        lowest = -23.0 + 10 * math.log10(1 - window / 2) - 0.1
        assert lowest <= getattr(measured(tmp_path, stereo(line)), name) <= -22.9


# Tech 3341, cases 15 to 19: sines at a quarter, a sixth and so on of the rate, in phases that miss their peaks.
TRUE_PEAKS = [
    ("15", 4, 0.0, 0.50, -6.0), ("16", 4, 45.0, 0.50, -6.0), ("17", 6, 60.0, 0.50, -6.0), ("18", 8, 67.5, 0.50, -6.0),
    ("19", 4, 45.0, 1.41, 3.0),
]  # fmt: skip


@pytest.mark.parametrize(("case", "part", "degrees", "linear", "expected"), TRUE_PEAKS)
def test_true_peaks(tmp_path: Path, case: str, part: int, degrees: float, linear: float, expected: float) -> None:
    line = linear * np.sin(2 * np.pi * np.arange(RATE) / part + math.radians(degrees))
    fade = np.minimum(1.0, np.minimum(np.arange(RATE), np.arange(RATE)[::-1]) / 480)  # no step at its ends
    found = measured(tmp_path, stereo(line * fade)).true_peak_dbtp
    assert found is not None, case
    assert expected - 0.4 <= found <= expected + 0.2


RANGES = {  # Tech 3342, table 1, cases 1 to 4
    "1": ([(-20.0, 20), (-30.0, 20)], 10.0),
    "2": ([(-20.0, 20), (-15.0, 20)], 5.0),
    "3": ([(-40.0, 20), (-20.0, 20)], 20.0),
    "4": ([(-50.0, 20), (-35.0, 20), (-20.0, 20), (-35.0, 20), (-50.0, 20)], 15.0),
}


@pytest.mark.parametrize("case", RANGES)
def test_loudness_range(tmp_path: Path, case: str) -> None:
    parts, expected = RANGES[case]
    assert measured(tmp_path, stereo(in_turn(*parts))).range_lu == pytest.approx(expected, abs=1.0)


@pytest.mark.parametrize("seed", range(4))
def test_another_library_reads_the_same(tmp_path: Path, seed: int) -> None:
    """pyloudnorm, on noise of changing level: 0.1 LU."""
    noise = np.random.default_rng(seed)
    levels = np.repeat(10 ** (noise.uniform(-40, -12, 24) / 20), RATE // 2)
    samples = noise.standard_normal((len(levels), 2)) * levels[:, None] * 0.3
    other = pyloudnorm.Meter(RATE).integrated_loudness(samples)
    assert measured(tmp_path, samples).integrated_lufs == pytest.approx(other, abs=0.1)


def test_a_full_scale_sine_in_one_front_channel(tmp_path: Path) -> None:
    """ITU-R BS.1770-4, annex 1: 997 Hz at 0 dBFS in the left, centre or right channel reads −3.01 LKFS."""
    line = sine(0.0, 10, 997.0)
    for channel in (0, 1, 2):
        samples = np.zeros((len(line), 6))
        samples[:, channel] = line
        assert measured(tmp_path, samples).integrated_lufs == pytest.approx(-3.01, abs=0.05)


def test_pink_noise_falls_by_three_decibels_an_octave() -> None:
    from lattice.bench.signals import pink

    lines = np.abs(np.fft.rfft(pink(1 << 18))) ** 2
    hz = np.fft.rfftfreq(1 << 18, 1 / RATE)
    octaves = [lines[(hz >= low) & (hz < 2 * low)].mean() for low in (62.5, 125, 250, 500, 1000, 2000, 4000, 8000)]
    steps = 10 * np.diff(np.log10(octaves))
    np.testing.assert_allclose(steps, -3.01, atol=0.5)  # the lowest has 300 lines: 0.25 dB of chance
