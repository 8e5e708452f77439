"""The list of checks. A check is a function that yields findings; its codes are named where it is registered."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy

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
    decide: str = ""  # why only a person can decide, where no fix is offered
    place: str = ""  # the page of the template where that is done


EXPLANATIONS: dict[str, Explanation] = {}


def explain(
    code: str, *, many: str, found: str, why: str, how: str, fix: str, decide: str = "", place: str = ""
) -> None:
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
    decide, place
        For findings without a fix: the reason why only a person can decide, and the page where that is done.
    """
    EXPLANATIONS[code] = Explanation(code, many, found, why, how, fix, decide, place)


@dataclass(frozen=True)
class IssueKind:
    """One issue for all findings of a kind, whatever their codes: its sentence and its fixes.

    A finding belongs to it by `Finding.issue`: the name of the kind, and behind a colon its subject, if there are
    several issues of the kind.
    """

    name: str
    code: str  # of the issue
    sentence: Callable[[Analysis, Sequence[Finding]], str]
    fixes: Callable[[Analysis, Sequence[Finding]], Iterable[Remedy]]


ISSUES: dict[str, IssueKind] = {}


def issue_kind(finding: Finding) -> IssueKind | None:
    """The kind of issue a finding belongs to with others; None where its code and cause decide."""
    return ISSUES[finding.issue.partition(":")[0]] if finding.issue else None


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
