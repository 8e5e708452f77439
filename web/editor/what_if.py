"""What if: the template with something changed, computed and not stored."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lattice.analysis import Analysis
from lattice.checks import Finding, audit_of
from lattice.edits import apply_steps
from lattice.edits.awake import awake
from lattice.levels.chain import likely_db
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from web.shelf.workspace import Workspace

SHOWN = 8


def without_insert(template: Template, insert: str) -> Analysis:
    """The template with one insert unloaded: its latency is gone, its place is kept."""
    step = EditStep("change_insert", {"insert": insert, "changes": {"state": "unloaded"}})
    return Analysis(apply_steps(template, [step]))


@dataclass(frozen=True)
class LevelChange:
    """The likely peak at an endpoint or sum, dBFS, as it is and as it would be."""

    name: str
    now: float
    then: float

    @property
    def change(self) -> float:
        return self.then - self.now


LEAST_DB = 0.05


def level_changes(before: Analysis, after: Analysis) -> list[LevelChange]:
    """Endpoints and sums whose likely peak would change, outputs and prints first."""
    then = {strip.id: strip_number for strip_number, strip in enumerate(after.graph.strips)}
    changes = []
    kinds = ("output", "print", "master", "bus", "return")
    for kind in kinds:
        for strip_number in before.graph.by_kind[kind]:
            strip = before.graph.strips[strip_number]
            other = then.get(strip.id)
            if other is None:
                continue
            levels = _likely(before, strip_number), _likely(after, other)
            if levels[0] == levels[1] or abs(levels[1] - levels[0]) < LEAST_DB:
                continue
            changes.append(LevelChange(strip.name, *levels))
    return changes


def _likely(analysis: Analysis, number: int) -> float:
    stage = analysis.levels.at_end(number)
    return likely_db(stage) if stage is not None else float("-inf")


def only_in(these: Sequence[Finding], others: Sequence[Finding]) -> list[Finding]:
    """What is said here alone; the same sentence about another strip on the way is no news."""
    marks = {finding.fingerprint for finding in others}
    said = {(finding.code, finding.message) for finding in others}
    return [f for f in these if f.fingerprint not in marks and (f.code, f.message) not in said]


def awake_beside(space: Workspace) -> dict[str, Any]:
    """The audit with every sleeping insert on, beside the audit as it stands: what differs."""
    sleeping = [
        f"{insert.name or insert.type} on {strip.name}"
        for strip in space.template.strips
        for insert in strip.inserts
        if insert.state != "on"
    ]
    if not sleeping:
        return {"count": 0}
    analysis = Analysis(awake(space.template))
    now, then = space.audit.findings, audit_of(analysis).findings
    more = f" and {len(sleeping) - SHOWN} more" if len(sleeping) > SHOWN else ""
    return {
        "count": len(sleeping),
        "names": ", ".join(sleeping[:SHOWN]) + more,
        "going": only_in(now, then),
        "coming": only_in(then, now),
        "levels": level_changes(space.analysis, analysis),
        "total_now": space.analysis.arrivals.total_samples or 0,
        "total_then": analysis.arrivals.total_samples or 0,
    }
