"""Waivers: which findings were decided on, and which decisions are about nothing any more."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks.causes import Cause, by_cause
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import explain
from lattice.model.edit_step import EditStep

UNFINISHED = "audit.unfinished"
STALE = "waiver.stale"  # looked for last, when all other findings are there


def pattern_of(code: str, cause: Cause) -> str:
    """The scope of a waiver of a whole issue: “route.double-path@r17”, including later findings of that cause."""
    return f"{code}@{' '.join(cause)}"


def with_waivers(analysis: Analysis, findings: Iterable[Finding]) -> Iterator[Finding]:
    """The findings, those that are waived marked so; then a note for each waiver that matches none of them.

    A waiver is about one finding by its fingerprint, or about all of one code and cause by their pattern.
    """
    template = analysis.template
    found = list(findings)
    waived = {waiver.fingerprint for waiver in template.waivers}
    by_pattern = _covered(analysis, found, {mark for mark in waived if "@" in mark})
    seen = set()
    is_whole = all(finding.code != UNFINISHED for finding in found)
    for finding in found:
        by = by_pattern.get(id(finding), "")
        if waived and not by and finding.fingerprint in waived:
            by = finding.fingerprint
        if by:
            seen.add(by)
        yield replace(finding, waived_by=by) if by else finding
    for waiver in template.waivers if is_whole else ():  # skipped checks may still have findings
        if waiver.fingerprint not in seen:
            said = f"“{waiver.reason}”" if waiver.reason else "no reason"
            by = " ".join(filter(None, (waiver.by, waiver.on)))
            yield Finding(
                code=STALE,
                severity="note",
                message=f"Waiver no longer applies: {waiver.reason or waiver.fingerprint}",
                others=(waiver.fingerprint,),
                evidence=(said, *([f"by {by}"] if by else [])),
                remedies=(
                    Remedy("Remove waiver", (EditStep("remove_waivers", {"fingerprints": [waiver.fingerprint]}),)),
                ),
            )


def _covered(analysis: Analysis, findings: Iterable[Finding], patterns: set[str]) -> dict[int, str]:
    """`id(finding)` → the pattern that covers it."""
    codes = {pattern.partition("@")[0] for pattern in patterns}
    groups = by_cause(analysis, (finding for finding in findings if finding.issue or finding.code in codes))
    return {
        id(finding): pattern
        for code, cause, ones in groups
        if (pattern := pattern_of(code, cause)) in patterns
        for finding in ones
    }


explain(
    UNFINISHED,
    many="{n} audits timed out",
    found="The audit reached its time limit before all checks were complete.",
    why="The incomplete checks may miss findings.",
    how="An audit has ten seconds. The incomplete checks are listed.",
    fix="Simplify dense clusters of routes. They take the most time.",
    decide="No fix exists for the time limit. Simplify dense clusters of routes, then audit again.",
    place="map",
)

explain(
    STALE,
    many="{n} waivers no longer apply",
    found="The finding of a waiver no longer exists.",
    why="Old waivers hide the important ones.",
    how="Every waiver is compared with the findings of this audit.",
    fix="Remove the waiver, or renew it for the current finding.",
)
