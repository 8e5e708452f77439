"""A preview of a template that is not stored yet: its map, and its findings."""

from __future__ import annotations

from typing import Any

from django.utils.safestring import mark_safe

from lattice.drawing import Slots, draw
from lattice.drawing.drawing import opens_folded
from lattice.drawing.svg import pieces
from lattice.model.document import Template
from web.editor.matters import marks, rows_of
from web.editor.what_if import only_in
from web.shelf.workspace import Workspace

MOST_MATTERS = 7


def pictured(template: Template, there: Workspace | None = None) -> dict[str, Any]:
    """The map of a template and its first matters; beside a state that is there, findings that come and that go."""
    space = there if there is not None and template is there.template else Workspace(template)
    sheet = draw(space.graph, space.feedback, opens_folded(space.graph), Slots())
    rows = rows_of(space, sheet)
    drawing = pieces(sheet, (), template.name, marks(sheet, rows))
    return {
        "template": template,
        "summary": space.audit.summary,
        "matters": rows[:MOST_MATTERS],
        "more_matters": max(len(rows) - MOST_MATTERS, 0),
        "coming": only_in(space.audit.findings, there.audit.findings) if there else (),
        "going": only_in(there.audit.findings, space.audit.findings) if there else (),
        "latency": space.analysis.arrivals.total_samples,
        "space": space,
        "svg": mark_safe(drawing.whole()),  # noqa: S308 - escaped where it is made
    }
