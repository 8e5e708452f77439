"""The audit: every check over one template, waivers applied, in one order."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from time import perf_counter

from lattice.analysis import Analysis, OutOfTimeError

# Importing a module registers its checks; this is their order in a report.
from lattice.checks import (  # noqa: F401
    ceilings,
    channels,
    clipping,
    clocks,
    continuity,
    double_path,
    gates,
    headroom,
    hygiene,
    idle,
    io,
    keys,
    latency,
    leaking,
    loops,
    machines,
    midi,
    misaligned,
    outlets,
    parts,
    patterns,
    plugin_latency,
    prints,
    recorded,
    references,
    returns,
    rules,
    self_ducking,
    stem_dynamics,
    stems,
    stray,
    triggers,
    unfed_keys,
)
from lattice.checks.finding import SEVERITIES, Finding
from lattice.checks.private import keep_private
from lattice.checks.registry import CHECKS, code_order
from lattice.checks.waivers import STALE, UNFINISHED, with_waivers
from lattice.gc_paused import gc_paused
from lattice.model.document import Template
from lattice.model.inventory import Inventory

BUDGET_S = 10.0  # of one audit: a template of any shape leaves time for others


@dataclass(frozen=True)
class Audit:
    """Findings, worst first, then in the order of the checks and of the document."""

    findings: tuple[Finding, ...]

    @property
    def summary(self) -> dict[str, int]:
        """How many findings are open by severity, and how many are waived."""
        counts = Counter(finding.severity for finding in self.findings if not finding.waived)
        waived = sum(finding.waived for finding in self.findings)
        return {**{severity: counts[severity] for severity in SEVERITIES}, "waived": waived}

    def at_least(self, severity: str) -> bool:
        """Return whether an open finding is of this severity or worse."""
        worse = SEVERITIES[: SEVERITIES.index(severity) + 1]
        return any(self.summary[level] for level in worse)


def audit(template: Template, inventory: Inventory | None = None) -> Audit:
    """Audit a template.

    Parameters
    ----------
    template
        A validated template.
    inventory
        Plug-ins and channels of a machine, for the checks of families `plugin` and `io`.

    Returns
    -------
    Audit
        `findings`, worst first, and `summary`, their number by severity. The same template gives the same findings.

    Examples
    --------
    >>> import lattice
    >>> template = lattice.load({"name": "Demo", "strips": [{"id": "kick", "name": "Kick", "kind": "audio"}]})
    >>> [(finding.severity, finding.message) for finding in lattice.audit(template).findings]
    [('blocker', 'Kick reaches no output, print or stem')]
    """
    with gc_paused():
        return audit_of(Analysis(template, inventory))


def audit_of(analysis: Analysis, budget_s: float = BUDGET_S) -> Audit:
    """The audit of a template whose analysis is wanted for other things as well.

    Parameters
    ----------
    analysis
        The analysis, with the cached results of the checks.
    budget_s
        Seconds of work after which the audit ends at the next finding, source or pair. The checks that are not done by
        then are named in one finding, `audit.unfinished`.
    """
    analysis.ends_at = perf_counter() + budget_s
    order = {**code_order(), UNFINISHED: len(CHECKS) + 999, STALE: len(CHECKS) + 1000}
    place = analysis.graph.index
    try:
        findings = keep_private(analysis, with_waivers(analysis, _in_time(analysis)))
    finally:
        analysis.ends_at = math.inf  # later calls are outside this audit

    def rank(finding: Finding) -> tuple[int, int, int]:
        first = place.get(finding.strips[0], 0) if finding.strips else -1
        return SEVERITIES.index(finding.severity), order[finding.code], first

    findings.sort(key=rank)
    return Audit(tuple(findings))


def findings_of(analysis: Analysis, codes: Collection[str]) -> list[Finding]:
    """The findings of some codes, waived or not, in the order of the checks.

    Parameters
    ----------
    analysis
        The analysis of the template.
    codes
        Codes of checks. Only those are run, which costs a part of an audit.
    """
    with gc_paused():
        found = (
            finding
            for its, function in CHECKS
            if not set(its).isdisjoint(codes)
            for finding in function(analysis)
            if finding.code in codes
        )
        return keep_private(analysis, found)


def _in_time(analysis: Analysis) -> Iterator[Finding]:
    """Findings until the time is up, then a note of the checks left out."""
    unfinished: list[str] = []
    for codes, function in CHECKS:
        try:
            analysis.keep_time()
            for finding in function(analysis):
                yield finding
                analysis.keep_time()
        except (OutOfTimeError, OverflowError):  # no time left, or gains typed beyond all numbers
            unfinished += codes
    if unfinished:
        yield Finding(
            code=UNFINISHED,
            severity="warning",
            message=f"Audit timed out: {len(unfinished)} checks incomplete",
            evidence=(f"incomplete: {', '.join(unfinished)}",),
        )
