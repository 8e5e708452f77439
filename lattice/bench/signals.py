"""Signals that a test plays: a sine, the burst of the pilots, pink noise, a recording; and steps of fading."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Protocol

import numpy as np
import soundfile
from scipy import signal

from lattice.bench.render.lines import Block, Sound
from lattice.errors import DocumentError
from lattice.model.units import gain

TONE_HZ = 997.0  # a prime, so that its samples do not repeat: AES17, clause 5 (from memory)
BURST_ORDER = 13
PINK_SEED = 1977
PINK_POLES = ((0.99886, 0.0555179), (0.99332, 0.0750759), (0.969, 0.153852), (0.8665, 0.3104856), (0.55, 0.5329522))


class Signal(Protocol):
    """What a source plays, asked for block by block, in order."""

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) from a sample on; None for silence. What has ended stays silent."""

    def ends_by(self) -> int | None:
        """The sample from which it is silent; None where it goes on."""

    def next_sound(self, start: int) -> int | None:
        """The first sample at or behind `start` that may sound; None where none does."""


class Fixed:
    """Samples that are at hand, from a place on: (channels, samples)."""

    def __init__(self, samples: Block, start: int = 0) -> None:
        self.samples, self.start = samples, start

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) of it."""
        first, last = max(start, self.start), min(start + count, self.ends_by())
        if first >= last:
            return None
        out = np.zeros((len(self.samples), count))
        out[:, first - start : last - start] = self.samples[:, first - self.start : last - self.start]
        return out

    def ends_by(self) -> int:
        """The sample behind its last."""
        return self.start + self.samples.shape[1]

    def next_sound(self, start: int) -> int | None:
        """Its first sample, or the one asked for where it sounds then."""
        return max(start, self.start) if start < self.ends_by() else None


class Sine:
    """A sine on so many channels, from its first sample on."""

    def __init__(self, level_dbfs: float, rate_hz: int, channels: int, samples: int, hz: float = TONE_HZ) -> None:
        self.linear, self.rate_hz, self.channels, self.samples, self.hz = (
            gain(level_dbfs), rate_hz, channels, samples, hz,
        )  # fmt: skip

    def block(self, start: int, count: int) -> Sound:
        """(channels, count): sin at half a sample on, so that the first one is not 0 and an onset is where it begins."""
        left = min(self.samples - start, count)
        if left <= 0:
            return None
        line = np.zeros(count)
        line[:left] = self.linear * np.sin(2 * np.pi * self.hz / self.rate_hz * (np.arange(start, start + left) + 0.5))
        return np.broadcast_to(line, (self.channels, count))

    def ends_by(self) -> int:
        """The sample behind its last."""
        return self.samples

    def next_sound(self, start: int) -> int | None:
        """It sounds from the first sample to the last."""
        return start if start < self.samples else None


@lru_cache(maxsize=8)
def burst(order: int = BURST_ORDER) -> Block:
    """A maximum-length sequence as ±1: (2^order − 1,).

    Its circular autocorrelation is 1 at 0 and −1/N elsewhere, so that a delay is found to the sample (D. D. Rife and
    J. Vanderkooy, *Transfer-function measurement with maximum-length sequences*, J. AES 37, 1989).
    """
    return np.asarray(signal.max_len_seq(order)[0], dtype=np.float64) * 2.0 - 1.0


def tone(level_dbfs: float, rate_hz: float, samples: int, fade: int, hz: float = TONE_HZ) -> Block:
    """A sine that fades in and out along a raised cosine: (samples,)."""
    line = gain(level_dbfs) * np.sin(2 * np.pi * hz / rate_hz * np.arange(samples))
    fade = min(fade, samples // 2)
    if fade:
        slope = 0.5 - 0.5 * np.cos(np.pi * (np.arange(fade) + 0.5) / fade)
        line[:fade] *= slope
        line[samples - fade :] *= slope[::-1]
    return line


@lru_cache(maxsize=4)
def pink(samples: int, seed: int = PINK_SEED) -> Block:
    """Pink noise with a peak of 1, the same every time: (samples,).

    White noise through five first-order filters, −3 dB an octave within 0.5 dB from 20 Hz up at 48 kHz (P. Kellet's
    filter, as commonly published; coefficients from memory).
    """
    white = np.random.default_rng(seed).standard_normal(samples)
    line = 0.1848 * white
    for pole, level in PINK_POLES:
        line += signal.lfilter([level], [1.0, -pole], white)
    return np.asarray(line / np.abs(line).max())


def of_file(path: Path, rate_hz: int, most_samples: int) -> Block:
    """A recording to be played: (channels, samples), no longer than asked for.

    Raises
    ------
    DocumentError
        Where it is no recording, or has another rate than the template.
    """
    try:
        with soundfile.SoundFile(path) as file:
            if file.samplerate != rate_hz:
                raise DocumentError([f"{path.name} has {file.samplerate} Hz; the template has {rate_hz}"])
            line = file.read(most_samples, dtype="float64", always_2d=True).T
    except soundfile.LibsndfileError:
        raise DocumentError([f"{path.name} cannot be read as WAV or FLAC"]) from None
    if not line.size:
        raise DocumentError([f"{path.name} holds no samples"])
    return np.ascontiguousarray(line)


Make = Callable[[int], Signal]  # by number of channels
