"""Inserts: add, change, move, remove."""

from __future__ import annotations

from django.http import QueryDict

from lattice.errors import EditError
from lattice.model.document import Insert, Strip, Template
from lattice.model.edit_step import EditStep
from web.editor.fields import INSERT_FIELDS, changes_of, named, one, whole, words_of
from web.editor.writers.common import Written


def _insert(data: QueryDict, template: Template) -> tuple[Strip, Insert]:
    wanted = one(data, "insert")
    found = [(strip, insert) for strip in template.strips for insert in strip.inserts if insert.id == wanted]
    if not found:
        raise EditError(f"there is no insert {wanted}; it may have been removed")
    return found[0]


def add_insert(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    insert = changes_of(data, {field: INSERT_FIELDS[field] for field in ("type", "name")}, template)
    return f"{strip.name}: insert {insert.get('type', '')}", [
        EditStep("add_insert", {"strip": strip.id, "insert": insert})
    ]


def change_insert(data: QueryDict, template: Template) -> Written:
    strip, insert = _insert(data, template)
    changes = changes_of(data, INSERT_FIELDS, template)
    label = f"{strip.name}, {insert.name or insert.id}: {words_of(changes)}"
    return label, [EditStep("change_insert", {"insert": insert.id, "changes": changes})]


def move_insert(data: QueryDict, template: Template) -> Written:
    """One place up or down, or to the place `to` (from 0) that a drag ended at."""
    strip, insert = _insert(data, template)
    at = strip.inserts.index(insert)
    to = (
        changes_of(data, {"to": whole}, template)["to"]
        if "to" in data
        else at + (-1 if data.get("where") == "up" else 1)
    )
    if not 0 <= to < len(strip.inserts):
        raise EditError(f"{insert.name or insert.id} is at the end of its chain already")
    return f"{strip.name}: move {insert.name or insert.id}", [EditStep("move_insert", {"insert": insert.id, "to": to})]


def remove_insert(data: QueryDict, template: Template) -> Written:
    strip, insert = _insert(data, template)
    return f"{strip.name}: remove {insert.name or insert.id}", [EditStep("remove_inserts", {"inserts": [insert.id]})]
