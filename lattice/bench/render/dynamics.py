"""Envelope followers: compressors, limiters, gates and expanders, by themselves or by a key from outside.

Every 64 samples the level of the last 10 ms gives a gain by the static curve, which attack and release smooth; in
between the gain runs straight. The same whatever the length of blocks.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from lattice.bench.render.lines import Block, Sound
from lattice.model.document import Insert
from lattice.model.insert_types import LIMIT_RATIO

STEP = 64  # samples between two looks at the level
WINDOW_S = 0.010  # of the RMS detector
ATTACK_MS, RELEASE_MS = 10.0, 100.0  # where an insert states none
RANGE_DB = 80.0  # the most that a gate takes
QUIET_POWER = 1e-20  # −200 dBFS: silence
SAME_DB = 1e-9  # no change at all
RAMP = np.arange(STEP) / STEP
RESTS_DB = 1e-3  # this near to its reduction in silence

Curve = Callable[[Block], Block]  # levels in dBFS → attenuation in dB, 0 or more


def curve_of(insert: Insert) -> Curve | None:
    """The static curve of an insert that follows a level, else None.

    Defined in docs/reference/checks.md, *Dynamics*.
    """
    traits = insert.traits
    if insert.state != "on":
        return None
    if traits.opens_above:
        return _below(insert.threshold_db, traits.usual_ratio if insert.ratio is None else insert.ratio)
    if traits.is_limiter and insert.key == "external":
        return _above(insert.ceiling_db if insert.threshold_db is None else insert.threshold_db, math.inf)
    return _above(insert.threshold_db, insert.ratio) if traits.compresses else None


def _above(threshold_db: float | None, ratio: float | None) -> Curve | None:
    if threshold_db is None or ratio is None:
        return None
    share = 1.0 if ratio >= LIMIT_RATIO else 1.0 - 1.0 / ratio
    return lambda levels_db: np.maximum(levels_db - threshold_db, 0.0) * share


def _below(threshold_db: float | None, ratio: float | None) -> Curve | None:
    if threshold_db is None or ratio is None or ratio <= 1:
        return None
    return lambda levels_db: np.minimum(np.maximum(threshold_db - levels_db, 0.0) * (ratio - 1.0), RANGE_DB)


class Follower:
    """The gain of a dynamics insert over time, from its detector signal.

    Parameters
    ----------
    insert
        A compressor, limiter, gate or expander.
    curve
        Its static curve.
    rate_hz
        Sample rate.
    channels
        Channels of the detector signal; the loudest counts, one detector for all (common practice).

    Attributes
    ----------
    reduction_db : list of float
        Its gain reduction at every step so far, for plots.
    """

    def __init__(self, insert: Insert, curve: Curve, rate_hz: int, channels: int) -> None:
        self.curve = curve
        self._window = max(round(WINDOW_S * rate_hz / STEP), 1)
        attack = ATTACK_MS if insert.attack_ms is None else insert.attack_ms
        release = RELEASE_MS if insert.release_ms is None else insert.release_ms
        coming, going = (_smoothing(time, rate_hz) for time in (attack, release))
        # A gate attacks when it opens, everything else when it closes in.
        self._more, self._less = (going, coming) if insert.traits.opens_above else (coming, going)
        self._at = 0  # samples into the step
        self._sums: Block = np.zeros((channels, self._window))  # power of the last whole steps
        self._partial: Block = np.zeros(channels)  # and of the step that is not over
        # Its reduction in silence: none, or all for a closed gate.
        self._rest_db = float(curve(np.array([10.0 * math.log10(QUIET_POWER)]))[0])
        self._now_db = self._rest_db
        self._ends = (10.0 ** (-self._rest_db / 20.0),) * 2  # gain at both ends of the step
        self.reduction_db: list[float] = []

    @property
    def is_busy(self) -> bool:
        """Return whether it still has input, or is in its release."""
        hears = self._sums.max() > QUIET_POWER or self._partial.max() > QUIET_POWER
        return bool(hears or abs(self._now_db - self._rest_db) > RESTS_DB)

    def gains(self, heard: Sound, count: int) -> Block | float:
        """Linear gain for each sample of a block: (count,), or one for all of them.

        Parameters
        ----------
        heard
            (channels, count) of the detector signal, or None.
        count
            Samples of the block.
        """
        at, steps = self._at, -(-(self._at + count) // STEP)
        sums = self._power(heard, at, count, steps)
        sums[:, 0] += self._partial
        self._at = (at + count) % STEP
        whole = steps - (self._at > 0)
        wanted = self._wanted(sums)
        self._partial = sums[:, -1] if self._at else np.zeros(len(sums))
        self._sums = np.concatenate((self._sums, sums[:, :whole]), axis=1)[:, whole:]
        if not at and self._ends[0] == self._ends[1] and np.abs(wanted - self._now_db).max() < SAME_DB:
            self.reduction_db += [self._now_db] * steps
            return float(self._ends[1])
        ends = self._ramp(wanted[int(at > 0) :].tolist(), first=at > 0)
        starts = np.concatenate(([self._ends[0] if at else self._ends[1]], ends[:-1]))
        self._ends = float(starts[-1]), float(ends[-1])
        found = starts[:, None] + (ends - starts)[:, None] * RAMP
        return np.asarray(found.reshape(-1)[at : at + count])

    def _power(self, heard: Sound, at: int, count: int, steps: int) -> Block:
        """Sum of squares by channel and step; the first and the last step may not be whole."""
        if heard is None:
            return np.zeros((len(self._sums), steps))
        if count % STEP or at:
            whole = np.zeros((len(heard), steps * STEP))
            whole[:, at : at + count] = heard
            heard = whole
        parts = heard.reshape(len(heard), steps, STEP)
        return np.asarray(np.vecdot(parts, parts))

    def _wanted(self, sums: Block) -> Block:
        """The gain reduction of the curve at the start of each step, by the level of the window before it: (steps,)."""
        known = np.concatenate((self._sums, sums), axis=1).cumsum(axis=1)
        loudest = known[:, self._window - 1 : -1]
        loudest = np.concatenate((loudest[:, :1], loudest[:, 1:] - known[:, : -self._window - 1]), axis=1).max(axis=0)
        return self.curve(10.0 * np.log10(np.maximum(loudest / (self._window * STEP), QUIET_POWER)))

    def _ramp(self, wanted: list[float], *, first: bool) -> Block:
        """Gain at the end of each step, part of the way to the curve; `first` is already in motion."""
        now_db, more, less, took = self._now_db, self._more, self._less, list[float]()
        for goal in wanted:
            now_db = goal + (now_db - goal) * (more if goal > now_db else less)
            took.append(now_db)
        self._now_db = now_db
        self.reduction_db += took
        ends = np.power(10.0, np.array(took) / -20.0)
        return np.concatenate(([self._ends[1]], ends)) if first else ends


def _smoothing(time_ms: float, rate_hz: int) -> float:
    """How much of a difference is left behind a step: e^(−t/τ)."""
    return math.exp(-STEP * 1000.0 / (rate_hz * time_ms)) if time_ms > 0 else 0.0
