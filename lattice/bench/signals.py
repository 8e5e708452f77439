"""Signals that a test plays: a sine, the burst of the pilots, pink noise, a recording; and steps of fading."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Protocol

import numpy as np
import soundfile
from scipy import fft

from lattice.bench.render.lines import Block, Sound
from lattice.errors import DocumentError
from lattice.model.units import gain

TONE_HZ = 997.0  # a prime, so that its samples do not repeat: AES17, clause 5 (from memory)
CHANNEL_HZ = (TONE_HZ, 1103.0, 1201.0, 1301.0, 1409.0, 1511.0, 1601.0, 1709.0)  # primes, a hundred Hz apart
BURST_ORDER = 13
PINK_SEED = 1977


class Signal(Protocol):
    """The signal of a source, read block by block, in order."""

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) from a sample on; None for silence. After its end it is silent."""

    def next_sound(self, start: int) -> int | None:
        """The first sample at or behind `start` that may sound; None where none does."""


class Fixed:
    """Samples that are at hand, from a place on: (channels, samples)."""

    def __init__(self, samples: Block, start: int = 0) -> None:
        self.samples, self.start = samples, start

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) of it."""
        first, last = max(start, self.start), min(start + count, self._end())
        if first >= last:
            return None
        out = np.zeros((len(self.samples), count))
        out[:, first - start : last - start] = self.samples[:, first - self.start : last - self.start]
        return out

    def _end(self) -> int:
        return self.start + int(self.samples.shape[1])

    def next_sound(self, start: int) -> int | None:
        """Its first sample, or the requested one if it sounds then."""
        return max(start, self.start) if start < self._end() else None


class Sine:
    """A sine on so many channels, from its first sample on.

    The first channel has 997 Hz, every other one another frequency: channels are signals of their own, and add up in
    power where they are folded.
    """

    def __init__(self, level_dbfs: float, rate_hz: int, channels: int, samples: int) -> None:
        self.linear, self.samples = gain(level_dbfs), samples
        self.turns = [CHANNEL_HZ[channel % len(CHANNEL_HZ)] / rate_hz for channel in range(channels)]

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) of it; the first sample is not 0, so that an onset is where it begins."""
        left = min(self.samples - start, count)
        if left <= 0:
            return None
        lines = np.empty((len(self.turns), count))
        for line, turns in zip(lines, self.turns, strict=True):
            np.multiply(_unit_sine(start, count, turns), self.linear, out=line)
        lines[:, left:] = 0.0
        return lines

    def next_sound(self, start: int) -> int | None:
        """It sounds from the first sample to the last."""
        return start if start < self.samples else None


class Noise:
    """Pink noise on so many channels, each of its own, read block by block in order.

    White noise through a filter of 3 poles that falls by 3 dB an octave within ±0.3 dB from 20 Hz to 20 kHz at 44.1 kHz
    (J. O. Smith, *Spectral Audio Signal Processing*, “Example: synthesis of 1/f noise”, from memory).
    """

    B = (0.049922035, -0.095993537, 0.050612699, -0.004408786)
    A = (1.0, -2.494956002, 2.017265875, -0.522189400)

    def __init__(self, rms_dbfs: float, channels: int, samples: int, seed: tuple[int, ...]) -> None:
        self.linear, self.samples = gain(rms_dbfs) / _pink_rms(), samples
        self._random = [np.random.default_rng((PINK_SEED, *seed, channel)) for channel in range(channels)]
        self._state = np.zeros((channels, len(self.A) - 1))

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) of it."""
        left = min(self.samples - start, count)
        if left <= 0:
            return None
        from scipy import signal  # noqa: PLC0415 - takes a second to load

        white = np.stack([random.standard_normal(count) for random in self._random])
        lines, self._state = signal.lfilter(self.B, self.A, white, zi=self._state)
        lines *= self.linear
        lines[:, left:] = 0.0
        return np.asarray(lines)

    def next_sound(self, start: int) -> int | None:
        """It sounds from the first sample to the last."""
        return start if start < self.samples else None


@lru_cache(maxsize=1)
def _pink_rms() -> float:
    """RMS behind the filter of white noise of RMS 1: the root of the energy of its impulse response."""
    from scipy import signal  # noqa: PLC0415 - takes a second to load

    impulse = np.zeros(1 << 17)
    impulse[0] = 1.0
    return float(np.sqrt(np.sum(signal.lfilter(Noise.B, Noise.A, impulse) ** 2)))


class InTurns:
    """A signal that plays in some turns of a run, from its beginning in each."""

    def __init__(self, signal: Signal, length: int, turns: frozenset[int]) -> None:
        self.signal, self.length, self.turns = signal, length, turns

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) of it."""
        parts: list[tuple[int, Block]] = []
        at = start
        while at < start + count:
            turn, inside = divmod(at, self.length)
            some = min(self.length - inside, start + count - at)
            sound = self.signal.block(inside, some) if turn in self.turns else None
            if sound is not None:
                parts.append((at - start, sound))
            at += some
        if not parts:
            return None
        out = np.zeros((len(parts[0][1]), count))
        for place, sound in parts:
            out[:, place : place + sound.shape[1]] = sound
        return out

    def next_sound(self, start: int) -> int | None:
        """The first sample of it in this turn or a later one."""
        turn, inside = divmod(start, self.length)
        if turn in self.turns and (found := self.signal.next_sound(inside)) is not None and found < self.length:
            return turn * self.length + found
        later = [one for one in self.turns if one > turn]
        first = self.signal.next_sound(0) if later else None
        return None if first is None else min(later) * self.length + first


