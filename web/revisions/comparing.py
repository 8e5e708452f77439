"""Two states of a template beside each other, in words and figures."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from typing import Any

from lattice.changes.apply_changes import key_of, may_be_taken
from lattice.changes.compare import Change, compare
from lattice.matters.effect import level_changes
from lattice.model.document import Template
from web.editor.differences import names_of, said
from web.editor.what_if import only_in
from web.shelf.workspace import Workspace

TURNED = {"added": "removed", "removed": "added"}
GROUPS = ("strip", "route", "section", "stem", "rule", "machine", "choice", "template")


@dataclass(frozen=True)
class Difference:
    """One line of a comparison; `key` names the reverse change, to apply the earlier value."""

    change: Change
    key: str
    words: str
    may_be_taken: bool


def comparison(before: Workspace, after: Workspace) -> dict[str, Any]:
    """The changes between two versions, by subject; levels, latency, findings added and resolved."""
    groups = _differences(before.template, after.template)
    strips = {one.change.id for one in groups["strip"]} & set(after.graph.index)
    now, then = before.audit.findings, after.audit.findings
    return {
        "groups": [(f"{what}s", groups[what]) for what in GROUPS if groups[what]],
        "count": sum(map(len, groups.values())),
        "changed_strips": " ".join(sorted(strips, key=after.graph.index.__getitem__)),
        "levels": level_changes(before.analysis, after.analysis),
        "latency": (before.analysis.arrivals.total_samples or 0, after.analysis.arrivals.total_samples or 0),
        "went": only_in(now, then),
        "came": only_in(then, now),
    }


def _differences(before: Template, after: Template) -> dict[str, list[Difference]]:
    """By subject."""
    groups: dict[str, list[Difference]] = defaultdict(list)
    names = names_of(before) | names_of(after)
    back = {key_of(change) for change in compare(after, before)}
    for change in compare(before, after):
        key = key_of(replace(change, change=TURNED.get(change.change, change.change)))
        groups[change.what].append(Difference(change, key, said(change, names), key in back and may_be_taken(change)))
    return groups


def figures_of(space: Workspace) -> dict[str, Any]:
    """The names that distinguish variants."""
    template = space.template
    inserts = [insert for strip in template.strips for insert in strip.inserts]
    memory = sum(strip.memory_mb or 0 for strip in template.strips)
    memory += sum(insert.memory_mb or 0 for insert in inserts if insert.state != "unloaded")
    return {
        "strips": len(template.strips),
        "routes": len(template.routes),
        "inserts": len(inserts),
        "awake": sum(insert.state == "on" for insert in inserts),
        "memory": memory,
        "latency": space.analysis.arrivals.total_samples,
        "summary": space.audit.summary,
    }
