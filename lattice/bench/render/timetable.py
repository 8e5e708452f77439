"""When sources play next, so that a long run in which little sounds at a time is gone through where something does."""

from __future__ import annotations

from collections.abc import Iterable
from heapq import heappop, heappush
from sys import maxsize

from lattice.bench.render.strips import Playing


class Timetable:
    """Sources by the sample from which each may sound next.

    Parameters
    ----------
    sources
        Numbers of sources, and their signals.
    """

    def __init__(self, sources: Iterable[tuple[int, Playing]]) -> None:
        self._sources = dict(sources)
        self._due: list[tuple[int, int]] = []  # (sample, number)
        for number in self._sources:
            self._comes_after(number, 0)

    @property
    def first(self) -> int:
        """The sample from which one may sound; beyond all samples if none does."""
        return self._due[0][0] if self._due else maxsize

    def playing_in(self, start: int, count: int) -> list[int]:
        """Sources that may sound in a block."""
        due = []
        while self.first < start + count:
            due.append(heappop(self._due)[1])
        for number in due:
            self._comes_after(number, start + count)
        return due

    def _comes_after(self, number: int, start: int) -> None:
        coming = self._sources[number].next_sound(start)
        if coming is not None:
            heappush(self._due, (coming, number))
