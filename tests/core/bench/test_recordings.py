"""Recordings with levels that are known, measured by us and by others.

Sines: RMS is 3.01 dB below the peak, and their true peak is their amplitude wherever the samples fall (mathematics).
True peaks of anything else are compared with an independent implementation of ITU-R BS.1770 (libebur128), loudness of a
sine of 997 Hz with its RMS: −0.691 + 10·log10 of the mean square in each channel (ITU-R BS.1770-4, annex 1).
"""

from __future__ import annotations

import math
import struct
from pathlib import Path

import numpy as np
import pyebur128
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from lattice.bench.recordings import Measured, layout_of, measure, measure_all, recordings_in
from lattice.bench.true_peak import FILTER, MOST_GAIN, PHASES, TAPS, TruePeak
from lattice.errors import DocumentError
from tests.deep import tries

RATE = 48_000


def sine(hz: float, peak_dbfs: float, seconds: float = 2.0, rate: int = RATE, phase: float = 0.0) -> np.ndarray:
    return 10 ** (peak_dbfs / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate + phase)


def recorded(
    folder: Path,
    *channels: np.ndarray,
    rate: int = RATE,
    form: str = "wav",
    subtype: str = "PCM_24",
    name: str = "take",
) -> Path:
    path = folder / f"{name}.{form.lower()}"
    soundfile.write(
        path, np.stack(channels, axis=1), rate, subtype=subtype, format="RF64" if form == "rf64" else form.upper()
    )
    return path


def others(path: Path) -> tuple[float, float]:
    """Sample peak and true peak by libebur128, linear, of the loudest channel."""
    samples, rate = soundfile.read(path, always_2d=True)
    state = pyebur128.R128State(samples.shape[1], rate, pyebur128.MeasurementMode.MODE_TRUE_PEAK)
    state.add_frames(np.ascontiguousarray(samples).ravel(), len(samples))
    both = pyebur128.get_sample_peak, pyebur128.get_true_peak
    return tuple(max(get(state, channel) for channel in range(samples.shape[1])) for get in both)  # type: ignore[return-value]


@pytest.mark.parametrize("form", ["wav", "rf64", "flac"])
@pytest.mark.parametrize("peak", [0.0, -6.0, -18.0, -40.0])
def test_a_sine_has_its_peak_and_its_rms(tmp_path: Path, form: str, peak: float) -> None:
    found = measure(recorded(tmp_path, sine(997, peak), form=form))
    assert found.sample_peak_dbfs == pytest.approx(peak, abs=0.01)
    assert found.true_peak_dbtp == pytest.approx(peak, abs=0.05)
    assert found.rms_dbfs == pytest.approx(peak - 3.0103, abs=0.01)
    assert (found.name, found.layout, found.sample_rate_hz, found.frames) == ("take", "mono", RATE, 2 * RATE)


def test_a_peak_between_samples_is_seen(tmp_path: Path) -> None:
    """A quarter of the sampling rate, 45° off: samples reach −3.01 dB of the wave's peak (mathematics)."""
    found = measure(recorded(tmp_path, sine(RATE / 4, -6, phase=math.pi / 4)))
    assert found.sample_peak_dbfs == pytest.approx(-9.0103, abs=0.01)
    assert found.true_peak_dbtp == pytest.approx(-6, abs=0.2)  # tolerance as above


