"""Strips: change, remove, move, spread a list of names."""

from __future__ import annotations

from typing import Any

from django.http import QueryDict

from lattice.errors import EditError
from lattice.formats.document_json import to_plain
from lattice.model.document import USUAL_SOURCE, Outlet, Source, Strip, Template
from lattice.model.edit_step import EditStep
from web.editor.fields import STRIP_FIELDS, changes_of, db, named, one, words_of
from web.editor.writers.common import Written, changed_piece, removed_piece


def change_strip(data: QueryDict, template: Template) -> Written:
    return changed_piece(data, template, "strip", STRIP_FIELDS)


def remove_strip(data: QueryDict, template: Template) -> Written:
    return removed_piece(data, template, "strip", "Remove")


def move_strip(data: QueryDict, template: Template) -> Written:
    """One place up or down among the strips of its section."""
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    beside = [known.id for known in template.strips if known.section == strip.section]
    at = beside.index(strip.id)
    target = at - 1 if data.get("where") == "up" else at + 2
    if target < 0 or target > len(beside):
        raise EditError(f"{strip.name} is at the end of its section already")
    before = beside[target] if target < len(beside) else None
    return f"Move {strip.name}", [
        EditStep("move_strips", {"strips": [strip.id], "section": strip.section, "before": before})
    ]


def spread(data: QueryDict, template: Template) -> Written:
    """A list of names (one a line) to strips of a section, fed to its bus or to a strip by name."""
    names = [name for name in data.get("names", "").splitlines() if name.strip()]
    wanted = {field: STRIP_FIELDS[field] for field in ("kind", "layout", "section") if field in data}
    fields = {"kind": "audio", "section": None} | (changes_of(data, wanted, template) if wanted else {})
    if not names:
        raise EditError("there is no name in the list")
    feed = data.get("feed") or None
    if feed == "section":
        section = next((s for s in template.sections if s.id == fields["section"]), None)
        feed = section.bus if section else None
    if fields["kind"] == "midi":
        feed = None
    label = f"Add {names[0].strip()}" if len(names) == 1 else f"Add {len(names)} strips"
    return label, [EditStep("spread", {"names": names, "strip": fields, "feed": feed})]


def change_source(data: QueryDict, template: Template) -> Written:
    """The level a strip, or one of its outlets, plays at; off is a source that plays nothing."""
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    piece: Strip | Outlet = named(strip.outlets, data["outlet"], "outlet") if data.get("outlet") else strip
    said = changes_of(data, {"peak_dbfs": db, "rms_dbfs": db}, template)
    before = piece.source if isinstance(piece.source, Source) else USUAL_SOURCE
    source: Any = None if None in said.values() else {**to_plain(before), **said}
    label = f"{strip.name}: source {words_of(said)}"
    if piece is strip:
        return label, [EditStep("change_strip", {"strip": strip.id, "changes": {"source": source}})]
    return label, [EditStep("change_outlet", {"strip": strip.id, "outlet": piece.id, "changes": {"source": source}})]
