"""What-if: the template with a change, computed and not stored."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lattice.analysis import Analysis
from lattice.checks import Finding, audit_of
from lattice.edits import apply_steps
from lattice.edits.all_inserts import all_bypassed, all_on
from lattice.matters.effect import LevelChange, expected_changes, level_changes
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from web.shelf.workspace import Workspace

SHOWN = 8


def without_insert(template: Template, insert: str) -> Analysis:
    """The template with one insert unloaded: its latency is gone, its slot stays."""
    step = EditStep("change_insert", {"insert": insert, "changes": {"state": "unloaded"}})
    return Analysis(apply_steps(template, [step]))


def only_in(these: Sequence[Finding], others: Sequence[Finding]) -> list[Finding]:
    """Sentences of this page alone; the same sentence about another strip on the path is no news."""
    marks = {finding.fingerprint for finding in others}
    said = {(finding.code, finding.message) for finding in others}
    return [f for f in these if f.fingerprint not in marks and (f.code, f.message) not in said]


def _fair(change: LevelChange) -> str:
    """“Out 1–2: 2.3 dB quieter without, turn up by 2.3 dB to compare”."""
    off = f"{abs(change.change):.1f} dB"
    way, turn = ("quieter", "up") if change.change < 0 else ("louder", "down")
    return f"{change.name}: {off} {way} without. Turn {turn} by {off} to compare."


def beside(space: Workspace, *, is_awake: bool) -> dict[str, Any]:
    """The audit with every inactive insert on, or with all processing off, beside the current one: the differences."""
    sleeping = [
        f"{insert.title} on {strip.name}"
        for strip in space.template.strips
        for insert in strip.inserts
        if (insert.state != "on") == is_awake
    ]
    shared = {
        "words": "With all inserts on" if is_awake else "With all inserts bypassed",
        "none": "No insert is inactive." if is_awake else "No insert is active.",
        "then": "awake" if is_awake else "bare",
    }
    if not sleeping:
        return {"count": 0, **shared}
    analysis = Analysis((all_on if is_awake else all_bypassed)(space.template))
    now, then = space.audit.findings, audit_of(analysis).findings
    more = f" and {len(sleeping) - SHOWN} more" if len(sleeping) > SHOWN else ""
    return {
        **shared,
        "count": len(sleeping),
        "names": "; ".join(sleeping[:SHOWN]) + more,
        "going": only_in(now, then),
        "coming": only_in(then, now),
        "levels": level_changes(space.analysis, analysis),
        "fair": [] if is_awake else [_fair(one) for one in expected_changes(space.analysis, analysis)],
        "total_now": space.analysis.arrivals.total_samples or 0,
        "total_then": analysis.arrivals.total_samples or 0,
    }
