"""One source alone: its coherent and decorrelated gains at every stage it reaches, at the current levels.

The levels of the whole template (levels.py) determine the dynamics; one source is then traced through it.
"""

from __future__ import annotations

import heapq
import math
from dataclasses import dataclass
from functools import cached_property

from lattice.gain_staging.chain import ByChannel, Effect, Even, depends_on_level, effect, entering
from lattice.gain_staging.gains import insert_matrix
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.matrix import SparseRows, scaled_rows, sparse_sum, sparse_times
from lattice.gain_staging.plain import chain_source
from lattice.graph.origin import NO_OUTLET
from lattice.graph.signal_graph import IN, POST
from lattice.model.document import Source, Strip, source_of
from lattice.model.layouts import Matrix, balance_gains, channel_count
from lattice.model.units import gain

LIKELY, EXPECTED = "q", "e"


@dataclass(frozen=True)
class SourceGains:
    """Gains from one source to a stage, by channel there, then by channel of the source.

    Attributes
    ----------
    c : list of dict
        Coherent amplitude gains, with their sign.
    d2 : list of dict
        Power gains of the decorrelated part.

    Notes
    -----
    Every channel of a source is a signal of its own, and most channels carry few of them, so rows are sparse. Nothing
    changes in place: parts share their rows.
    """

    c: SparseRows
    d2: SparseRows

    @cached_property
    def power(self) -> list[float]:
        """Σ (c² + d²) by channel: the level of the source there, relative to its own."""
        return [
            sum([x * x for x in row.values()]) + sum(others.values())
            for row, others in zip(self.c, self.d2, strict=True)
        ]

    @property
    def coherent(self) -> bool:
        """Return whether anything coherent is left."""
        return any(x for row in self.c for x in row.values())

    def through(self, matrix: Matrix | None, level: float = 1.0) -> SourceGains:
        """Behind a matrix (None: each channel straight on) and at a level."""
        if matrix is None:
            return self if level == 1.0 else self.scaled([level] * len(self.c))
        c = sparse_times(((row, column, by * level) for row, column, by in matrix.entries), self.c, len(matrix))
        powers = ((row, column, by * by * level * level) for row, column, by in matrix.entries)
        return SourceGains(c, sparse_times(powers, self.d2, len(matrix)))

    def scaled(self, factors: list[float]) -> SourceGains:
        """Each channel by its own factor."""
        return SourceGains(scaled_rows(self.c, factors), scaled_rows(self.d2, [factor * factor for factor in factors]))

    def wet(self, dry: float, power: float) -> SourceGains:
        """Behind a reverb, delay or modulation: its dry part stays coherent, its wet part does not."""
        d2 = []
        for row, others in zip(self.c, self.d2, strict=True):
            made = {s: d * (dry * dry + power * power) for s, d in others.items()}
            for s, x in row.items():
                made[s] = made.get(s, 0.0) + power * power * x * x
            d2.append(made)
        return SourceGains([{s: x * dry for s, x in row.items()} if dry else {} for row in self.c], d2)

    def plus(self, other: SourceGains) -> SourceGains:
        """Both together, from one source."""
        return SourceGains(sparse_sum(self.c, other.c), sparse_sum(self.d2, other.d2))


def size(rows: SparseRows) -> float:
    """Frobenius norm."""
    return math.sqrt(sum([x * x for row in rows for x in row.values()]))


