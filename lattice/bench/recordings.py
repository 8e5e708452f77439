"""Recordings measured: their peaks between samples, and how loud they are while they sound.

WAV, RF64 and FLAC, read in stretches of some seconds, so that a file of any length costs the same memory.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import msgspec
import numpy as np
import soundfile

from lattice.bench.progress import CountProgress, Progress, no_progress
from lattice.bench.true_peak import Samples, TruePeak
from lattice.errors import DocumentError
from lattice.model.layouts import layout_of_count
from lattice.model.units import decibels

BLOCK_S = 0.4  # threshold of sound, as for momentary loudness (EBU Tech 3341)
SOUNDING_DBFS = -60.0  # RMS of a block; below it is a pause
STRETCH_FRAMES = 1 << 17
MOST_CHANNELS = 64
LEAST_RATE_HZ, MOST_RATE_HZ = 8_000, 768_000  # as a template's (docs/reference/model.md)
ENDINGS = (".wav", ".wave", ".rf64", ".bwf", ".flac")
READ = ("WAV", "WAVEX", "RF64", "FLAC", "W64")
WORKERS = 2
# Layouts that so many channels in a file are taken for; their order in it is L R C LFE Ls Rs (SMPTE ST 2098-2).
WIDE = {6: "5.1", 8: "7.1"}


@dataclass(frozen=True)
class Measured:
    """The measurements of a recording, of its loudest channel."""

    name: str  # of the file, without its ending
    layout: str
    sample_rate_hz: int
    frames: int
    sample_peak_dbfs: float
    true_peak_dbtp: float
    rms_dbfs: float  # over the blocks of 400 ms that are louder than −60 dBFS; −∞ where none is

    @property
    def sounds(self) -> bool:
        """Return whether a block of it is louder than −60 dBFS."""
        return self.rms_dbfs > -math.inf

    @property
    def levels(self) -> dict[str, float]:
        """The values of a recording for its source: the true peak as its peak; none if it is silent."""
        if not self.sounds:
            return {}
        return {"peak_dbfs": round(self.true_peak_dbtp, 2), "rms_dbfs": round(self.rms_dbfs, 2)}

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.frames / self.sample_rate_hz


def layout_of(channels: int) -> str:
    """The layout that so many channels of a file are taken for."""
    return WIDE.get(channels) or layout_of_count(channels)


def measure_named(words: bytes) -> Measured:
    """A recording, measured under a name: JSON of its path, the name, and the most samples (frames × channels)."""
    path, name, most_samples = msgspec.json.decode(words, type=tuple[str, str, int])
    with _opened(Path(path)) as file:
        if file.frames * file.channels > most_samples:
            hours, samples = file.frames / file.samplerate / 3600, file.frames * file.channels
            raise DocumentError(
                [
                    f"has {hours:.1f} h of {file.channels} channels, {samples / 1e9:.1f} billion samples (limit "
                    f"{most_samples / 1e9:.1f} billion). Use the command lattice sources for larger files."
                ]
            )
        return _measured(file, name, lambda _share: None)


@contextmanager
def _opened(path: Path) -> Iterator[soundfile.SoundFile]:
    try:
        with soundfile.SoundFile(path) as file:
            yield file
    except soundfile.LibsndfileError as wrong:
        raise DocumentError([f"cannot be read as WAV or FLAC: {_sentence(wrong)}"]) from None
    except OSError as wrong:
        raise DocumentError([wrong.strerror or str(wrong)]) from None


def measure(path: Path, progress: Progress = no_progress) -> Measured:
    """A recording, measured.

    Parameters
    ----------
    path
        A WAV, RF64 or FLAC file.
    progress
        Called from time to time with the share that is read, 0 to 1; an exception it raises ends the measuring.

    Returns
    -------
    Measured
        Sample peak, true peak (ITU-R BS.1770-4, annex 2) and RMS of the loudest channel each. RMS is the root of the
        mean square over blocks of 400 ms that are louder than −60 dBFS, a sine's RMS being 3.01 dB below its peak.

    Raises
    ------
    DocumentError
        If it is not a recording, has no samples, or has too many channels.
    """
    with _opened(path) as file:
        return _measured(file, path.stem, progress)


def _sentence(wrong: soundfile.LibsndfileError) -> str:
    return str(wrong.error_string).rstrip(".").lower() or "it is damaged"


def _measured(file: soundfile.SoundFile, name: str, progress: Progress) -> Measured:
    if file.format not in READ:
        raise DocumentError([f"is {file.format_info}; use WAV, RF64 or FLAC"])
    if not file.frames:
        raise DocumentError(["has no samples"])
    if file.channels > MOST_CHANNELS:
        raise DocumentError([f"has {file.channels} channels; at most {MOST_CHANNELS} are allowed"])
    if not LEAST_RATE_HZ <= file.samplerate <= MOST_RATE_HZ:
        raise DocumentError(
            [f"has a sample rate of {file.samplerate} Hz; {LEAST_RATE_HZ} to {MOST_RATE_HZ} Hz are allowed"]
        )
    channels = [_Channel(round(BLOCK_S * file.samplerate)) for _ in range(file.channels)]
    read = 0
    for stretch in _stretches(file):
        read += len(stretch)
        for channel, samples in zip(channels, stretch.T, strict=True):
            channel.feed(np.ascontiguousarray(samples))
        progress(read / file.frames)
    for channel in channels:
        channel.finish()
    return Measured(
        name, layout_of(file.channels), file.samplerate, read,
        decibels(max(channel.sample_peak for channel in channels)),
        decibels(max(channel.true_peak.linear for channel in channels)),
        max(channel.rms_dbfs for channel in channels),
    )  # fmt: skip


def _stretches(file: soundfile.SoundFile) -> Iterator[Samples]:
    """(frames, channels) in order, in room that is used again."""
    room = np.empty((max(STRETCH_FRAMES // file.channels, 4096), file.channels), dtype=np.float32)
    while True:
        stretch = file.read(out=room)
        if not len(stretch):
            return
        if not np.isfinite(stretch).all():
            raise DocumentError(["has samples without a finite value"])
        yield stretch


class _Channel:
    """One channel, fed in order: its peaks, and the power of its sounding blocks."""

    def __init__(self, block: int) -> None:
        self.true_peak = TruePeak()
        self.sample_peak = 0.0
        self._block = block
        self._left: Samples = np.empty(0, dtype=np.float32)
        self._power, self._count = 0.0, 0

    def feed(self, samples: Samples) -> None:
        self.sample_peak = max(self.sample_peak, float(np.abs(samples).max()))
        self.true_peak.feed(samples)
        line = np.concatenate((self._left, samples))
        whole = len(line) // self._block * self._block
        if whole:
            self._add(line[:whole].reshape(-1, self._block))
        self._left = line[whole:].copy()

    def finish(self) -> None:
        """Includes the remainder of the last block."""
        self.true_peak.finish()
        if len(self._left):
            self._add(self._left.reshape(1, -1))

    def _add(self, blocks: Samples) -> None:
        power = np.einsum("ij,ij->i", blocks, blocks, dtype=np.float64)
        least = 10 ** (SOUNDING_DBFS / 10) * blocks.shape[1]
        sounding = power[power > least]
        self._power += float(sounding.sum())
        self._count += len(sounding) * blocks.shape[1]

    @property
    def rms_dbfs(self) -> float:
        return 10 * math.log10(self._power / self._count) if self._count else -math.inf


def recordings_in(paths: Iterable[Path]) -> list[Path]:
    """Files, and the recordings in folders, by name. Raises DocumentError where there is none."""
    found: list[Path] = []
    for path in paths:
        if path.is_dir():
            found += sorted(one for one in path.iterdir() if one.suffix.lower() in ENDINGS)
        else:
            found.append(path)
    if not found:
        raise DocumentError(["it has no recordings (WAV, RF64, FLAC)"])
    return found


def measure_all(
    paths: Iterable[Path], progress: CountProgress = no_progress
) -> Iterator[tuple[Path, Measured | DocumentError]]:
    """Measure recordings, two at a time, in order; failures carry their reason.

    Parameters
    ----------
    paths
        Files.
    progress
        Called with the number done and the total; an exception it raises ends the measuring.
    """
    known = list(paths)
    with ThreadPoolExecutor(WORKERS, "measure") as pool:
        try:
            for done, (path, result) in enumerate(zip(known, pool.map(_one, known), strict=True), start=1):
                yield path, result
                progress(done, len(known))
        except BaseException:
            pool.shutdown(wait=False, cancel_futures=True)
            raise


def _one(path: Path) -> Measured | DocumentError:
    try:
        return measure(path)
    except DocumentError as wrong:
        return wrong
