"""One pass over a print: correlations, levels and onsets in cells of 256 samples.

Only these few numbers of a cell are stored, so memory does not depend on the length of samples. Slots are read from
them once their positions are known.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from lattice.bench.signals import burst

CELL = 256  # samples
TRANSFORM = 1 << 17
NEAR = 10 ** (-0.5 / 20)  # within half a decibel of the highest: of equal paths the first counts
ONSET_DBFS = -80.0
Floats = NDArray[np.float32]


@lru_cache(maxsize=4)
def _spectrum(order: int) -> NDArray[np.complex64]:
    """Conjugate spectrum of the burst, so that a product is a correlation; scaled so that its own peak is 1."""
    line = burst(order).astype(np.float32)
    return np.asarray(np.conj(fft.rfft(line, TRANSFORM)) / len(line), dtype=np.complex64)


@lru_cache(maxsize=4)
def _basis(turns: float) -> Floats:
    """Two orthonormal lines that every sine of a frequency is made of in a cell: (cell, 2)."""
    angle = 2 * np.pi * turns * np.arange(CELL)
    return np.asarray(np.linalg.qr(np.stack((np.cos(angle), np.sin(angle)), axis=1))[0], dtype=np.float32)


class Cells:
    """One channel of a print.

    Parameters
    ----------
    order
        Of the burst.
    turns
        Of the tone, each sample: its frequency over the rate.

    Attributes
    ----------
    burst, burst_at : (cells,) arrays
        The highest correlation with the burst in a cell, with its sign (1 is a burst of ±1), and its sample: the first
        within half a decibel.
    energy, peak : (cells,) arrays
        Sum of squares, and highest sample.
    broad : (cells,) array
        Sum of squares without the frequency of the tone, where two reverbs always differ.
    onset : (cells,) array
        The first sample above −80 dBFS; −1 where there is none.

    Notes
    -----
    Correlation by overlap-save with transforms of 2^17 samples, single precision. O(samples · log).
    """

    def __init__(self, order: int, turns: float) -> None:
        self.order, self._tone = order, _basis(turns)
        self._step = (TRANSFORM - (1 << order)) // CELL * CELL
        self._room: Floats = np.zeros(TRANSFORM, dtype=np.float32)
        self._filled, self._start = 0, 0
        self._parts: list[tuple[NDArray[np.generic], ...]] = []

    def feed(self, samples: NDArray[np.floating]) -> None:
        """The next samples."""
        at = 0
        while at < len(samples):
            take = min(TRANSFORM - self._filled, len(samples) - at)
            self._room[self._filled : self._filled + take] = samples[at : at + take]
            self._filled += take
            at += take
            if self._filled == TRANSFORM:
                self._work()

    def skip(self, count: int) -> None:
        """So many samples of silence."""
        zeros = np.zeros(min(count, TRANSFORM), dtype=np.float32)
        while count > 0:
            self.feed(zeros[:count])
            count -= len(zeros)

    def _work(self) -> None:
        if not self._room.any():
            count = self._step // CELL
            nothing = np.zeros(count)
            places = self._start + np.arange(count) * CELL
            self._keep(nothing, places, nothing, nothing, np.full(count, -1), nothing)
            return
        spectrum = fft.rfft(self._room) * _spectrum(self.order)
        found = np.asarray(fft.irfft(spectrum, TRANSFORM)[: self._step]).reshape(-1, CELL)
        loud = np.abs(found)
        first = np.argmax(loud >= NEAR * loud.max(axis=1, keepdims=True), axis=1)
        lines = np.arange(len(found))
        samples = self._room[: self._step].reshape(-1, CELL)
        level = np.abs(samples)
        sounding = level > 10 ** (ONSET_DBFS / 20)
        onset = np.where(sounding.any(axis=1), self._start + lines * CELL + np.argmax(sounding, axis=1), -1)
        energy = np.vecdot(samples, samples).astype(np.float64)
        at_tone = samples @ self._tone
        broad = np.maximum(energy - np.vecdot(at_tone, at_tone), 0.0)
        self._keep(found[lines, first], self._start + lines * CELL + first, energy, level.max(axis=1), onset, broad)

    def _keep(self, *columns: NDArray[Any]) -> None:
        self._parts.append(columns)
        self._room[: TRANSFORM - self._step] = self._room[self._step :]
        self._filled -= self._step
        self._start += self._step

    def finish(self) -> None:
        """With silence behind the last sample; from here on it can be asked."""
        self.length = self._start + self._filled
        while self._start < self.length:
            self._room[self._filled :] = 0.0
            self._filled = TRANSFORM
            self._work()
        columns = zip(*self._parts, strict=True) if self._parts else ([],) * 6
        self.burst, self.burst_at, self.energy, self.peak, self.onset, self.broad = map(np.concatenate, columns)
        self._parts.clear()


class PrintCells:
    """All channels of a print."""

    def __init__(self, channels: int, order: int, turns: float) -> None:
        self.channels = [Cells(order, turns) for _ in range(channels)]
        self.frames = 0

    def feed(self, block: NDArray[np.floating]) -> None:
        """(channels, samples)."""
        for cells, samples in zip(self.channels, block, strict=True):
            cells.feed(samples)
        self.frames += block.shape[1]

    def skip_to(self, frame: int) -> None:
        """Silence up to a frame."""
        if frame > self.frames:
            for cells in self.channels:
                cells.skip(frame - self.frames)
            self.frames = frame

    def finish(self) -> None:
        """Nothing more comes."""
        for cells in self.channels:
            cells.finish()
