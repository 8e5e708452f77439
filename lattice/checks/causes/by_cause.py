"""Same cause within a code: the ids that have to change for a finding to go (docs/reference/causes.md, *An issue*).

A check that knows the cause states it in the finding. Causes common to several findings of a code (the route on all
their paths) are found here, by the groupings of `shared_routes.py`. Otherwise the family of the code decides.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from lattice.analysis import Analysis
from lattice.checks.causes import late, shared_routes
from lattice.checks.causes.shared_routes import Cause, Group, grouped
from lattice.checks.finding import Finding
from lattice.checks.registry import ISSUES
from lattice.model.document import machine_id


def _insert(_analysis: Analysis, finding: Finding) -> Cause:
    return finding.inserts[:1]


def _machine(analysis: Analysis, finding: Finding) -> Cause:
    first = finding.strips[0] if finding.strips else None
    strip = analysis.graph.index.get(first or "")
    return finding.others[:1] if strip is None else (machine_id(analysis.template, analysis.strip(strip)),)


def _section(analysis: Analysis, finding: Finding) -> Cause:
    strip = analysis.graph.index.get(finding.strips[0] if finding.strips else "")
    return finding.sections[:1] or (() if strip is None else (analysis.strip(strip).section or "",))


# By code or family. Codes without a row have the first subject of the finding as cause.
BY_FAMILY: dict[str, Callable[[Analysis, Finding], Cause]] = {
    "key": _insert,
    "io": _machine,
    "tie": _machine,
    "name": _section,
    "section.colour": _section,
    "time.misaligned": late.at_strip,
    "time.key-late": late.key_late,
    "time.prints-skewed": late.at_strip,
}
TOGETHER: dict[str, Callable[[Analysis, Sequence[Finding]], list[Group]]] = {
    "stem.missing": shared_routes.past_the_taps,
    "stem.bypassed": shared_routes.past_the_taps,
    "stem.twice": shared_routes.fed_twice,
    "stem.nested": shared_routes.nested,
    "stem.forbidden": shared_routes.last_shared,
    "route.trigger-heard": shared_routes.last_shared,
    "rule.broken": shared_routes.last_shared,
}


def cause_of(analysis: Analysis, finding: Finding) -> Cause:
    """The ids that have to change to resolve one finding alone.

    Parameters
    ----------
    analysis
        The analysis it was found on.
    finding
        The finding.

    Returns
    -------
    tuple of str
        Never empty: where nothing better is known, the first thing it is about, else its code.
    """
    if finding.issue:
        return (finding.issue,)
    if finding.cause:
        return finding.cause
    family = finding.code.partition(".")[0]
    by_family = BY_FAMILY.get(finding.code) or BY_FAMILY.get(family)
    found = by_family(analysis, finding) if by_family else ()
    return found or _first(finding)


def _first(finding: Finding) -> Cause:
    groups = (finding.strips, finding.routes, finding.inserts, finding.stems, finding.sections, finding.others)
    return next((group[:1] for group in groups if group), (finding.code,))


def by_cause(analysis: Analysis, findings: Iterable[Finding]) -> list[tuple[str, Cause, list[Finding]]]:
    """Findings by code and cause.

    Parameters
    ----------
    analysis
        The analysis they were found on.
    findings
        Findings in the order of an audit.

    Returns
    -------
    list of (code, cause, findings)
        In the order of the first finding of each; every finding is in exactly one.
    """
    of_code: dict[str, list[Finding]] = {}
    of_issue: dict[str, list[Finding]] = {}
    place: dict[int, int] = {}
    for finding in findings:
        place[id(finding)] = len(place)
        (of_issue.setdefault(finding.issue, []) if finding.issue else of_code.setdefault(finding.code, [])).append(
            finding
        )
    groups: list[tuple[str, Cause, list[Finding]]] = []
    for issue, ones in of_issue.items():
        groups.append((ISSUES[issue.partition(":")[0]].code, (issue,), ones))
    for code, ones in of_code.items():
        together = TOGETHER.get(code)
        found = together(analysis, ones) if together else grouped(ones, lambda one: cause_of(analysis, one))
        groups += [(code, cause, group) for cause, group in found]
    return sorted(groups, key=lambda group: place[id(group[2][0])])
