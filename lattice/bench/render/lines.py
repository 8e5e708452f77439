"""Delay lines and convolutions that are fed block by block, and that know when they have fallen silent.

A block is (channels, samples), float64; None is a silent one, so that nothing is computed where nothing sounds.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import fft

Block = NDArray[np.float64]
Sound = Block | None
SILENT = 1e-10  # −200 dBFS: a tail is cut at this level


class Delay:
    """A delay of so many samples."""

    def __init__(self, samples: int) -> None:
        self.samples = samples
        self._kept: Sound = None  # (channels, samples): sound in the line
        self._left = 0  # samples until all of it is out

    @property
    def is_busy(self) -> bool:
        """Return whether sound is in the line."""
        return self._kept is not None

    def feed(self, block: Sound, count: int) -> Sound:
        """The output for a block of input.

        Parameters
        ----------
        block
            (channels, count), or None.
        count
            Samples of the block.
        """
        if not self.samples:
            return block
        if self._kept is None:
            if block is None:
                return None
            self._kept = np.zeros((len(block), self.samples))
        self._left = self.samples if block is not None else self._left - count
        new = np.zeros((len(self._kept), count)) if block is None else block
        whole = np.concatenate((self._kept, new), axis=1)
        # A copy: a view would keep all of `whole`, and a template has thousands of these.
        self._kept = whole[:, count:].copy() if self._left > 0 else None
        return whole[:, :count]


class Echo:
    """A delay with feedback: its repeats without the sound itself, w[n] = z[n − D] with z = x + f·w."""

    def __init__(self, samples: int, feedback: float) -> None:
        self.samples, self.feedback = samples, feedback
        self._line: Sound = None

    @property
    def is_busy(self) -> bool:
        """Return whether repeats are to come."""
        return self._line is not None

    def feed(self, block: Sound, count: int) -> Sound:
        """The repeats while a block goes in, as for a delay."""
        if not self.samples:
            return block
        if self._line is None:
            if block is None:
                return None
            self._line = np.zeros((len(block), self.samples))
        new = np.zeros((len(self._line), count)) if block is None else block
        out, at = np.empty_like(new), 0
        while at < count:
            step = min(self.samples, count - at)
            wet = self._line[:, :step]
            out[:, at : at + step] = wet
            z = new[:, at : at + step] + self.feedback * wet
            self._line = np.concatenate((self._line[:, step:], z), axis=1)
            at += step
        self._let_go(block)
        return out

    def _let_go(self, block: Sound) -> None:
        if block is None and self._line is not None and np.abs(self._line).max() < SILENT:
            self._line = None


class Convolution:
    """A long impulse response, partitioned into blocks of the same length (overlap-save).

    Parameters
    ----------
    spectra
        Of the response, from `partitioned`.
    size
        Samples of every block it is fed with; shorter last ones are filled up.

    Notes
    -----
    Uniformly partitioned convolution: T. G. Stockham, *High-speed convolution and correlation*, AFIPS 1966, with the
    spectra of past blocks kept. O(channels · samples) for each block, and no latency beyond the response's own.
    """

    def __init__(self, spectra: NDArray[np.complex128], size: int) -> None:
        self.size = size
        self._spectra, self._parts = spectra, spectra.shape[1]
        self._past: NDArray[np.complex128] | None = None  # (channels, parts, size + 1), the newest at `_at`
        self._at, self._left = 0, 0
        self._last: Block = np.zeros((len(spectra), size))

    @property
    def is_busy(self) -> bool:
        """Return whether a tail sounds on."""
        return self._left > 0

    def feed(self, block: Sound, count: int) -> Sound:
        """The output for a block of input, as for a delay."""
        if block is None and not self._left:
            return None
        if self._past is None or not self._left:
            self._past = np.zeros_like(self._spectra)
            self._last[:] = 0.0
        self._left = self._parts + 1 if block is not None else self._left - 1
        new = np.zeros_like(self._last)
        if block is not None:
            new[:, :count] = block
        self._at = (self._at - 1) % self._parts
        self._past[:, self._at] = fft.rfft(np.concatenate((self._last, new), axis=1), axis=1)
        self._last = new
        first = self._parts - self._at  # spectra from the newest on, in the order of the partitions
        total = (self._past[:, self._at :] * self._spectra[:, :first]).sum(axis=1)
        if self._at:
            total += (self._past[:, : self._at] * self._spectra[:, first:]).sum(axis=1)
        return np.asarray(fft.irfft(total, axis=1)[:, self.size : self.size + count])


def partitioned(impulse: Block, size: int) -> NDArray[np.complex128]:
    """Spectra of the partitions of a response: (channels, parts, size + 1)."""
    parts = -(-impulse.shape[1] // size)
    padded = np.zeros((len(impulse), parts * size))
    padded[:, : impulse.shape[1]] = impulse
    return np.asarray(fft.rfft(padded.reshape(len(impulse), parts, size), 2 * size, axis=2))


class AllPass:
    """One all-pass section, y[n] = −g·x[n] + x[n − M] + g·y[n − M]: every frequency at unity, at another phase.

    Parameters
    ----------
    samples
        M.
    gains
        g of each channel.

    Notes
    -----
    M. R. Schroeder, *Natural sounding artificial reverberation*, J. AES 10, 1962. Worked in stretches of M.
    """

    def __init__(self, samples: int, gains: Block) -> None:
        self.samples, self.gains = samples, gains[:, None]
        self._line: Sound = None  # x + g·y of the last M samples

    @property
    def is_busy(self) -> bool:
        """Return whether it sounds on."""
        return self._line is not None

    def feed(self, block: Sound, count: int) -> Sound:
        """The output for a block of input, as for a delay."""
        if self._line is None:
            if block is None:
                return None
            self._line = np.zeros((len(block), self.samples))
        x = np.zeros((len(self._line), count)) if block is None else block
        out = -self.gains * x
        line = np.concatenate((self._line, x), axis=1)  # its new part becomes x + g·y in the pass
        for at in range(0, count, self.samples):
            end = min(at + self.samples, count)
            y = out[:, at:end]
            y += line[:, at:end]
            line[:, self.samples + at : self.samples + end] += self.gains * y
        self._line = line[:, count:].copy()
        if block is None and np.abs(self._line).max() < SILENT:
            self._line = None
        return out
