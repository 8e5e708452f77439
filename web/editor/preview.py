"""The preview of an edit, signed until it is applied."""

from __future__ import annotations

from typing import Any

from django.core import signing

from lattice.analysis import Analysis
from lattice.changes.compare import compare
from lattice.checks import Finding, audit_of
from lattice.edits import apply_steps
from lattice.errors import EditError
from lattice.gain_staging.bus_effect import WayChange, bus_effect
from lattice.matters.effect import level_changes
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from lattice.model.names import sparing
from web.editor.differences import names_of, said
from web.editor.what_if import only_in
from web.shelf.spent import SpentIds
from web.shelf.workspace import Workspace

SALT = "web.editor.preview"
GOOD_FOR_S = 24 * 3600
Holder = list[int]  # the user, template and version of a preview: it is valid for nothing else


class Preview:
    """The changes of an edit: differences, and findings that it adds and resolves."""

    def __init__(self, space: Workspace, holder: Holder, label: str, step: EditStep) -> None:
        self.label = label
        with sparing(SpentIds(holder[1])):
            after = apply_steps(space.template, [step])
        analysis = Analysis(after, before=space.analysis)
        names = names_of(space.template) | names_of(after)
        self.changes: list[str] = [said(change, names) for change in compare(space.template, after)]
        now, then = space.audit.findings, audit_of(analysis).findings
        self.going: list[Finding] = only_in(now, then)
        self.coming: list[Finding] = only_in(then, now)
        self.ways = _ways(space.template, after, step)
        self.levels = level_changes(space.analysis, analysis)
        self.signed = signing.dumps([label, step.edit, step.arguments, holder], salt=SALT, compress=True)


def _ways(before: Template, after: Template, step: EditStep) -> list[tuple[str, str, WayChange]]:
    """The effect of a bus inserted or dissolved on level and latency, path by path, with the names of both ends."""
    if step.edit not in ("insert_bus", "dissolve_bus"):
        return []
    new = {strip.id for strip in after.strips} - {strip.id for strip in before.strips}
    bus = step.arguments["bus"] if step.edit == "dissolve_bus" else new.pop()
    names = {strip.id: strip.name for strip in before.strips}
    return [(names[way.start], names[way.end], way) for way in bus_effect(before, after, bus)]


def planned(signed: str, holder: Holder) -> tuple[str, EditStep]:
    """The edit of a preview. Raises EditError if it was changed or is another user's."""
    label: Any = ""
    try:
        label, edit, arguments, shown_to = signing.loads(signed, salt=SALT, max_age=GOOD_FOR_S)
    except (signing.BadSignature, ValueError):
        shown_to = None
    if shown_to != holder:
        raise EditError("this preview has expired; choose the edit again")
    return label, EditStep(edit, arguments)