@lru_cache(maxsize=16)  # hundreds of sources play the same at the same time
def _unit_sine(start: int, count: int, turns: float) -> Block:
    """A sine of so many turns a sample, half a sample on."""
    return np.asarray(np.sin(2 * np.pi * turns * (np.arange(start, start + count) + 0.5)))


@lru_cache(maxsize=8)
def burst(order: int = BURST_ORDER) -> Block:
    """A maximum-length sequence as ±1: (2^order − 1,).

    Its circular autocorrelation is 1 at 0 and −1/N elsewhere, so that a delay is found to the sample (D. D. Rife and
    J. Vanderkooy, *Transfer-function measurement with maximum-length sequences*, J. AES 37, 1989).
    """
    from scipy import signal  # noqa: PLC0415 - takes a second to load

    return np.asarray(signal.max_len_seq(order)[0], dtype=np.float64) * 2.0 - 1.0


def tone(level_dbfs: float, rate_hz: float, samples: int, fade: int, hz: float = TONE_HZ) -> Block:
    """A sine that fades in and out along a raised cosine: (samples,)."""
    line = np.asarray(gain(level_dbfs) * np.sin(2 * np.pi * hz / rate_hz * np.arange(samples)))
    fade = min(fade, samples // 2)
    if fade:
        slope = 0.5 - 0.5 * np.cos(np.pi * (np.arange(fade) + 0.5) / fade)
        line[:fade] *= slope
        line[samples - fade :] *= slope[::-1]
    return line


@lru_cache(maxsize=4)
def pink(samples: int, seed: int = PINK_SEED) -> Block:
    """Pink noise with a peak of 1, the same every time: (samples,).

    The spectrum of white noise, each line at 1/√f: 3.01 dB less for each octave (common practice).
    """
    lines = fft.rfft(np.random.default_rng(seed).standard_normal(samples))
    lines[1:] /= np.sqrt(np.arange(1, len(lines)))
    lines[0] = 0.0
    found = fft.irfft(lines, samples)
    return np.asarray(found / np.abs(found).max())


def of_file(path: Path, rate_hz: int, most_samples: int) -> Block:
    """A recording to play: (channels, samples), at most as long as requested.

    Raises
    ------
    DocumentError
        If it is not a recording, or its rate differs from the template's.
    """
    try:
        with soundfile.SoundFile(path) as file:
            if file.samplerate != rate_hz:
                raise DocumentError([f"{path.name} has {file.samplerate} Hz; the template has {rate_hz}"])
            line = file.read(most_samples, dtype="float64", always_2d=True).T
    except soundfile.LibsndfileError:
        raise DocumentError([f"{path.name} cannot be read as WAV or FLAC"]) from None
    if not line.size:
        raise DocumentError([f"{path.name} has no samples"])
    return np.ascontiguousarray(line)
