"""Delivery figures of prints: loudness, peaks and reasons for rejection.

Loudness is measured by a reference library's binding (ITU-R BS.1770-4, EBU R 128, Tech 3341 and 3342); the rest is
counted here. Files are read in stretches of 100 ms, so that a file of any length costs the same memory.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pyebur128
import soundfile
from numpy.typing import NDArray

from lattice.bench.prints.files import is_cut_off
from lattice.bench.progress import Progress, no_progress
from lattice.bench.recordings import READ, layout_of
from lattice.bench.true_peak import TruePeak
from lattice.errors import DocumentError
from lattice.model.document import Profile, Stem
from lattice.model.layouts import DISCRETE, channel_names
from lattice.model.units import decibels, words_db

STEP_S = 0.1  # between two values of momentary loudness (Tech 3341, clause 2.2)
FULL = 1.0 - 2.0**-15  # as good as full scale in 16 bits
CLIPPED_RUN = 3  # samples in a row at full scale (common practice)
SILENT_DBFS = -60.0
QUIETEST_LUFS = -70.0  # the absolute gate of BS.1770: below it nothing is measured
LENGTH_S = 0.01  # that prints of a set may differ in length by
WINDOW_MS = 100
MOST_CHANNELS = 64
STRETCH = 26  # steps that are read together
# Ls and Rs are at ±90° to ±110° and count 1.5 dB more; LFE is not counted (BS.1770-4, table 4).
PLACES = {
    "M": "CENTER", "L": "LEFT", "R": "RIGHT", "C": "CENTER", "LFE": "UNUSED", "Ls": "LEFT_SURROUND",
    "Rs": "RIGHT_SURROUND", "Lrs": "M_PLUS_135", "Rrs": "M_MINUS_135",
}  # fmt: skip


class Loudness(msgspec.Struct, frozen=True, kw_only=True):
    """One print, measured. Levels are None where nothing is loud enough to be measured."""

    name: str
    layout: str
    sample_rate_hz: int
    frames: int
    integrated_lufs: float | None = None
    range_lu: float | None = None
    momentary_max_lufs: float | None = None
    short_term_max_lufs: float | None = None
    true_peak_dbtp: float | None = None
    sample_peak_dbfs: float | None = None
    clipped_runs: int = 0
    first_clip_s: float | None = None
    silent_s: float = 0.0  # the longest stretch below −60 dBFS
    dc_offset: float = 0.0  # of the channel that has most, full scale being 1
    short_term_lufs: tuple[float | None, ...] = ()  # each second, from the third on

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.frames / self.sample_rate_hz


def measure_print(path: Path, layout: str | None = None, progress: Progress = no_progress) -> Loudness:
    """One print, measured.

    Parameters
    ----------
    path
        WAV, RF64 or FLAC, its channels in the order of the layout.
    layout
        None: by the number of channels (6: 5.1, 8: 7.1).
    progress
        Called with the share that is read; an exception it raises ends the measuring.

    Raises
    ------
    DocumentError
        If it is not a recording, is empty or is truncated.
    """
    try:
        with soundfile.SoundFile(path) as file:
            problem = _problem(file, path)
            if problem:
                raise DocumentError([problem])
            return _Measuring(file, path.stem, layout or layout_of(file.channels)).run(progress)
    except soundfile.LibsndfileError:
        raise DocumentError(["cannot be read as WAV, RF64 or FLAC"]) from None
    except OSError as wrong:
        raise DocumentError([wrong.strerror or str(wrong)]) from None


def _problem(file: soundfile.SoundFile, path: Path) -> str:
    if file.format not in READ:
        return f"is {file.format_info}; use WAV, RF64 or FLAC"
    if not file.frames:
        return "has no samples"
    if file.channels > MOST_CHANNELS:
        return f"has {file.channels} channels; at most {MOST_CHANNELS} are allowed"
    return "is cut off: its header states a greater length" if is_cut_off(path) else ""


class _Measuring:
    """The state of one measuring."""

    def __init__(self, file: soundfile.SoundFile, name: str, layout: str) -> None:
        self.file, self.name, self.layout = file, name, layout
        mode = pyebur128.MeasurementMode
        wanted = mode.MODE_I | mode.MODE_LRA | mode.MODE_M | mode.MODE_SAMPLE_PEAK
        self.state: Any = pyebur128.R128State(file.channels, file.samplerate, wanted)
        names = ["M"] * file.channels if layout.startswith(DISCRETE) else channel_names(layout)
        for channel, place in enumerate(names):
            self.state.set_channel(channel, getattr(pyebur128.ChannelType, PLACES[place]))
        self.powers: list[float] = []  # K-weighted, of each 100 ms
        self.sum = np.zeros(file.channels)
        # Not the library's, which takes three times as long for the same (tests/reference holds both to Tech 3341).
        self.true_peaks = [TruePeak() for _ in range(file.channels)]
        self.clips = Clips(file.channels)
        self.silent = self.longest = self.read = 0

    def run(self, progress: Progress) -> Loudness:
        """Goes through the file."""
        step = round(STEP_S * self.file.samplerate)
        while len(stretch := self.file.read(step * STRETCH, dtype="float32", always_2d=True)):
            if not np.isfinite(stretch).all():
                raise DocumentError(["has samples without a finite value"])
            for peak, line in zip(self.true_peaks, stretch.T, strict=True):
                peak.feed(np.ascontiguousarray(line))
            for first in range(0, len(stretch), step):
                self._feed(stretch[first : first + step])
            progress(self.read / self.file.frames)
        for peak in self.true_peaks:
            peak.finish()
        return self._result()

    def _feed(self, block: NDArray[np.float32]) -> None:
        self.state.add_frames(np.ascontiguousarray(block).reshape(-1), len(block))
        # Each call of the library sums a whole window. So it is called for 100 ms blocks; the rest are means of these.
        self.powers.append(10 ** ((pyebur128.get_loudness_window(self.state, WINDOW_MS) + 0.691) / 10))
        self.sum += block.sum(axis=0, dtype=np.float64)
        highest = float(np.abs(block).max())
        if highest >= FULL:
            self.clips.feed(block, self.read)
        else:
            self.clips.rest()
        self.silent = self.silent + len(block) if decibels(highest) < SILENT_DBFS else 0
        self.longest = max(self.longest, self.silent)
        self.read += len(block)

    def _result(self) -> Loudness:
        rate, channels = self.file.samplerate, range(self.file.channels)
        sample_peak = max(pyebur128.get_sample_peak(self.state, channel) for channel in channels)
        loud = pyebur128.get_loudness_global(self.state)
        momentary, short_term = (_windows(self.powers, blocks) for blocks in (4, 30))
        return Loudness(
            name=self.name, layout=self.layout, sample_rate_hz=rate, frames=self.read, integrated_lufs=_heard(loud),
            range_lu=round(pyebur128.get_loudness_range(self.state), 2) if _heard(loud) is not None else None,
            momentary_max_lufs=_heard(max(momentary, default=-math.inf)),
            short_term_max_lufs=_heard(max(short_term, default=-math.inf)),
            true_peak_dbtp=_level(max(one.linear for one in self.true_peaks)),
            sample_peak_dbfs=_level(sample_peak), clipped_runs=self.clips.count,
            first_clip_s=None if self.clips.first is None else round(self.clips.first / rate, 3),
            silent_s=round(self.longest / rate, 2), dc_offset=float(np.abs(self.sum / max(self.read, 1)).max()),
            short_term_lufs=tuple(_heard(one) for one in short_term[::10]),
        )  # fmt: skip


def _windows(powers: Sequence[float], blocks: int) -> list[float]:
    """Loudness of so many blocks of 100 ms together, block by block: momentary of 4, short-term of 30 (Tech 3341)."""
    if len(powers) < blocks:
        return []
    total = np.convolve(np.array(powers), np.ones(blocks), "valid") / blocks
    return [-0.691 + 10 * math.log10(one) if one > 1e-12 else -math.inf for one in total.tolist()]


class Clips:
    """Runs of samples in a row at full scale, on any channel."""

    def __init__(self, channels: int) -> None:
        self.count = 0
        self.first: int | None = None
        self._run = [0] * channels

    def rest(self) -> None:
        """Nothing is at full scale."""
        self._run = [0] * len(self._run)

    def feed(self, block: NDArray[np.float32], start: int) -> None:
        """(frames, channels) that begin at a sample."""
        full = np.abs(block) >= FULL
        for channel in range(block.shape[1]):
            places = np.flatnonzero(np.diff(np.concatenate(([0], full[:, channel].astype(np.int8), [0]))))
            run = self._run[channel]
            for first, last in places.reshape(-1, 2).tolist():
                length = last - first + (run if first == 0 else 0)
                if length >= CLIPPED_RUN and not (first == 0 and run >= CLIPPED_RUN):
                    self.count += 1
                    self.first = start + first if self.first is None else min(self.first, start + first)
                run = length if last == len(block) else 0
            self._run[channel] = run if len(places) and places[-1] == len(block) else 0


def _heard(level: float) -> float | None:
    return round(level, 2) if level > QUIETEST_LUFS else None


def _level(linear: float) -> float | None:
    return round(decibels(linear), 2) if linear > 1e-9 else None


class LoudnessNote(msgspec.Struct, frozen=True):
    """Reasons why a delivery would reject a print, and notes on it."""

    severity: str
    words: str


def remarks(
    one: Loudness, profile: Profile, stem: Stem | None = None, others: Sequence[Loudness] = ()
) -> list[LoudnessNote]:
    """A print against a profile, and against the other prints of its set.

    Parameters
    ----------
    one
        The print.
    profile
        The requirements of the delivery.
    stem
        The strip it prints, if known: loudness limits apply to mixes only.
    others
        Prints of the same set.
    """
    found = list(_of_levels(one, profile, stem))
    if one.sample_rate_hz != profile.sample_rate_hz:
        found.append(LoudnessNote("blocker", f"{one.sample_rate_hz} Hz; {profile.sample_rate_hz} Hz required"))
    if one.clipped_runs:
        found.append(
            LoudnessNote(
                "warning",
                f"{one.clipped_runs} runs of {CLIPPED_RUN} or more samples at full scale, first at {one.first_clip_s} "
                "s",
            )
        )
    if one.silent_s >= one.seconds - STEP_S:
        found.append(LoudnessNote("blocker", "no signal above −60 dBFS"))
    if abs(one.dc_offset) > 10 ** (SILENT_DBFS / 20):
        found.append(LoudnessNote("note", f"a DC offset of {words_db(decibels(one.dc_offset))} dBFS"))
    longest = max((other.seconds for other in others), default=one.seconds)
    if longest - one.seconds > LENGTH_S:
        found.append(LoudnessNote("warning", f"{longest - one.seconds:.2f} s shorter than the longest of its set"))
    return found


def _of_levels(one: Loudness, profile: Profile, stem: Stem | None) -> Iterator[LoudnessNote]:
    is_mix = stem is None or stem.role == "mix"
    most = profile.true_peak_dbtp if stem is None or stem.true_peak_dbtp is None else stem.true_peak_dbtp
    if one.true_peak_dbtp is not None and one.true_peak_dbtp > most:
        yield LoudnessNote(
            "warning", f"true peak {words_db(one.true_peak_dbtp, plus=True)} dBTP (limit {words_db(most)} dBTP)"
        )
    if is_mix and profile.loudness_lufs is not None and one.integrated_lufs is not None:
        off = one.integrated_lufs - profile.loudness_lufs
        if abs(off) > profile.loudness_tolerance_lu:
            beside = f"{words_db(off, plus=True)} LU off {words_db(profile.loudness_lufs)}"
            yield LoudnessNote("warning", f"{words_db(one.integrated_lufs)} LUFS: {beside}")
