"""The audit: every check over one template, waivers applied, in one order."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

# Importing a module registers its checks; this is their order in a report.
from lattice.checks import (  # noqa: F401
    ceilings,
    channels,
    clocks,
    continuity,
    double_path,
    headroom,
    hygiene,
    idle,
    io,
    keys,
    latency,
    loops,
    machines,
    midi,
    misaligned,
    outlets,
    overs,
    parts,
    prints,
    returns,
    rules,
    stem_dynamics,
    stems,
    stray,
    triggers,
)
from lattice.checks.finding import SEVERITIES, Finding
from lattice.checks.registry import CHECKS, code_order
from lattice.checks.scene import Scene
from lattice.checks.waivers import STALE, with_waivers
from lattice.collecting import collecting_later
from lattice.model.document import Template
from lattice.model.inventory import Inventory


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
        """Whether an open finding is of this severity or worse."""
        worse = SEVERITIES[: SEVERITIES.index(severity) + 1]
        return any(self.summary[level] for level in worse)


def audit(template: Template, inventory: Inventory | None = None) -> Audit:
    """All findings of a template, with those about a machine's inventory where one is given.

    The same document gives the same findings in the same order.
    """
    with collecting_later():
        return audit_scene(Scene(template, inventory))


def audit_scene(scene: Scene) -> Audit:
    """The audit of a template whose sweeps are wanted for other things as well."""
    order, place = {**code_order(), STALE: len(CHECKS) + 1000}, scene.compiled.index
    found = list(with_waivers(scene.template, (finding for _codes, function in CHECKS for finding in function(scene))))

    def rank(finding: Finding) -> tuple[int, int, int]:
        first = place.get(finding.strips[0], 0) if finding.strips else -1
        return SEVERITIES.index(finding.severity), order[finding.code], first

    found.sort(key=rank)
    return Audit(tuple(found))
