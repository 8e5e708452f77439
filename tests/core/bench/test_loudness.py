"""Delivery figures of a print beside its loudness, reasons for rejection, and the null test."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from lattice.bench.loudness import measure_print, remarks
from lattice.bench.null_test import OCTAVES_HZ, residual
from lattice.bench.prints.files import PrintFiles
from lattice.errors import DocumentError
from lattice.model.document import Profile, Stem

RATE = 48000


def noise(seconds: float, level: float = 0.05, seed: int = 1, channels: int = 2) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal((round(seconds * RATE), channels)) * level


def put(path: Path, samples: np.ndarray, rate: int = RATE, subtype: str = "FLOAT") -> Path:
    soundfile.write(path, samples, rate, subtype)
    return path


def test_clips_are_runs_of_three_and_more(tmp_path: Path) -> None:
    samples = noise(2.0)
    samples[1000:1002, 0] = 1.0  # two: none
    samples[4798:4803, 1] = -1.0  # across two stretches: one
    samples[50_000:50_010, 0] = 1.0
    one = measure_print(put(tmp_path / "a.wav", samples))
    assert (one.clipped_runs, one.first_clip_s) == (2, round(4798 / RATE, 3))


def test_silence_and_offset_are_measured(tmp_path: Path) -> None:
    samples = np.concatenate((noise(1.0), np.zeros((2 * RATE, 2)), noise(1.0))) + 0.01
    one = measure_print(put(tmp_path / "a.wav", samples - 0.01 + [0.0, 0.01]))
    assert one.dc_offset == pytest.approx(0.01, abs=1e-3)
    assert measure_print(put(tmp_path / "b.wav", samples - 0.01)).silent_s == pytest.approx(2.0, abs=0.1)
    silent = measure_print(put(tmp_path / "c.wav", np.zeros((RATE, 2))))
    assert (silent.integrated_lufs, silent.true_peak_dbtp, silent.range_lu) == (None, None, None)
    assert [one.words for one in remarks(silent, Profile())] == ["no signal above −60 dBFS"]


@pytest.mark.parametrize(
    ("profile", "stem", "words"),
    [
        ({"loudness_lufs": -23.0}, None, "LU off −23.0"), ({"loudness_lufs": -23.0}, Stem(id="s", name="S"), None),
        ({"loudness_lufs": -23.0}, Stem(id="s", name="S", role="mix"), "LU off −23.0"),
        ({"true_peak_dbtp": -20.0}, None, "limit −20.0"), ({}, Stem(id="s", name="S", true_peak_dbtp=-30.0), "limit −30.0"),
        ({"sample_rate_hz": 96000}, None, "96000 Hz required"), ({}, None, None),
    ],
)  # fmt: skip
def test_a_print_is_held_against_the_profile(
    tmp_path: Path, profile: dict[str, Any], stem: Stem | None, words: str | None
) -> None:
    one = measure_print(put(tmp_path / "a.wav", noise(4.0)))
    said = [remark.words for remark in remarks(one, Profile(**profile), stem)]
    assert said == [] if words is None else any(words in sentence for sentence in said)


def test_a_print_that_is_shorter_than_its_set_is_said(tmp_path: Path) -> None:
    short, long = (measure_print(put(tmp_path / f"{s}.wav", noise(s))) for s in (1.0, 1.5))
    assert [one.words for one in remarks(short, Profile(), others=[short, long])] == [
        "0.50 s shorter than the longest of its set"
    ]
    assert not remarks(long, Profile(), others=[short, long])


@pytest.mark.parametrize(
    ("data", "words"), [(b"", "cannot be read"), (b"RIFF1234WAVE", "cannot be read"), (None, "cannot be read")]
)
def test_what_is_no_recording_is_refused(tmp_path: Path, data: bytes | None, words: str) -> None:
    path = tmp_path / "x.wav"
    if data is not None:
        path.write_bytes(data)
    with pytest.raises(DocumentError, match=words):
        measure_print(path)


# adding up


def files(tmp_path: Path, *, change: Any = None, offset: int = 0) -> tuple[PrintFiles, list[PrintFiles]]:
    parts = {"drums": noise(6.0, seed=1), "voice": noise(6.0, seed=2)}
    whole = sum(parts.values())
    if change is not None:
        whole = change(whole)
    if offset:
        parts["voice"] = np.concatenate((np.zeros((offset, 2)), parts["voice"]))
    mix = PrintFiles("mix", [put(tmp_path / "mix.wav", whole, subtype="PCM_24")])
    return mix, [
        PrintFiles(name, [put(tmp_path / f"{name}.wav", line, subtype="PCM_24")]) for name, line in parts.items()
    ]


def test_stems_that_add_up_leave_the_rounding(tmp_path: Path) -> None:
    mix, stems = files(tmp_path)
    found = residual(mix, stems, RATE, 2)
    assert found.residual_db is not None
    assert found.residual_db < -100
    assert found.offsets == {"drums": 0, "voice": 0}


def test_a_stem_that_is_late_is_aligned_first(tmp_path: Path) -> None:
    mix, stems = files(tmp_path, offset=4711)
    found = residual(mix, stems, RATE, 2)
    assert found.offsets == {"drums": 0, "voice": 4711}
    assert found.residual_db is not None
    assert found.residual_db < -100


def test_what_is_left_is_told_by_time_and_by_octave(tmp_path: Path) -> None:
    def with_tone(whole: np.ndarray) -> np.ndarray:
        tone = 0.02 * np.sin(2 * np.pi * 1000 * np.arange(RATE) / RATE)
        return whole + np.concatenate((np.zeros(3 * RATE), tone, np.zeros(2 * RATE)))[:, None]

    mix, stems = files(tmp_path, change=with_tone)
    found = residual(mix, stems, RATE, 2)
    assert found.largest_at_s == 3.0
    power = 10 * np.log10(0.02**2 / 2 / (2 * 0.05**2))  # the tone beside the noise of two stems
    assert found.largest_db == pytest.approx(power, abs=0.5)
    octaves = {hz: level for hz, level in zip(OCTAVES_HZ, found.octaves_db, strict=True) if level is not None}
    assert max(octaves, key=octaves.__getitem__) == 1000.0


def test_nothing_to_add_up_is_refused(tmp_path: Path) -> None:
    mix, _stems = files(tmp_path)
    with pytest.raises(DocumentError, match="no stems to add up"):
        residual(mix, [], RATE, 2)
