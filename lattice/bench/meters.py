"""Meters: the highest sample, the level over time, and when the first sound came, channel by channel."""

from __future__ import annotations

import math

import numpy as np

from lattice.bench.render.lines import SILENT, Block
from lattice.model.units import decibels


class Meter:
    """The level at one stage during a run, from the blocks that have signal there.

    Parameters
    ----------
    channels
        Channels at that place.
    settled
        Samples of the steady level at the end of each turn, after the attack of dynamics.
    turn
        Length of a turn in samples: a run has one, or one for each member of a choice.
    """

    def __init__(self, channels: int, settled: int, turn: int) -> None:
        self._settled_samples, self._turn = settled, turn
        self.peak = np.zeros(channels)
        self._power = np.zeros(channels)
        self._settled: dict[int, Block] = {}  # turn → power at its end
        self.first_sample: int | None = None  # of the run, in which something sounded

    def feed(self, block: Block, start: int) -> None:
        """A block that begins at a sample of the run."""
        # Without room for absolute values and squares: at every stage of every strip this is a third of a run.
        np.maximum(self.peak, block.max(axis=1), out=self.peak)
        np.maximum(self.peak, -block.min(axis=1), out=self.peak)
        self._power += np.vecdot(block, block)
        stop = start + block.shape[1]
        for turn in range(start // self._turn, (stop - 1) // self._turn + 1):
            end = (turn + 1) * self._turn
            late = block[:, max(end - self._settled_samples - start, 0) : max(end - start, 0)]
            if late.size:
                self._settled[turn] = self._settled.get(turn, 0.0) + np.vecdot(late, late)
        if self.first_sample is None:
            sounding = (np.abs(block) > SILENT).any(axis=0)
            if sounding.any():
                self.first_sample = start + int(np.argmax(sounding))

    def peak_dbfs(self) -> list[float | None]:
        """The highest sample of each channel; None for silence."""
        return [_shown(decibels(float(peak))) for peak in self.peak]

    def rms_dbfs(self, samples: int) -> list[float | None]:
        """Level of each channel from the first sound on to the end of a run of so many samples."""
        return self._levels(self._power, samples - (self.first_sample or 0))

    def settled_dbfs(self) -> list[float | None]:
        """Level of each channel over the last part of a turn, of the turn in which it is highest."""
        power = np.maximum.reduce([np.zeros_like(self._power), *self._settled.values()])
        return self._levels(power, self._settled_samples)

    @staticmethod
    def _levels(power: Block, count: int) -> list[float | None]:
        return [_shown(10 * math.log10(one / count)) if one > 0 and count > 0 else None for one in power.tolist()]


def _shown(level_db: float) -> float | None:
    return level_db if level_db > -200 else None
