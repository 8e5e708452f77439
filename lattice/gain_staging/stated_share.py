"""How much of a level is sure: bounds of the share that sources with a stated level have in it.

Cheaper than a second sweep with the assumed sources silent, and enough for most findings. Behind a ceiling or a fast
compressor a share can only be larger: less is taken from a lower level. So lower bounds hold behind any chain, and
upper bounds where nothing on the way works on peaks.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from typing import NamedTuple

from lattice.gain_staging.chain import catches_peaks, limits
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.signal_levels import SignalLevels
from lattice.graph.origin import Origin
from lattice.model.document import Strip
from lattice.model.insert_types import COMPRESSING
from lattice.model.units import gain


class Bounds(NamedTuple):
    """Bounds of a share, linear, from 0 to 1."""

    least: float
    most: float


SILENT = 1e-9  # a share that is rounding
ALL, NONE, UNKNOWN = Bounds(1.0, 1.0), Bounds(0.0, 0.0), Bounds(0.0, 1.0)


class StatedShare:
    """Bounds of the stated share of P and of Q at strips that assumed sources reach, at `in` and behind their chain.

    Parameters
    ----------
    levels
        Levels with the assumed sources at their usual level.
    reached
        Per strip, whether an assumed source is in its level.
    assumed
        Those sources.

    Attributes
    ----------
    peak, likely : dict of int to Bounds
        Strip → share of P and of Q.
    """

    def __init__(self, levels: Levels, reached: list[bool], assumed: Collection[Origin]) -> None:
        self.levels, self.reached = levels, reached
        self.assumed = frozenset(assumed)
        self.peak: dict[int, Bounds] = {}
        self.likely: dict[int, Bounds] = {}
        count = len(levels.graph.strips)
        for node in levels.order:
            if node < count and reached[node]:
                self._share(node)

    def _share(self, number: int) -> None:
        """The total at a strip less what may be missing of it."""
        graph, stages = self.levels.graph, self.levels.stages[number]
        strip = graph.strips[number]
        if stages and stages[0].levels.turns is not None:
            self.peak[number] = self.likely[number] = UNKNOWN
            return
        if Origin(number) in self.assumed or not stages:
            self.peak[number] = self.likely[number] = UNKNOWN if graph.ins[number] else _behind(strip, NONE)
            return
        sound, outlet, tail, reached = stages[0].levels, graph.outlet, graph.tail, self.reached
        unsure = [route for route in graph.ins[number] if reached[tail[route]] or outlet[route] >= 0]
        missing = [[0.0] * len(sound.p) for _ in range(4)]  # at most and at least, of P and of Q²
        for route in unsure:  # of the others all is stated
            self._take_away(route, missing)
        self.peak[number] = _behind(strip, _bounds(sound.p, missing[0], missing[1]))
        power = _bounds(sound.q2, missing[2], missing[3])
        share = Bounds(math.sqrt(power.least), math.sqrt(power.most))
        if self.peak[number].most < SILENT:
            self.likely[number] = NONE
        else:
            self.likely[number] = UNKNOWN if sound.coherence is not None else _behind(strip, share)

    def _take_away(self, route: int, missing: list[list[float]]) -> None:
        """Add the part of a route's level that may be missing."""
        peak, likely = self._of_route(route)
        brought = None if peak is likely is ALL else self._brought(route, len(missing[0]))
        if brought is not None:
            of_peak = 1.0 - peak.least, 1.0 - peak.most
            of_likely = 1.0 - likely.least * likely.least, 1.0 - likely.most * likely.most
            for channel, (p, q2) in enumerate(zip(*brought, strict=True)):
                missing[0][channel] += p * of_peak[0]
                missing[1][channel] += p * of_peak[1]
                missing[2][channel] += q2 * of_likely[0]
                missing[3][channel] += q2 * of_likely[1]

    def _brought(self, route: int, channels: int) -> tuple[list[float], list[float]] | None:
        """P and Q² of what a route brings, channel by channel; None where it brings nothing."""
        levels, gain_db = self.levels, self.levels.graph.routes[route].gain_db
        stage = levels.at_route(route) if gain_db is not None and levels.goes(route) else None
        if stage is None:
            return None
        sound, peak_gain, likely_gain, _rms_gain = stage
        level, brought = gain(gain_db), SignalLevels.silent(channels)
        brought.add(sound, levels.matrices[route], peak_gain * level, likely_gain * level, 0.0)
        return brought.p, brought.q2

    def _of_route(self, route: int) -> tuple[Bounds, Bounds]:
        """The shares of P and of Q in what a route brings."""
        graph, tail = self.levels.graph, self.levels.graph.tail[route]
        if graph.outlet[route] >= 0:
            share = NONE if Origin(tail, graph.outlet[route]) in self.assumed else ALL
            return share, share
        return self.peak.get(tail, UNKNOWN), self.likely.get(tail, UNKNOWN)


def _bounds(total: Sequence[float], at_most: Sequence[float], at_least: Sequence[float]) -> Bounds:
    """The smallest and the largest share over the channels that carry something."""
    least = [1.0 - lost / whole for whole, lost in zip(total, at_most, strict=True) if whole > 0]
    most = [1.0 - lost / whole for whole, lost in zip(total, at_least, strict=True) if whole > 0]
    return Bounds(max(0.0, min(least, default=0.0)), max(0.0, max(most, default=1.0)))


def _behind(strip: Strip, share: Bounds) -> Bounds:
    """The bounds at any stage of a strip: no upper one where an insert of it works on peaks."""
    if share.most < SILENT:
        return NONE  # nothing in, nothing out
    works_on_peaks = any(
        insert.state == "on" and (limits(insert) or (insert.type in COMPRESSING and catches_peaks(insert)))
        for insert in strip.inserts
    )
    return Bounds(share.least, 1.0) if works_on_peaks else share
