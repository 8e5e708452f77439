"""Errors in input, as sentences for the user."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import islice


class Problem(str):
    """One thing wrong with the input: a place and a sentence, `strips[3].pan: 2 is above 1`."""

    __slots__ = ()

    @classmethod
    def at(cls, place: str, sentence: str) -> Problem:
        """A problem with its place in front; the sentence alone where there is no place."""
        return cls(f"{place}: {sentence}" if place else sentence)


MOST_PROBLEMS = 100  # created one by one
MOST_COUNTED = 10_000  # of the rest


def first_problems(problems: Iterable[str]) -> list[str]:
    """The first problems, and how many more there are.

    Parameters
    ----------
    problems
        Sentences, created one by one: only as many as are shown or counted.

    Returns
    -------
    list of str
        At most 100 problems; then, where there are more, one line with their number, counted up to 10,000.
    """
    every = iter(problems)
    found = list(islice(every, MOST_PROBLEMS))
    more = sum(1 for _problem in islice(every, MOST_COUNTED))
    if more == MOST_COUNTED:
        return [*found, f"and more than {more:,} more problems".replace(",", " ")]
    return [*found, *([f"and {more} more problem{'s' if more > 1 else ''}"] if more else [])]


MOST_SAID = 8  # in one refusal of an edit


def refusal(problems: Sequence[str]) -> list[str]:
    """The first problems of an edit that is refused, and how many more there are."""
    more = len(problems) - MOST_SAID
    return [*problems[:MOST_SAID], *([f"and {more} more"] if more > 0 else [])]


class DocumentError(Exception):
    """The input cannot be used; `problems` lists every reason found, each with its place."""

    def __init__(self, problems: Iterable[str]) -> None:
        self.problems: tuple[str, ...] = tuple(problems)
        super().__init__("; ".join(self.problems))


class EditError(DocumentError):
    """An edit cannot be made on this template; nothing was changed."""

    def __init__(self, *problems: str) -> None:
        super().__init__(problems)
