"""Null test: the residual of a mix after subtraction of the stems of its set."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from typing import NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray
from scipy import fft

from lattice.bench.prints.files import OpenPrint, PrintFiles
from lattice.bench.progress import Progress, no_progress
from lattice.errors import DocumentError

BLOCK = 1 << 16
OCTAVES_HZ = (31.5, 63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 16000.0)  # IEC 61260-1
LOOKED_AT_S = 10.0  # of the beginning of sound, in which a stem is looked for in the mix
ALIKE = 0.1  # correlation from which a stem is found in it
SILENT = 1e-12


class Residual(msgspec.Struct, frozen=True, kw_only=True):
    """The residual of a mix without its stems."""

    mix: str
    stems: tuple[str, ...]
    offsets: dict[str, int]  # stem → samples by which its print is late beside the mix
    residual_db: float | None  # power of the residual relative to the mix; None: silent
    largest_db: float | None  # the same for the second in which it is largest
    largest_at_s: float
    octaves_db: tuple[float | None, ...]  # by OCTAVES_HZ
    over_time_db: tuple[float | None, ...]  # second by second


class Aligned(NamedTuple):
    """A print, and how late it is."""

    name: str
    files: PrintFiles
    channels: int
    offset: int


def residual(
    mix: PrintFiles, stems: Sequence[PrintFiles], rate_hz: int, channels: int, progress: Progress = no_progress
) -> Residual:
    """Subtract the stems of a mix from it.

    Parameters
    ----------
    mix, stems
        Files of the mix and of the stems of its set, all with the same channels.
    rate_hz, channels
        Their sample rate and number of channels.
    progress
        Called with the share that is done.

    Returns
    -------
    Residual
        In dB relative to the mix. −60 and less is the rounding of the files. A compressor or limiter after the stem
        taps leaves more, and the ledger states it.

    Raises
    ------
    DocumentError
        Where a file cannot be read.
    """
    if not stems:
        raise DocumentError(["no stems to add up"])
    offsets = {one.stem: _offset(mix, one, rate_hz, channels) for one in stems}
    work = _Adding(rate_hz)
    with ExitStack() as stack:
        first = stack.enter_context(OpenPrint(mix, rate_hz, channels))
        lines = [_line(first, 0)]
        for one in stems:
            lines.append(_line(stack.enter_context(OpenPrint(one, rate_hz, channels)), offsets[one.stem]))
        done = 0
        while done < first.frames:
            count = min(BLOCK, first.frames - done)
            whole, *parts = (line.take(count, channels) for line in lines)
            work.feed(whole, whole - np.sum(parts, axis=0))
            done += count
            progress(done / first.frames)
    return work.result(mix.stem, tuple(one.stem for one in stems), offsets)


class _Line:
    """Samples of one print in pieces of any length; from a place on that may lie before its beginning."""

    def __init__(self, stretches: Iterator[NDArray[np.float32]], offset: int) -> None:
        self._stretches, self._skip = stretches, max(offset, 0)
        self._silence = max(-offset, 0)
        self._kept: NDArray[np.float32] | None = None

    def take(self, count: int, channels: int) -> NDArray[np.float64]:
        """(channels, count); silent behind its end."""
        out = np.zeros((channels, count))
        at = min(self._silence, count)
        self._silence -= at
        while at < count:
            if self._kept is None or not self._kept.shape[1]:
                self._kept = next(self._stretches, None)
                if self._kept is None:
                    break
            if self._skip:
                gone = min(self._skip, self._kept.shape[1])
                self._skip -= gone
                self._kept = self._kept[:, gone:]
                continue
            step = min(count - at, self._kept.shape[1])
            out[:, at : at + step] = self._kept[:, :step]
            self._kept = self._kept[:, step:]
            at += step
        return out


def _line(file: OpenPrint, offset: int) -> _Line:
    return _Line(file.stretches(), offset)


def _offset(mix: PrintFiles, stem: PrintFiles, rate_hz: int, channels: int) -> int:
    """How late a stem is beside the mix, by where it is most like it; 0 where it is not found."""
    count = 1 << (round(LOOKED_AT_S * rate_hz) - 1).bit_length()
    start, part = _beginning(stem, rate_hz, channels, count // 2, None)
    if part is None:
        return 0
    _start, whole = _beginning(mix, rate_hz, channels, count, max(start - count // 4, 0))
    if whole is None:
        return 0
    spectrum = fft.rfft(whole, 2 * count) * np.conj(fft.rfft(part, 2 * count))
    found = fft.irfft(spectrum, 2 * count)
    lag = int(np.argmax(np.abs(found)))
    power = math.sqrt(float(np.vecdot(whole, whole)) * float(np.vecdot(part, part)))
    if power < SILENT or abs(found[lag]) < ALIKE * power:
        return 0
    lag = lag - 2 * count if lag > count else lag
    return start - (max(start - count // 4, 0) + lag)


def _beginning(
    files: PrintFiles, rate_hz: int, channels: int, count: int, start: int | None
) -> tuple[int, NDArray[np.float64] | None]:
    """So many samples of the first channels together, from a place on, or from where it begins to sound."""
    with OpenPrint(files, rate_hz, channels) as file:
        at, parts, taken = 0, list[NDArray[np.float64]](), 0
        for stretch in file.stretches():
            line = stretch[:2].sum(axis=0, dtype=np.float64)
            if start is None:
                sounding = np.flatnonzero(np.abs(line) > 1e-3)
                if not len(sounding):
                    at += len(line)
                    continue
                start = at + int(sounding[0])
            first = max(start - at, 0)
            if first < len(line):
                parts.append(line[first : first + count - taken])
                taken += len(parts[-1])
            at += len(line)
            if taken >= count:
                break
    return start or 0, np.concatenate(parts) if parts else None


class _Adding:
    """Powers of a mix and of its residual: in total, per second and per octave."""

    def __init__(self, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self.mix = self.left = 0.0
        self.seconds: list[list[float]] = []
        self.octaves = np.zeros((2, len(OCTAVES_HZ)))
        self.at = 0

    def feed(self, whole: NDArray[np.float64], left: NDArray[np.float64]) -> None:
        """A block of the mix and of the residual."""
        for line, number in ((whole, 0), (left, 1)):
            power = np.square(line).sum(axis=0)
            self._by_second(power, number)
            lines = np.square(np.abs(fft.rfft(line, axis=1))).sum(axis=0)
            hz = np.fft.rfftfreq(line.shape[1], 1 / self.rate_hz)
            for place, middle in enumerate(OCTAVES_HZ):
                inside = (hz >= middle / math.sqrt(2)) & (hz < middle * math.sqrt(2))
                self.octaves[number, place] += float(lines[inside].sum())
        self.at += whole.shape[1]

    def _by_second(self, power: NDArray[np.float64], number: int) -> None:
        at = self.at
        while len(power):
            second = at // self.rate_hz
            step = min((second + 1) * self.rate_hz - at, len(power))
            while len(self.seconds) <= second:
                self.seconds.append([0.0, 0.0])
            self.seconds[second][number] += float(power[:step].sum())
            power, at = power[step:], at + step

    def result(self, mix: str, stems: tuple[str, ...], offsets: dict[str, int]) -> Residual:
        """The residual in dB."""
        total, left = (sum(second[number] for second in self.seconds) for number in (0, 1))
        loudest = max(range(len(self.seconds)), key=lambda second: self.seconds[second][1], default=0)
        there = self.seconds[loudest] if self.seconds else [0.0, 0.0]
        return Residual(
            mix=mix, stems=stems, offsets=offsets, residual_db=_ratio_db(left, total),
            largest_db=_ratio_db(there[1], there[0]), largest_at_s=float(loudest),
            octaves_db=tuple(_ratio_db(one, other) for other, one in self.octaves.T.tolist()),
            over_time_db=tuple(_ratio_db(one, other) for other, one in self.seconds),
        )  # fmt: skip


def _ratio_db(power: float, beside: float) -> float | None:
    if power <= SILENT:
        return None
    return round(10 * math.log10(power / max(beside, SILENT)), 2)
