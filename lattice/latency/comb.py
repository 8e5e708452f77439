"""The comb of two copies of one source: |1 + r·e^(−jωτ)|, with the polarity of the earlier or later one."""

from __future__ import annotations

import math
from dataclasses import dataclass

from lattice.graph.origin import Origin
from lattice.model.units import decibels


@dataclass(frozen=True)
class Comb:
    """The comb filter of one source that arrives twice, by two routes.

    Parameters
    ----------
    origin
        The source.
    skew
        How far apart the two arrive, samples (τ = skew / rate).
    beside_db
        The weaker against the stronger, dB, 0 or less (r = 10^(beside_db/20)).
    turned
        The two are of opposite polarity: r counts as −r.
    """

    origin: Origin
    skew: int
    beside_db: float
    turned: bool

    def notch_hz(self, rate_hz: int) -> float:
        """First notch of the comb, f = 1/(2τ); for opposite polarity the first above 0 Hz, f = 1/τ."""
        return rate_hz / self.skew if self.turned else rate_hz / (2 * self.skew)

    def response_db(self, hz: float, rate_hz: int) -> float:
        """Response |1 + r·e^(−jωτ)| = √(1 + r² + 2·r·cos ωτ) against the stronger alone.

        Parameters
        ----------
        hz
            Frequency, Hz.
        rate_hz
            Sample rate, Hz.

        Returns
        -------
        float
            dB; −∞ where r is 1 and all is lost.
        """
        return self._at_phase(self._phase(hz, rate_hz))

    def band_db(self, low_hz: float, high_hz: float, rate_hz: int) -> tuple[float, float]:
        """The lowest and the highest response in a band, dB.

        A picture shows it where notches lie closer than its pixels.

        Parameters
        ----------
        low_hz, high_hz
            The band, Hz.
        rate_hz
            Sample rate, Hz.
        """
        low, high = self._phase(low_hz, rate_hz), self._phase(high_hz, rate_hz)
        ends = sorted((self._at_phase(low), self._at_phase(high)))
        has_top = _passes(low, high, math.pi if self.turned else 0.0)
        has_bottom = _passes(low, high, 0.0 if self.turned else math.pi)
        ratio = 10 ** (self.beside_db / 20)
        return decibels(1 - ratio) if has_bottom else ends[0], decibels(1 + ratio) if has_top else ends[1]

    def _phase(self, hz: float, rate_hz: int) -> float:
        """ωτ, radians."""
        return 2 * math.pi * hz * self.skew / rate_hz

    def _at_phase(self, phase: float) -> float:
        ratio = 10 ** (self.beside_db / 20) * (-1.0 if self.turned else 1.0)
        return 10 * _log10(1 + ratio * ratio + 2 * ratio * math.cos(phase))


def _passes(low: float, high: float, at: float) -> bool:
    """Return whether phases from `low` to `high` pass `at` in some turn."""
    turn = 2 * math.pi
    return math.floor((high - at) / turn) > math.ceil((low - at) / turn) - 1


def _log10(power: float) -> float:
    return math.log10(power) if power > 0 else -math.inf
