"""Effects of each insert on sound: gain and layout, ceilings, dynamics, and models of reverbs and the like."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from lattice.bench.render.dynamics import Follower, curve_of
from lattice.bench.render.lines import SILENT, AllPass, Block, Convolution, Delay, Echo, Sound, partitioned
from lattice.gain_staging.gains import inside_matrix
from lattice.latency.arrivals import actual_samples
from lattice.model.document import Insert
from lattice.model.insert_types import LIMITING
from lattice.model.layouts import channel_count, mapping, product
from lattice.model.units import gain

REVERB_S = 1.2  # in which a reverb's noise falls by 60 dB
REVERB_SEED = 1201
# One that decorrelates channels, and one that reduces the part in phase with the dry sound to 0.09 (0.4 dB).
ALL_PASS_GAINS = (0.6, 0.15)
ALL_PASS_SAMPLES = (911, 1499)  # primes, so that their repeats never fall together

Line = Delay | Echo | Convolution | AllPass


class Effect(Protocol):
    """The effect of an insert beyond gain, layout and latency."""

    @property
    def is_busy(self) -> bool:
        """Return whether its output still changes without new input."""

    def feed(self, block: Sound, count: int, heard: Sound) -> Sound:
        """The output for a block of input and a block of the key signal."""


class Ceiling:
    """A limiter, clipper or saturator: sample by sample never above its ceiling."""

    is_busy = False

    def __init__(self, insert: Insert) -> None:
        self.level, self.top, self.wet = gain(insert.gain_db), gain(insert.ceiling_db), insert.wet

    def feed(self, block: Sound, _count: int, _heard: Sound) -> Sound:
        """(1 − w)·x + w·min(max(g·x, −C), C)."""
        if block is None:
            return None
        held = np.clip(block * self.level, -self.top, self.top)
        return held if self.wet == 1 else (1 - self.wet) * block + self.wet * held


class Dynamics:
    """A compressor, gate or expander, or an insert with an external key."""

    def __init__(self, insert: Insert, follower: Follower) -> None:
        self.follower, self.level, self.wet = follower, gain(insert.gain_db), insert.wet
        self.is_keyed = insert.key == "external"

    @property
    def is_busy(self) -> bool:
        """Return whether its gain still follows something."""
        return self.follower.is_busy

    def feed(self, block: Sound, count: int, heard: Sound) -> Sound:
        """(1 − w)·x + w·g·r·x, with the gain r that it has at each sample."""
        gains = self.follower.gains(heard if self.is_keyed else block, count)
        if block is None:
            return None
        if self.wet == 1:
            return block * (gains if self.level == 1.0 else self.level * gains)
        return block * ((1 - self.wet) + self.wet * self.level * gains)


class Wet:
    """A reverb, delay or modulation: its dry part, and the output of its lines."""

    def __init__(self, insert: Insert, *lines: Line) -> None:
        self.lines, self.dry, self.wet = lines, 1 - insert.wet, insert.wet * gain(insert.gain_db)

    @property
    def is_busy(self) -> bool:
        """Return whether a tail sounds on."""
        return any(line.is_busy for line in self.lines)

    def feed(self, block: Sound, count: int, _heard: Sound) -> Sound:
        """(1 − w)·x + w·g·(h * x)."""
        wet = block
        for line in self.lines:
            wet = line.feed(wet, count)
        if wet is not None and block is None and np.abs(wet).max() < SILENT:
            wet = None
        if wet is None:
            return None if block is None or not self.dry else block * self.dry
        wet = wet * self.wet
        return wet if block is None or not self.dry else wet + block * self.dry


def effect_of(insert: Insert, channels: int, rate_hz: int, size: int, key_channels: int) -> Effect | None:
    """The effect of an insert beyond gain, layout and latency; None without one.

    Parameters
    ----------
    insert
        The insert.
    channels
        Channels of its input.
    rate_hz, size
        Sample rate, and samples of a block.
    key_channels
        Channels of its key signal.
    """
    if insert.state != "on":
        return None
    if insert.type in LIMITING and insert.key != "external":
        return Ceiling(insert) if insert.ceiling_db is not None else None
    curve = curve_of(insert)
    if curve is not None:
        width = key_channels if insert.key == "external" else channels
        return Dynamics(insert, Follower(insert, curve, rate_hz, width))
    lines = _lines(insert, channels, rate_hz, size)
    return Wet(insert, *lines) if lines else None


def _lines(insert: Insert, channels: int, rate_hz: int, size: int) -> tuple[Line, ...]:
    """The parts of an effect's wet sound, one behind the other: repeats, a tail, or all-passes."""
    traits = insert.traits
    if traits.repeats:
        return (Echo(round((insert.delay_ms or 0.0) * rate_hz / 1000), insert.feedback),)
    if traits.has_tail:
        early = Delay(round((insert.pre_delay_ms or 0.0) * rate_hz / 1000))
        return early, Convolution(_reverb_spectra(channels, rate_hz, size), size)
    if traits.decorrelates:
        # Turned from channel to channel, so that they come apart.
        turned = np.array([(-1.0) ** channel for channel in range(channels)])
        return tuple(
            AllPass(samples, by * turned) for samples, by in zip(ALL_PASS_SAMPLES, ALL_PASS_GAINS, strict=True)
        )
    return ()


