"""The signal at a stage: worst case, likely peak and expected level of every channel, and its coherent part.

P adds in amplitude. Q² and E² add in power, but copies of one source over several paths add in amplitude
(docs/reference/checks.md, *Levels*). If no source can meet itself again, the three figures suffice; otherwise
`Coherence` has the values for the exact sum.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from lattice.gain_staging.alternation import STEADY, Alternation
from lattice.gain_staging.matrix import Rows, SparseRows, add_to, added, congruence, quadratic, sparse, zeros
from lattice.model.layouts import Matrix, channel_count

CARRIERS_A_LABEL = 10**9  # more than there are carriers: each part of a sound has carriers of its own


class Coherence:
    """How the sound of one stage may add up with itself, once for Q and once for E (index 0 and 1).

    Attributes
    ----------
    loose : pair of list of float
        By channel, power that adds in power: it is decorrelated.
    covariance : list
        (channels, channels) of coherent sound that nothing else carries; None where there is none.
    carried : pair of dict
        Carrier → gains (channels, channels of the carrier). A carrier is a strip or outlet whose sound leaves by
        several paths that meet again.
    """

    __slots__ = ("carried", "covariance", "loose")

    def __init__(self, channels: int) -> None:
        self.loose = ([0.0] * channels, [0.0] * channels)
        self.covariance: list[Rows | None] = [None, None]
        self.carried: tuple[dict[int, SparseRows], dict[int, SparseRows]] = ({}, {})

    def own(self, weight: int, channels: int) -> Rows:
        """The covariance, to be added to."""
        found = self.covariance[weight]
        if found is None:
            found = self.covariance[weight] = zeros(channels, channels)
        return found


class SignalLevels:
    """Levels at one stage, by channel: the three figures of docs/reference/checks.md, *Levels*.

    Attributes
    ----------
    p : list of float
        Amplitude P, worst case: all peaks at once. Linear, 1 is full scale.
    q2, e2 : list of float
        Powers Q² of the likely peak and E² of the expected level.
    coherence : Coherence or None
        How the sound may add up with itself; None where it never meets itself.
    turns : Turns or None
        Its parts, where members of a choice by turn are in it: the figures above are then made by `settle`.
    """

    __slots__ = ("coherence", "e2", "p", "q2", "turns")

    def __init__(self, p: list[float], q2: list[float], e2: list[float], coherence: Coherence | None = None) -> None:
        self.p, self.q2, self.e2, self.coherence = p, q2, e2, coherence
        self.turns: Turns | None = None

    @staticmethod
    def silent(channels: int, *, coherent: bool = False) -> SignalLevels:
        """Nothing yet, to be added to."""
        return SignalLevels(
            [0.0] * channels, [0.0] * channels, [0.0] * channels, Coherence(channels) if coherent else None
        )  # fmt: skip

    @staticmethod
    def of_source(channels: int, peak: float, rms: float) -> SignalLevels:
        """A source alone, without other inputs, which cannot meet itself."""
        return SignalLevels([peak] * channels, [peak * peak] * channels, [rms * rms] * channels)

    def add_source(self, peak: float, rms: float) -> None:
        """Every channel of a source is a signal of its own, at the level the source states (linear)."""
        if self.turns is not None:
            self.turns.parts[STEADY].add_source(peak, rms)
            return
        for channel in range(len(self.p)):
            self.p[channel] += peak
            self.q2[channel] += peak * peak
            self.e2[channel] += rms * rms
            if self.coherence:
                for weight, level in enumerate((peak, rms)):
                    self.coherence.own(weight, len(self.p))[channel][channel] += level * level

    def add(
        self, other: SignalLevels, matrix: Matrix | None, peak_gain: float, likely_gain: float, rms_gain: float
    ) -> None:
        """Adds the signal of a route.

        Parameters
        ----------
        other
            Levels at the route's tap.
        matrix
            Its channel matrix; None for channel to channel.
        peak_gain, likely_gain, rms_gain
            Linear factors of P, Q and E.
        """
        if self.turns is not None or other.turns is not None:
            theirs = {STEADY: other} if other.turns is None else other.turns.parts
            for label, part in theirs.items():
                into = self.in_turn(label, (self.turns or other.turns).alternation)  # type: ignore[union-attr]
                into.add(part, matrix, peak_gain, likely_gain, rms_gain)
            return
        gain_q, gain_e = likely_gain * likely_gain, rms_gain * rms_gain
        p, q2, e2 = self.p, self.q2, self.e2
        if matrix is None:
            for channel, (its_p, its_q2, its_e2) in enumerate(zip(other.p, other.q2, other.e2, strict=True)):
                if channel < len(p):
                    p[channel] += its_p * peak_gain
                    q2[channel] += its_q2 * gain_q
                    e2[channel] += its_e2 * gain_e
        else:
            for row, column, gain in matrix.entries:
                power = gain * gain
                p[row] += other.p[column] * abs(gain) * peak_gain
                q2[row] += other.q2[column] * power * gain_q
                e2[row] += other.e2[column] * power * gain_e
        if self.coherence is not None:
            _add_coherence(self.coherence, other, matrix, (likely_gain, rms_gain), len(p))

    def add_alike(
        self, layout: str, matrix: Matrix | None, p: float, q: float, e: float, sides: tuple[float, ...] = ()
    ) -> None:
        """Adds a source whose channels are alike and signals of their own; `sides`: the balance of a stereo one."""
        if self.coherence is not None:
            channels = channel_count(layout)
            sound = SignalLevels.of_source(channels, 1.0, 1.0)
            if sides:
                sound = sound.scaled((list(sides), list(sides), list(sides)))
            self.add(sound, matrix, p, q, e)
            return
        q2, e2, into_p, into_q2, into_e2 = q * q, e * e, self.p, self.q2, self.e2
        if matrix is None:
            for channel, by in enumerate(sides or (1.0,) * len(into_p)):
                into_p[channel] += p * by
                into_q2[channel] += q2 * by * by
                into_e2[channel] += e2 * by * by
            return
        for row, column, gain in matrix.entries:
            by = abs(gain) * sides[column] if sides else abs(gain)
            power = by * by
            into_p[row] += p * by
            into_q2[row] += q2 * power
            into_e2[row] += e2 * power

    def settle(self, carriers: dict[int, tuple[SparseRows, SparseRows]]) -> None:
        """The figures of a sum in which sources may have met themselves, or members of a choice alternate."""
        if self.turns is not None:
            for part in self.turns.parts.values():
                part.settle(carriers)
            self.p, self.q2, self.e2 = self.turns.totals()
        elif self.coherence:
            self.q2, self.e2 = (totals(self.coherence, weight, carriers) for weight in (0, 1))

    def turn(self) -> None:
        """Inverts the polarity: audible only against the same carrier over another path."""
        for part in self.turns.parts.values() if self.turns else ():
            part.turn()
        if self.coherence:
            for carried in self.coherence.carried:
                for carrier, gains in carried.items():
                    carried[carrier] = [{column: -gain for column, gain in row.items()} for row in gains]

    def scaled(self, rows: tuple[list[float], list[float], list[float]]) -> SignalLevels:
        """Every channel by its own factors of P, Q and E."""
        if self.turns is not None:
            return self.turns.each(lambda part: part.scaled(rows))
        peak_gain, likely_gain, rms_gain = rows
        made = SignalLevels(
            [a * f for a, f in zip(self.p, peak_gain, strict=True)],
            [a * f * f for a, f in zip(self.q2, likely_gain, strict=True)],
            [a * f * f for a, f in zip(self.e2, rms_gain, strict=True)],
        )
        if self.coherence:
            made.coherence = Coherence(len(self.p))
            for weight, factors in enumerate((likely_gain, rms_gain)):
                made.coherence.loose[weight][:] = [
                    a * f * f for a, f in zip(self.coherence.loose[weight], factors, strict=True)
                ]
                own = self.coherence.covariance[weight]
                if own is not None:
                    made.coherence.covariance[weight] = [
                        [value * factors[row] * factors[column] for column, value in enumerate(values)]
                        for row, values in enumerate(own)
                    ]
                made.coherence.carried[weight].update(
                    (
                        carrier,
                        [{c: gain * by for c, gain in row.items()} for row, by in zip(gains, factors, strict=True)],
                    )
                    for carrier, gains in self.coherence.carried[weight].items()
                )
        return made

    def through(
        self, matrix: Matrix, *, unity: bool, carriers: dict[int, tuple[SparseRows, SparseRows]]
    ) -> SignalLevels:
        """Behind an insert that changes channels; `unity`: P passes a panner whole, whatever it spreads."""
        if self.turns is not None:
            return self.turns.each(lambda part: part.through(matrix, unity=unity, carriers=carriers))
        made = SignalLevels.silent(len(matrix), coherent=self.coherence is not None)
        made.add(self, matrix, 1.0, 1.0, 1.0)
        if unity:
            made.p = [sum(p for p, gain in zip(self.p, row, strict=True) if gain) for row in matrix]
        made.settle(carriers)
        return made

    def behind_wet(
        self, dry: float, wet: float, peak: float, carriers: dict[int, tuple[SparseRows, SparseRows]]
    ) -> SignalLevels:
        """The sound behind a reverb, delay or modulation: P takes `peak`, dry and wet parts add in power."""
        if self.turns is not None:
            return self.turns.each(lambda part: part.behind_wet(dry, wet, peak, carriers))
        power = dry * dry + wet * wet
        return SignalLevels(
            [p * peak for p in self.p], [q * power for q in self.q2], [e * power for e in self.e2],
            self.decorrelated(dry, wet, carriers) if self.coherence is not None else None,
        )  # fmt: skip

    def decorrelated(self, dry: float, wet: float, carriers: dict[int, tuple[SparseRows, SparseRows]]) -> Coherence:
        """Coherence behind a reverb, delay or modulation: c' = dry·c, d'² = dry²·d² + wet²·(c² + d²)."""
        mine, made = self.coherence or Coherence(len(self.p)), Coherence(len(self.p))
        for weight in (0, 1):
            whole = totals(mine, weight, carriers)
            made.loose[weight][:] = [
                dry * dry * loose + wet * wet * power for loose, power in zip(mine.loose[weight], whole, strict=True)
            ]
            if dry:
                own = mine.covariance[weight]
                if own is not None:
                    made.covariance[weight] = [[value * dry * dry for value in row] for row in own]
                for carrier, gains in mine.carried[weight].items():
                    made.carried[weight][carrier] = [{c: gain * dry for c, gain in row.items()} for row in gains]
        return made

    def carry(self, carrier: int, carriers: dict[int, tuple[SparseRows, SparseRows]]) -> None:
        """From here on this stage's own coherent sound is known by a carrier, so that it may meet itself.

        If all coherent sound belongs to known carriers, none is added: in a web of strips after one source, that
        source's carrier suffices for all.
        """
        mine, channels = self.coherence, len(self.p)
        if self.turns is not None:
            for label, part in self.turns.parts.items():
                if part.coherence is not None:
                    part.carry(carrier + (label + 1) * CARRIERS_A_LABEL, carriers)
            return
        if mine is None:
            raise ValueError("a sound without coherence has nothing to carry")
        own = [covariance for covariance in mine.covariance if covariance is not None]
        if not any(any(row) for covariance in own for row in covariance):
            return
        carriers[carrier] = sparse(mine.own(0, channels)), sparse(mine.own(1, channels))
        mine.covariance = [None, None]
        for carried in mine.carried:
            carried[carrier] = [{channel: 1.0} for channel in range(channels)]

    # choices by turn

    @property
    def is_coherent(self) -> bool:
        """Some of it may meet itself."""
        if self.turns is not None:
            return any(part.coherence is not None for part in self.turns.parts.values())
        return self.coherence is not None

    def take_turns(self, alternation: Alternation) -> Turns:
        """Its parts from here on; all so far is steady."""
        steady = SignalLevels(self.p, self.q2, self.e2, self.coherence)
        self.coherence = None
        self.turns = Turns(alternation, {STEADY: steady})
        return self.turns

    def in_turn(self, label: int, alternation: Alternation) -> SignalLevels:
        """The part of a label, to be added to; the whole where nothing alternates so far."""
        if label == STEADY and self.turns is None:
            return self
        return (self.turns or self.take_turns(alternation)).part(label)

    def enter(self, label: int, alternation: Alternation) -> None:
        """All that passes here belongs to a member from here on, unless it belongs to another already."""
        turns = self.turns or self.take_turns(alternation)
        moving = [old for old in turns.parts if old != label and alternation.is_inside(label, old)]
        for old in moving:
            turns.part(label).add(turns.parts[old], None, 1.0, 1.0, 1.0)
            part = turns.parts.pop(old)
            if old == STEADY:
                channels = len(part.p)
                turns.parts[STEADY] = SignalLevels.silent(channels, coherent=part.coherence is not None)


class Turns:
    """Parts of a sound: what is steady, and what belongs to members of choices by turn.

    Attributes
    ----------
    alternation : Alternation
        The choices.
    parts : dict of int to SignalLevels
        Label → its signal; STEADY is always there.
    """

    __slots__ = ("alternation", "parts")

    def __init__(self, alternation: Alternation, parts: dict[int, SignalLevels]) -> None:
        self.alternation, self.parts = alternation, parts

    def part(self, label: int) -> SignalLevels:
        """The part of a label, to be added to."""
        if label not in self.parts:
            like = self.parts[STEADY]
            self.parts[label] = SignalLevels.silent(len(like.p), coherent=like.coherence is not None)
        return self.parts[label]

    def totals(self) -> tuple[list[float], list[float], list[float]]:
        """P, Q² and E² of the whole."""
        p, q2, e2 = (
            self.alternation.totals({label: getattr(part, figure) for label, part in self.parts.items()})
            for figure in ("p", "q2", "e2")
        )
        return p, q2, e2

    def each(self, change: Callable[[SignalLevels], SignalLevels]) -> SignalLevels:
        """The whole with every part changed."""
        turns = Turns(self.alternation, {label: change(part) for label, part in self.parts.items()})
        made = SignalLevels(*turns.totals())
        made.turns = turns
        return made


def _add_coherence(
    mine: Coherence, other: SignalLevels, matrix: Matrix | None, scales: tuple[float, ...], channels: int
) -> None:
    """Adds a signal through a matrix (None: channel to channel, as far as both have them) and at two levels."""
    theirs = other.coherence
    for weight, scale in enumerate(scales):
        if theirs is None:  # nothing in it is coherent with anything any more, or could meet itself
            _add_power(mine.loose[weight], matrix, (other.q2, other.e2)[weight], scale * scale)
            continue
        _add_power(mine.loose[weight], matrix, theirs.loose[weight], scale * scale)
        own = theirs.covariance[weight]
        if own is not None:
            come = _fitted(own, channels) if matrix is None else congruence(matrix, own)
            added(mine.own(weight, channels), come, scale * scale)
        for carrier, gains in theirs.carried[weight].items():
            into = mine.carried[weight].setdefault(carrier, [{} for _ in range(channels)])
            if matrix is None:
                for sums, values in zip(into, gains, strict=False):
                    add_to(sums, values, scale)
            else:
                for row, column, by in matrix.entries:
                    add_to(into[row], gains[column], by * scale)


def _fitted(rows: Rows, channels: int) -> Rows:
    """As many rows and columns as channels: a channel without a counterpart is dropped."""
    if len(rows) == channels:
        return rows
    fitted = [(row + [0.0] * channels)[:channels] for row in rows[:channels]]
    return fitted + zeros(channels - len(fitted), channels)


def totals(coherence: Coherence, weight: int, carriers: dict[int, tuple[SparseRows, SparseRows]]) -> list[float]:
    """Power by channel: decorrelated, coherent, and the carriers' signals, added in amplitude."""
    found = list(coherence.loose[weight])
    own = coherence.covariance[weight]
    if own is not None:
        found = [loose + own[channel][channel] for channel, loose in enumerate(found)]
    for carrier, gains in coherence.carried[weight].items():
        spread = carriers[carrier][weight]
        for channel, row in enumerate(gains):
            found[channel] += quadratic(row, spread)
    return found


def _add_power(mine: list[float], matrix: Matrix | None, power: list[float], scale: float) -> None:
    if matrix is None:
        for channel, value in enumerate(power[: len(mine)]):
            mine[channel] += value * scale
        return
    for row, column, gain in matrix.entries:
        mine[row] += power[column] * gain * gain * scale


def loudest(power: list[float]) -> float:
    """Amplitude of the loudest channel."""
    return math.sqrt(max(power))
