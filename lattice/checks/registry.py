"""The list of checks. A check is a function that yields findings; its codes are named where it is registered."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding

CheckFunction = Callable[[Analysis], Iterator[Finding]]

CHECKS: list[tuple[tuple[str, ...], CheckFunction]] = []


def check(*codes: str) -> Callable[[CheckFunction], CheckFunction]:
    """Registers a check.

    Parameters
    ----------
    *codes
        Codes of the findings it may give; findings are reported in the order of registration, and of the codes.

    Notes
    -----
    A check is a function of an Analysis that yields findings. It asks the analysis for what it needs, yields in the
    order of the document, and reads nothing else: the same template gives the same findings. What it looks for and how
    it decides is written in checks.md under its code.
    """

    def register(function: CheckFunction) -> CheckFunction:
        CHECKS.append((codes, function))
        return function

    return register


def code_order() -> dict[str, int]:
    """Code → its place in the order of reports."""
    codes = [code for codes, _function in CHECKS for code in codes]
    return {code: position for position, code in enumerate(codes)}
