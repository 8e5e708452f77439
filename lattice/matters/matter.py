"""A matter: one mistake with everything that follows from it (docs/reference/causes.md)."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

import msgspec

from lattice.analysis import Analysis
from lattice.checks.audit import Audit
from lattice.checks.causes import Cause, by_cause
from lattice.checks.finding import SEVERITIES, STANDINGS, Finding, Remedy, Severity, Standing
from lattice.checks.registry import EXPLANATIONS
from lattice.checks.waivers import pattern_of
from lattice.matters.combined import Together
from lattice.matters.consequences import Hung, find_consequences
from lattice.matters.words import Words


class Matter(msgspec.Struct, frozen=True, kw_only=True):
    """Findings of one code and cause, and those that would go with them.

    Attributes
    ----------
    code, cause
        The code of its own findings, and the ids that have to change for them to go.
    message
        One finding: its own sentence; several: a plural that names the cause.
    standing
        Wrong, unfinished or assumed: that of its own findings.
    own, consequences
        Its own findings in the order of the audit, and findings of other causes that its fix resolves too.
    remedies
        Its fixes, causes before symptoms (`checks.fix_kinds`).
    """

    code: str
    cause: Cause
    message: str
    standing: Standing
    own: tuple[Finding, ...]
    consequences: tuple[Finding, ...] = ()
    remedies: tuple[Remedy, ...] = ()

    @property
    def findings(self) -> tuple[Finding, ...]:
        """All of its findings, its own first."""
        return self.own + self.consequences

    @property
    def severity(self) -> Severity:
        """That of its worst finding."""
        return min((finding.severity for finding in self.findings), key=SEVERITIES.index)

    @property
    def decide(self) -> str:
        """Why only a person can decide, where no fix is offered; empty where one is, and for notes without it."""
        return "" if self.remedies else EXPLANATIONS[self.code].decide if self.code in EXPLANATIONS else ""

    @property
    def place(self) -> str:
        """The page where that is decided."""
        return EXPLANATIONS[self.code].place if self.code in EXPLANATIONS else ""

    @property
    def fingerprint(self) -> str:
        """The same as long as the code and the cause are."""
        return fingerprint_of(self.code, self.cause)

    @property
    def pattern(self) -> str:
        """The subject of a waiver of the whole issue."""
        return pattern_of(self.code, self.cause)

    def as_json(self) -> dict[str, Any]:
        """The form of `audit --json` (docs/reference/causes.md)."""
        return {
            "fingerprint": self.fingerprint,
            "severity": self.severity,
            "standing": self.standing,
            "code": self.code,
            "message": self.message,
            "findings": [finding.fingerprint for finding in self.findings],
            "cause": list(self.cause),
            "pattern": self.pattern,
            "remedies": [remedy.label for remedy in self.remedies],
            "fixes": [remedy.as_json() for remedy in self.remedies],
            "decide": self.decide,
        }


def fingerprint_of(code: str, cause: Cause) -> str:
    """Sixteen hexadecimal digits for a code and a cause."""
    import hashlib  # noqa: PLC0415 - a clean audit needs none, and starts sooner without it

    return hashlib.sha256("\n".join(["matter", code, *cause]).encode()).hexdigest()[:16]


def matters_of(analysis: Analysis, audit: Audit, *, hang: bool = True) -> tuple[Matter, ...]:
    """The matters of an audit: every open finding is in exactly one.

    Parameters
    ----------
    analysis
        The analysis that was audited.
    audit
        Its audit.
    hang
        Whether to find consequences across codes by trying fixes: limited work, but more than an audit's.

    Returns
    -------
    tuple of Matter
        Blockers first, then by standing, then worst first, then in the order of their first findings. The same document
        gives the same matters.
    """
    groups = by_cause(analysis, (finding for finding in audit.findings if not finding.waived))
    together = Together(analysis)
    remedies = [together.remedies(code, cause, ones) for code, cause, ones in groups]
    hung: Hung = find_consequences(analysis, groups, remedies) if hang else {}
    under: dict[int, list[Finding]] = defaultdict(list)
    for *_, ones in groups:
        for one in ones:
            if id(one) in hung:
                under[hung[id(one)]].append(one)
    words, matters = Words(analysis), []
    for at, (code, cause, ones) in enumerate(groups):
        own = [one for one in ones if id(one) not in hung]
        if own:
            matters.append(
                Matter(
                    code=code,
                    cause=cause,
                    message=words.sentence(code, cause, own),
                    standing=own[0].standing,
                    own=tuple(own),
                    consequences=tuple(under[at]),
                    remedies=remedies[at] if len(own) == len(ones) else together.remedies(code, cause, own),
                )
            )
    place = {id(finding): at for at, finding in enumerate(audit.findings)}
    return tuple(sorted(matters, key=lambda matter: (*rank_of(matter), place[id(matter.own[0])])))


def group_of(matter: Matter) -> str:
    """Its group in lists: blockers whatever their standing, else its standing."""
    return "blocker" if matter.severity == "blocker" else matter.standing


def rank_of(matter: Matter) -> tuple[bool, int, int]:
    """The order of issues: blockers whatever their standing, then wrong, unfinished, assumed, worst first."""
    severity = matter.severity
    return severity != "blocker", STANDINGS.index(matter.standing), SEVERITIES.index(severity)