class SourceResponse:
    """One source traced through the template alone, at the current levels.

    Parameters
    ----------
    levels
        Levels of the template: they determine the dynamics.
    strip, outlet
        The source: a strip's chain, or one of its outlets beyond the main one.
    weight
        Whether dynamics act as they do on Q (LIKELY) or on E (EXPECTED).
    only
        Routes to follow; None for all.

    Attributes
    ----------
    at_in : dict
        Strip → SourceGains at its `in`.
    brought : dict
        Route → SourceGains where it ends.

    Notes
    -----
    O(strips and routes behind the source).
    """

    def __init__(
        self,
        levels: Levels,
        strip: int,
        outlet: int = NO_OUTLET,
        weight: str = EXPECTED,
        only: frozenset[int] | None = None,
    ) -> None:
        self.only = only  # routes to follow; all where it is None
        self.levels, self.graph, self.weight = levels, levels.graph, weight
        self.start, self.outlet = strip, outlet
        self.at_in: dict[int, SourceGains] = {}
        self.brought: dict[int, SourceGains] = {}
        self._stages: dict[int, list[SourceGains]] = {}
        self._waiting: list[tuple[int, int]] = []
        layout = self.graph.outlets[outlet][1].layout if outlet >= 0 else self.graph.strips[strip].layout
        channels = channel_count(layout)
        own = SourceGains([{channel: 1.0} for channel in range(channels)], [{} for _ in range(channels)])
        if outlet >= 0:
            for route in self.graph.outlet_outs[outlet] if levels.outlet_stages[outlet] is not None else ():
                if self._is_followed(route):
                    self._send(route, own)
        elif levels.stages[strip]:
            self._arrive(strip, own)
        while self._waiting:
            self._leave(heapq.heappop(self._waiting)[1])

    @property
    def source(self) -> Source | None:
        """The source at the origin; None for a spare."""
        strip = self.graph.strips[self.start]
        return (
            chain_source(strip, self.levels.assumed)
            if self.outlet < 0
            else source_of(strip, self.graph.outlets[self.outlet][1], self.levels.assumed)
        )  # fmt: skip

    @property
    def amplitude(self) -> float:
        """The source's own peak (LIKELY) or RMS (EXPECTED), linear."""
        source = self.source
        if source is None:
            return 0.0
        return gain(source.peak_dbfs if self.weight == LIKELY else source.rms_dbfs)

    def _arrive(self, strip: int, part: SourceGains) -> None:
        if strip in self.at_in:
            self.at_in[strip] = self.at_in[strip].plus(part)
        else:
            self.at_in[strip] = part
            heapq.heappush(self._waiting, (self.levels.loops.position[strip], strip))

    def _is_followed(self, route: int) -> bool:
        """Routes with signal: an automated one that is at off has none."""
        is_wanted = self.only is None or route in self.only
        return is_wanted and self.graph.routes[route].gain_db is not None and self.levels.goes(route)

    def _send(self, route: int, part: SourceGains) -> None:
        level = gain(self.graph.routes[route].gain_db)
        come = part.through(self.levels.matrices[route], level)
        self.brought[route] = come
        self._arrive(self.graph.head[route], come)

    def _leave(self, strip: int) -> None:
        leaving = self.graph.strips[strip]
        if leaving.invert:
            self.at_in[strip] = self.at_in[strip].scaled([-1.0] * len(self.at_in[strip].c))
        if not self.levels.reach.passes_on(strip):
            return
        taps: dict[int, SourceGains | None] = {}  # routes of one tap share this signal
        for route in self.graph.outs[strip]:
            if self._is_followed(route):
                stage = self.graph.stage[route]
                if stage not in taps:
                    taps[stage] = self.at(strip, stage)
                part = taps[stage]
                if part is not None:
                    self._send(route, part)

    def stages(self, strip: int) -> list[SourceGains]:
        """From `in` to `pre`, one behind each insert."""
        if strip not in self._stages:
            self._stages[strip] = self._walked(self.graph.strips[strip], strip)
        return self._stages[strip]

    def _walked(self, walked: Strip, strip: int) -> list[SourceGains]:
        now, layout = self.at_in[strip], walked.layout
        gains, whole = [now], self.levels.stages[strip]
        for place, insert in enumerate(walked.inserts):
            if insert.has_channels:
                matrix, layout = insert_matrix(insert, layout)
                now = now.through(matrix)
            by_level = depends_on_level(insert)
            before = entering(walked, whole, place, self.levels.carriers) if by_level else whole[place]
            done = effect(insert, before)
            now = now if done is None else self._done(now, done)
            gains.append(now)
        return gains

    def _done(self, part: SourceGains, done: Effect) -> SourceGains:
        if isinstance(done, Even):
            return part.scaled([done.q if self.weight == LIKELY else done.e] * len(part.c))
        if isinstance(done, ByChannel):
            return part.scaled(done.q if self.weight == LIKELY else done.e)
        return part.wet(done.dry, done.power)

    def at(self, strip: int, stage: int) -> SourceGains | None:
        """At a tap of a strip it reaches; None if it does not, or nothing passes."""
        if strip not in self.at_in:
            return None
        if stage == IN:
            return self.at_in[strip]
        pre, at_strip = self.stages(strip)[-1], self.graph.strips[strip]
        if stage != POST:
            return pre
        if at_strip.mute or at_strip.fader_db is None:
            return None
        if at_strip.fader_db == 0 and not at_strip.pan:
            return pre
        factors = [gain(at_strip.fader_db)] * len(pre.c)
        if at_strip.pan and self.graph.chain_layout[strip] == "stereo":
            factors = [f * g for f, g in zip(factors, balance_gains(at_strip.pan), strict=True)]
        return pre.scaled(factors)

    def level(self, part: SourceGains | None) -> float:
        """Amplitude of the loudest channel there, at the source's own level."""
        return self.amplitude * math.sqrt(max(part.power)) if part else 0.0
