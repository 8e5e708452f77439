"""Where to look: differences that one fault explains are one matter, with the strips and routes that it may be at."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import NamedTuple

from lattice.bench.prints.differences import (
    CHANNELS,
    DELAY,
    LEVEL,
    MISSING,
    POLARITY,
    UNEXPECTED,
    Compared,
    Pair,
)
from lattice.bench.prints.print_paths import Element, PrintPaths
from lattice.bench.prints.slot_reading import COHERENT
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import IN, POST, SignalGraph
from lattice.model.strip_kinds import FED
from lattice.model.units import gain

MOST_SUSPECTS = 6
# Share of a pair's power that has to come through an element, so that a fault there explains the difference.
LEAST_SHARE = {MISSING: 0.98, DELAY: 0.3, POLARITY: 0.3, CHANNELS: 0.3}
TOUCHED = 0.5  # share from which a fault at an element would show in a pair
NOTICED_DB = 0.75
SOME_SHARE = 0.003  # of a pair with another path as well
SWITCHED_OFF = 1e-6  # remaining power of a missing signal
MAIN = 0.98  # share from which it is the only path
LESS = 0.35  # of a change that a compressor behind it leaves
ABOUT_DB = 4.0  # as loud: the channel mapping is ignored


class LocatedFault(NamedTuple):
    """One issue: its differences by number, and its suspects, the likeliest first."""

    differences: tuple[int, ...]
    suspects: tuple[str, ...]


class FaultLocator:
    """Suspects of the differences of a reading.

    Parameters
    ----------
    ways
        Shares of the template.
    compared
        The differences, and the pairs that are as mapped.
    prints
        Stem → its print strip.
    whole
        Stems whose whole print is wrong: everything missing or late in one of them is one issue.
    """

    def __init__(
        self, ways: PrintPaths, compared: Compared, prints: Mapping[str, int], whole: Collection[str] = ()
    ) -> None:
        self.ways, self.compared, self.prints, self.whole = ways, compared, prints, whole
        self._shares: dict[Pair, dict[Element, float]] = {}

    def shares(self, pair: Pair) -> dict[Element, float]:
        """Share of each element in a pair."""
        if pair not in self._shares:
            self._shares[pair] = self.ways.shares(pair.origin, self.prints[pair.stem])
        return self._shares[pair]

    def matters(self) -> list[LocatedFault]:
        """Matters, in the order of their first differences."""
        found: list[LocatedFault] = []
        differences = self.compared.differences
        new = self._unexpected([n for n, one in enumerate(differences) if one.code == UNEXPECTED])
        taken = {number for one in new for number in one.differences}
        for code in (MISSING, LEVEL, DELAY, POLARITY, CHANNELS):
            left = [n for n, one in enumerate(differences) if one.code == code and n not in taken]
            while left:
                explained = self._best(code, left)
                found.append(explained)
                left = [number for number in left if number not in explained.differences]
        found += new
        return self._without_consequences(self._wholes(_merged(found)))

    def _wholes(self, found: list[LocatedFault]) -> list[LocatedFault]:
        """Matters about the same print, where all of it is wrong, are one: the largest."""
        for stem in self.whole:
            about = [one for one in found if any(self._is_of(number, stem) for number in one.differences)]
            if len(about) > 1:
                largest = max(about, key=lambda one: len(one.differences))
                numbers = tuple(sorted({number for one in about for number in one.differences}))
                found = [one for one in found if one not in about] + [LocatedFault(numbers, largest.suspects)]
        return sorted(found, key=lambda one: one.differences[0])

    def _is_of(self, number: int, stem: str) -> bool:
        one = self.compared.differences[number]
        return one.pair.stem == stem and one.code in (MISSING, DELAY)

    # one kind of difference

    def _best(self, code: str, left: Sequence[int]) -> LocatedFault:
        """The differences that one element explains best, and all elements that explain them as well."""
        differences = self.compared.differences
        scores: dict[Element, tuple[int, tuple[int, ...]]] = {}
        for element in {one for number in left for one in self.shares(differences[number].pair)}:
            explains = self._explains(code, element, left)
            if explains:
                scores[element] = len(explains) - self._against(code, element, explains), explains
        if not scores:
            pair = differences[left[0]].pair
            return LocatedFault((left[0],), (self.ways.graph.strips[pair.origin.strip].id,))
        most = max(score for score, _explains in scores.values())
        level = [element for element, (score, _e) in scores.items() if score == most]
        best = min(level, key=lambda element: (-self._tenths(element, scores[element][1]), *_nearest(element)))
        explains = scores[best][1]
        alike = sorted((one for one, (score, its) in scores.items() if score == most and its == explains), key=_nearest)
        return LocatedFault(explains, tuple(one.id for one in alike[:MOST_SUSPECTS]))

    def _tenths(self, element: Element, explains: Sequence[int]) -> int:
        """The share of the explained signal through an element, in tenths: of two explanations, the main path."""
        differences = self.compared.differences
        return round(10 * sum(self.shares(differences[n].pair).get(element, 0.0) for n in explains) / len(explains))

    def _explains(self, code: str, element: Element, left: Sequence[int]) -> tuple[int, ...]:
        """Differences that a fault at an element would make; of levels, those that one change makes together."""
        differences = self.compared.differences
        shares = {number: self.shares(differences[number].pair).get(element, 0.0) for number in left}
        if code in (DELAY,):
            return _alike(left, shares, lambda number: differences[number].late_samples, LEAST_SHARE[code])
        if code != LEVEL:
            return tuple(number for number in left if shares[number] >= LEAST_SHARE[code])
        through = [number for number in left if shares[number] > 0.01]
        if not through:
            return ()
        changes = self._change({number: shares[number] for number in through})
        return tuple(
            number for number in through
            if _is_like(differences[number].change_db, changes, shares[number])
        )  # fmt: skip

    def _change(self, shares: Mapping[int, float]) -> float:
        """By how much a level has changed at an element, by the difference that shows most of it."""
        differences = self.compared.differences
        surest = max(shares, key=lambda number: (shares[number] > TOUCHED, abs(differences[number].change_db)))
        return change_at(differences[surest].change_db, shares[surest])

    def _against(self, code: str, element: Element, explains: Collection[int]) -> int:
        """Pairs that are as mapped although a fault at an element would show in them."""
        differences = self.compared.differences
        if code == LEVEL:
            shares = {number: self.shares(differences[number].pair).get(element, 0.0) for number in explains}
            # In one channel a path may exceed the sum of all, so its change is smaller than it seems.
            told = [change_at(differences[number].change_db, share) for number, share in shares.items()]
            changes = (max if max(shares.values()) > MAIN else min)(told, key=abs)

            def shows(pair: Pair, share: float) -> bool:
                return abs(change_seen(changes, share)) > NOTICED_DB

        else:
            blind = self.compared.blind.get(code, frozenset())

            def shows(pair: Pair, share: float) -> bool:
                return share > TOUCHED and pair not in blind

        return sum(1 for pair in self.compared.as_mapped if shows(pair, self.shares(pair).get(element, 0.0)))

    def _without_consequences(self, found: list[LocatedFault]) -> list[LocatedFault]:
        """A fault on one of several paths of a source changes their sum: such differences belong to its issue."""
        left = sorted(found, key=lambda one: -len(one.differences))
        kept: list[LocatedFault] = []
        for one in left:
            cause = next((more for more in kept if self._follows(one, more)), None)
            if cause is None:
                kept.append(one)
            else:
                numbers = tuple(sorted((*cause.differences, *one.differences)))
                kept[kept.index(cause)] = LocatedFault(numbers, cause.suspects)
        return sorted(kept, key=lambda one: one.differences[0])

    def _follows(self, one: LocatedFault, cause: LocatedFault) -> bool:
        differences = self.compared.differences
        if any(differences[number].code in (MISSING, UNEXPECTED) for number in one.differences):
            return False
        return all(
            any(
                element.id == cause.suspects[0] and SOME_SHARE < share < 1 - SOME_SHARE
                for element, share in self.shares(differences[number].pair).items()
            )
            for number in one.differences
        )

    # unexpected signal

    def _unexpected(self, left: Sequence[int]) -> list[LocatedFault]:
        """A source in prints without a mapped path: the element that should block it, or else its possible entry.

        Where it is louder in other prints, that is part of the same.
        """
        differences = self.compared.differences
        by_origin: dict[Origin, list[int]] = {}
        for number in left:
            by_origin.setdefault(differences[number].pair.origin, []).append(number)
        found = []
        for origin, numbers in by_origin.items():
            louder = [
                number for number, one in enumerate(differences)
                if one.pair.origin == origin and one.code == LEVEL and one.change_db > 0
            ]  # fmt: skip
            prints, more = (
                {self.prints[differences[number].pair.stem] for number in some} for some in (numbers, louder)
            )
            named = [
                *self._kept_out(origin.strip, prints), self.ways.graph.strips[origin.strip].id,
                *self._entered(origin, numbers, prints, prints | more),
            ]  # fmt: skip
            suspects = tuple(dict.fromkeys(named))[:MOST_SUSPECTS]
            found.append(LocatedFault(tuple(sorted((*numbers, *louder))), suspects))
        return found

    def _entered(self, origin: Origin, numbers: Sequence[int], prints: set[int], changed: set[int]) -> list[str]:
        """Its possible entry strips, the likeliest first.

        First the strips that lead to all affected prints, then those where a plain feed explains the level, then the
        nearest to the source.
        """
        graph, behind, rank = self.ways.graph, self.ways.prints_behind, self.ways.rank
        mine = behind[origin.strip] if origin.is_chain else frozenset()
        may = [
            strip for strip in rank
            if strip != origin.strip and graph.strips[strip].kind in FED and self.ways.analysis.unblocked.entered[strip]
            and prints <= behind[strip] <= changed | mine
        ]  # fmt: skip
        may.sort(
            key=lambda strip: (
                behind[strip] != changed,
                graph.strips[strip].kind == "audio",
                not all(self._would_bring(origin, strip, number) for number in numbers),
                rank[strip],
            )
        )
        return [graph.strips[strip].id for strip in may]

    def _would_bring(self, origin: Origin, strip: int, number: int) -> bool:
        """Return whether a feed at 0 dB into a strip explains the reading: as dry or wet, and as loud."""
        one = self.compared.differences[number]
        if one.is_wet is None or one.read_db is None:
            return True
        leaves, to = self.ways.forward(origin), self.prints[one.pair.stem]
        power = leaves.at[POST].get(origin.strip, 0.0) if origin.is_chain else leaves.outlet[origin.outlet]
        whole, dry = (power * self.ways.backward(to, dry=dry).at[IN].get(strip, 0.0) for dry in (False, True))
        if not whole:
            return True
        if one.is_wet != (dry < COHERENT * whole):
            return False
        return abs(10 * math.log10(whole if one.is_wet else dry) - one.read_db) <= ABOUT_DB

    def _kept_out(self, strip: int, prints: Collection[int]) -> list[str]:
        """Blocked routes of a source through which it would reach all of these prints."""
        graph: SignalGraph = self.ways.graph
        open_ = self.ways.analysis.unblocked.route_ok
        closed = [route for route in graph.outs[strip] if not open_[route] or graph.routes[route].gain_db is None]
        return [graph.routes[route].id for route in closed if set(prints) <= self.ways.prints_behind[graph.head[route]]]


def _nearest(element: Element) -> tuple[int, int, str]:
    """Nearest the source first; strips and routes before the inserts of the same place."""
    return (element.kind == 2, element.rank, element.id) if element.kind == 2 else (False, element.rank, element.id)


def _alike(
    left: Sequence[int], shares: Mapping[int, float], value: Callable[[int], int], least: float
) -> tuple[int, ...]:
    """Of the differences that an element has a share in, those with the most common value."""
    through = [number for number in left if shares[number] >= least]
    values = [value(number) for number in through]
    if not values:
        return ()
    common = max(values, key=lambda one: (values.count(one), -abs(one)))
    return tuple(number for number, one in zip(through, values, strict=True) if one == common)


def change_at(seen_db: float, share: float) -> float:
    """The change of level at an element, dB, if this change of a share is seen; at most a mute."""
    power = 1 + (gain(seen_db) ** 2 - 1) / share
    return 10 * math.log10(max(power, SWITCHED_OFF))


def change_seen(change_db: float, share: float) -> float:
    """The visible change, dB, if an element of a share changes."""
    return 10 * math.log10(max(1 - share + share * gain(change_db) ** 2, 1e-12))


def _is_like(seen_db: float, change_db: float, share: float) -> bool:
    """Return whether a change at an element explains a difference.

    As large, or less if dynamics after it reduce it. On one of several paths it may be up to the whole change, since
    its share differs by channel.
    """
    told_db = change_seen(change_db, share)
    if seen_db * told_db <= 0:
        return False
    if share <= MAIN:
        return abs(seen_db) <= abs(change_db) + NOTICED_DB
    return LESS * abs(told_db) - NOTICED_DB <= abs(seen_db) <= abs(told_db) + NOTICED_DB


def _merged(found: Sequence[LocatedFault]) -> list[LocatedFault]:
    """Merge issues if the likeliest suspect of one is also a suspect of the other."""
    kept: list[LocatedFault] = []
    for one in found:
        known = next((more for more in kept if _is_same(one, more)), None)
        if known is None:
            kept.append(one)
            continue
        numbers = tuple(sorted({*known.differences, *one.differences}))
        both = [suspect for suspect in known.suspects if suspect in one.suspects]
        suspects = tuple(dict.fromkeys((*both, *known.suspects)))
        kept[kept.index(known)] = LocatedFault(numbers, suspects)
    return sorted(kept, key=lambda one: one.differences[0])


def _is_same(one: LocatedFault, other: LocatedFault) -> bool:
    return one.suspects[0] in other.suspects[:3] or other.suspects[0] in one.suspects[:3]
