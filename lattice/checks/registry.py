"""The list of checks. A check is a function that yields findings; its codes are named where it is registered."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding

CheckFunction = Callable[[Analysis], Iterator[Finding]]

CHECKS: list[tuple[tuple[str, ...], CheckFunction]] = []


def check(*codes: str) -> Callable[[CheckFunction], CheckFunction]:
    """Registers a function as the check of `codes`. Findings are reported in order of registration."""

    def register(function: CheckFunction) -> CheckFunction:
        CHECKS.append((codes, function))
        return function

    return register


def code_order() -> dict[str, int]:
    codes = [code for codes, _function in CHECKS for code in codes]
    return {code: position for position, code in enumerate(codes)}
