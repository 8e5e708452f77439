"""The list of checks. A check is a function that yields findings; its codes are named where it is registered."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from lattice.analysis import Analysis
from lattice.checks.finding import Finding

CheckFunction = Callable[[Analysis], Iterator[Finding]]

CHECKS: list[tuple[tuple[str, ...], CheckFunction]] = []


@dataclass(frozen=True)
class Explanation:
    """The explanation of a code, in whole sentences; `many` is a sentence for several findings of one cause."""

    code: str
    many: str
    found: str
    why: str  # it matters on the job
    how: str  # it is computed, with its source
    fix: str  # the usual fix


EXPLANATIONS: dict[str, Explanation] = {}


def explain(code: str, *, many: str, found: str, why: str, how: str, fix: str) -> None:
    """Register the explanation of a code, beside its check.

    Parameters
    ----------
    code
        Of the findings it is about.
    many
        A sentence for several findings of one cause, without its full stop. `{n}` is how many, `{place}` the strip they
        are at.
    found, why, how, fix
        The finding, its consequence on the job, its computation with the source, its usual fix.
    """
    EXPLANATIONS[code] = Explanation(code, many, found, why, how, fix)


def check(*codes: str) -> Callable[[CheckFunction], CheckFunction]:
    """Registers a check.

    Parameters
    ----------
    *codes
        Codes of the findings it may give; findings are reported in the order of registration, and of the codes.

    Notes
    -----
    A check is a function of an Analysis that yields findings in the order of the document. It reads nothing but the
    analysis: the same template gives the same findings. Its definition is in docs/reference/checks.md under its code.
    """

    def register(function: CheckFunction) -> CheckFunction:
        CHECKS.append((codes, function))
        return function

    return register


def code_order() -> dict[str, int]:
    """Code → its place in the order of reports."""
    codes = [code for codes, _function in CHECKS for code in codes]
    return {code: position for position, code in enumerate(codes)}