@given(st.integers(0, 2**32 - 1), st.sampled_from([44_100, 48_000]), st.floats(0.02, 0.9))
@tries(40)
def test_true_peaks_are_those_that_others_measure(seed: int, rate: int, cut: float) -> None:
    """Noise below a share of the band, with a loud stretch in it; within 0.3 dB of libebur128, whose filter is another."""
    drawn = np.random.default_rng(seed)
    spectrum = np.fft.rfft(drawn.standard_normal(rate))
    spectrum[int(len(spectrum) * cut * 0.8) :] = 0
    noise = np.fft.irfft(spectrum)
    noise[rate // 3 : rate // 3 + 500] *= 4
    noise = (noise / np.abs(noise).max() * 0.7).astype(np.float32)
    state = pyebur128.R128State(1, rate, pyebur128.MeasurementMode.MODE_TRUE_PEAK)
    state.add_frames(noise.astype(np.float64), len(noise))
    ours = TruePeak()
    for part in np.array_split(noise, 7):
        ours.feed(part)
    assert 20 * math.log10(ours.finish() / pyebur128.get_true_peak(state, 0)) == pytest.approx(0, abs=0.3)


@pytest.mark.parametrize("parts", [1, 2, 7, 40])
def test_where_stretches_end_makes_no_peak(parts: int) -> None:
    """A smooth tone in stretches of any length reads as it does in one."""
    whole = (sine(400, -14, 1.0) * np.hanning(RATE)).astype(np.float32)
    ours = TruePeak()
    for part in np.array_split(whole, parts):
        ours.feed(part)
    assert 20 * math.log10(ours.finish()) == pytest.approx(-14, abs=0.02)


@given(st.integers(0, 2**32 - 1), st.integers(1, 5000), st.integers(1, 9))
@tries(60)
def test_what_is_passed_over_holds_no_higher_peak(seed: int, count: int, parts: int) -> None:
    drawn = np.random.default_rng(seed)
    samples = (drawn.standard_normal(count) * np.abs(np.sin(np.arange(count) / 90))).astype(np.float32)
    ours = TruePeak()
    for part in np.array_split(samples, parts):
        ours.feed(part)
    padded = np.concatenate((np.zeros(TAPS - 1, np.float32), samples, np.zeros(TAPS - 1, np.float32)))
    whole = np.lib.stride_tricks.sliding_window_view(padded, TAPS) @ FILTER
    assert ours.finish() == pytest.approx(max(np.abs(whole).max(), np.abs(samples).max()), rel=1e-6)


@pytest.mark.parametrize("hz", [50, 997, 4_000, 10_000, 16_000, 20_000])
@pytest.mark.parametrize("phase", [0.0, 0.4, 1.1])
def test_sines_read_what_they_are(hz: float, phase: float) -> None:
    """Tolerance of EBU Tech 3341, table 1, tests 15 to 23: +0.2 / −0.4 dB (from memory)."""
    ours = TruePeak()
    ours.feed((sine(hz, -6, 0.5, phase=phase) * np.hanning(RATE // 2)).astype(np.float32))
    assert -6.4 <= 20 * math.log10(ours.finish()) <= -5.8


def test_the_filter_is_an_interpolation_filter() -> None:
    """Unity at 0 Hz, phases that mirror each other; the bound is the sum of the absolute values."""
    assert PHASES.sum(axis=1) == pytest.approx([1, 1, 1, 1], abs=1e-6)
    assert np.allclose(PHASES, PHASES[::-1, ::-1])
    assert max(np.abs(PHASES).sum(axis=1)) == pytest.approx(MOST_GAIN)


def test_rms_is_that_of_what_sounds(tmp_path: Path) -> None:
    """Two seconds of sine, eight of a hiss at −70 dBFS: the RMS is the sine's. EBU R 128 sees the same loudness."""
    hiss = np.random.default_rng(1).standard_normal(8 * RATE) * 10 ** (-70 / 20)
    tone = sine(997, -12)
    path = recorded(tmp_path, np.concatenate((tone, hiss)))
    assert measure(path).rms_dbfs == pytest.approx(-15.01, abs=0.02)
    samples, rate = soundfile.read(path, always_2d=True)
    state = pyebur128.R128State(1, rate, pyebur128.MeasurementMode.MODE_I)
    state.add_frames(np.ascontiguousarray(samples).ravel(), len(samples))
    assert pyebur128.get_loudness_global(state) + 0.691 == pytest.approx(measure(path).rms_dbfs, abs=0.5)


def test_the_loudest_channel_counts(tmp_path: Path) -> None:
    found = measure(recorded(tmp_path, sine(997, -20), sine(400, -6), sine(100, -60)))
    assert (found.layout, round(found.true_peak_dbtp, 1), round(found.rms_dbfs, 1)) == ("discrete:3", -6.0, -9.0)


@pytest.mark.parametrize(
    ("channels", "layout"), [(1, "mono"), (2, "stereo"), (6, "5.1"), (8, "7.1"), (4, "discrete:4")]
)
def test_the_layout_follows_from_the_channels(channels: int, layout: str) -> None:
    assert layout_of(channels) == layout


def test_silence_has_no_levels(tmp_path: Path) -> None:
    found = measure(recorded(tmp_path, np.zeros(RATE)))
    assert (found.sounds, found.levels, found.sample_peak_dbfs) == (False, {}, -math.inf)


def header_of_nothing(folder: Path) -> Path:
    return recorded(folder, np.zeros(0), name="nothing")


def no_recording(folder: Path) -> Path:
    (folder / "list.wav").write_text("Kick\nSnare\n")
    return folder / "list.wav"


def not_numbers(folder: Path) -> Path:
    return recorded(folder, np.array([0.0, math.nan, 0.1]), subtype="FLOAT", name="nan")


def cut_short(folder: Path) -> Path:
    """A file whose header states more than its content: the content is measured."""
    path = recorded(folder, sine(997, -6), name="cut")
    data = bytearray(path.read_bytes())
    data[40:44] = struct.pack("<I", 2**31 - 1)
    path.write_bytes(bytes(data))
    return path


@pytest.mark.parametrize(
    ("made", "words"),
    [(header_of_nothing, "has no samples"), (no_recording, "cannot be read as WAV or FLAC"), (not_numbers, "without a finite value"),
     (lambda folder: folder / "nowhere.wav", "cannot be read|No such file")],
)  # fmt: skip
def test_what_is_no_recording_is_refused_with_a_sentence(tmp_path: Path, made, words: str) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(DocumentError, match=words):
        measure(made(tmp_path))


def test_a_file_that_is_cut_short_is_measured_as_far_as_it_goes(tmp_path: Path) -> None:
    assert measure(cut_short(tmp_path)).true_peak_dbtp == pytest.approx(-6, abs=0.05)


def test_another_form_of_recording_is_refused(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "take.wav", sine(997, -6), RATE, format="OGG")
    with pytest.raises(DocumentError, match="use WAV, RF64 or FLAC"):
        measure(tmp_path / "take.wav")


def test_a_folder_is_measured_in_order_and_what_fails_comes_with_its_reason(tmp_path: Path) -> None:
    for number, peak in enumerate((-6.0, -12.0, -18.0)):
        recorded(tmp_path, sine(997, peak), name=f"take {number}")
    no_recording(tmp_path)
    (tmp_path / "notes.txt").write_text("none")
    told: list[tuple[int, int]] = []
    found = list(measure_all(recordings_in([tmp_path]), lambda done, of: told.append((done, of))))
    assert [path.name for path, _result in found] == ["list.wav", "take 0.wav", "take 1.wav", "take 2.wav"]
    assert isinstance(found[0][1], DocumentError)
    assert [round(result.true_peak_dbtp) for _path, result in found[1:] if isinstance(result, Measured)] == [
        -6,
        -12,
        -18,
    ]
    assert told == [(1, 4), (2, 4), (3, 4), (4, 4)]
    (tmp_path / "other").mkdir()
    with pytest.raises(DocumentError, match="no recordings"):
        recordings_in([tmp_path / "other"])


class StoppedError(Exception):
    pass


def test_measuring_stops_where_nobody_waits(tmp_path: Path) -> None:
    path = recorded(tmp_path, sine(997, -6, seconds=20))

    def stop(_share: float) -> None:
        raise StoppedError

    with pytest.raises(StoppedError):
        measure(path, stop)