@lru_cache(maxsize=32)
def reverb_impulse(channels: int, rate_hz: int) -> Block:
    """Noise that falls by 60 dB in 1.2 s, of unit power, another one in each channel: (channels, samples)."""
    samples = round(REVERB_S * rate_hz)
    fall = 10.0 ** (-3.0 * np.arange(samples) / samples)
    noises = [np.random.default_rng([REVERB_SEED, channel]) for channel in range(channels)]
    lines = [noise.standard_normal(samples) * fall for noise in noises]
    return np.stack([line / math.sqrt(float(line @ line)) for line in lines])


@lru_cache(maxsize=8)  # all reverbs of a template share it
def _reverb_spectra(channels: int, rate_hz: int, size: int) -> NDArray[np.complex128]:
    return partitioned(reverb_impulse(channels, rate_hz), size)


class InsertRenderer:
    """One insert at work: held for its key, into its layout, its effect, its latency.

    Parameters
    ----------
    insert
        The insert.
    before
        Layout of the stage before it.
    wait
        Samples that a host holds the sound for the key.
    rate_hz, size
        Sample rate, and samples of a block.
    """

    def __init__(self, insert: Insert, before: str, wait: int, rate_hz: int, size: int) -> None:
        self.insert = insert
        layout_in = insert.layout_in or before
        self.layout = insert.layout_out or layout_in
        self.channels = channel_count(self.layout)
        self.key_channels = channel_count(layout_in)
        self._wait = Delay(wait)
        self.effect = effect_of(insert, self.channels, rate_hz, size, self.key_channels)
        level = 1.0
        if insert.state == "on" and self.effect is None:
            level = 1 - insert.wet + insert.wet * gain(insert.gain_db)
        self._matrix = _matrix(insert, before, layout_in, self.layout)
        self._level = level
        self._late = Delay(actual_samples(insert))

    @property
    def is_busy(self) -> bool:
        """Return whether something is still in it."""
        return self._wait.is_busy or self._late.is_busy or (self.effect is not None and self.effect.is_busy)

    @property
    def is_plain(self) -> bool:
        """Return whether it does nothing at all."""
        return self.effect is None and self._matrix is None and self._level == 1.0 and not self._late.samples

    def feed(self, block: Sound, count: int, heard: Sound) -> Sound:
        """The output for a block of input."""
        block = self._wait.feed(block, count)
        if block is not None:
            if self._matrix is not None:
                block = self._matrix * block if len(block) == 1 else self._matrix @ block
            if self._level != 1.0:
                block = block * self._level
        if self.effect is not None:
            block = self.effect.feed(block, count, heard)
        return self._late.feed(block, count)


def _matrix(insert: Insert, before: str, layout_in: str, layout_out: str) -> Block | None:
    inside = inside_matrix(insert, layout_in, layout_out)
    if before == layout_in and inside is None:
        return None
    found = mapping(before, layout_in)
    return np.array(found if inside is None else product(inside, found))
