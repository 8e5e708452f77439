"""Stems, rules and waivers from forms."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from django.http import QueryDict

from lattice.errors import EditError
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from web.editor.fields import RULE_FIELDS, STEM_FIELDS, changes_of, one
from web.editor.writers.common import Written, changed_piece, removed_piece


def add_stem(data: QueryDict, template: Template) -> Written:
    stem = changes_of(data, STEM_FIELDS, template)
    return f"Add {stem.get('role', 'stem')} {stem.get('name', '')}", [EditStep("add_stem", {"stem": stem})]


def change_stem(data: QueryDict, template: Template) -> Written:
    return changed_piece(data, template, "stem", STEM_FIELDS)


def remove_stem(data: QueryDict, template: Template) -> Written:
    return removed_piece(data, template, "stem", "Remove")


def add_rule(data: QueryDict, template: Template) -> Written:
    """A rule as the sentence form says it: who, but not whom, the promise, through what, to what."""
    fields: dict[str, Any] = changes_of(data, RULE_FIELDS, template)
    if data.get("but_not"):
        fields["sources"] = [*fields.get("sources", []), f"!{data['but_not']}"]
    fields["name"] = fields.get("name") or "Promise"
    return f"Rule: {fields['name']}", [EditStep("add_rule", {"rule": fields})]


def change_rule(data: QueryDict, template: Template) -> Written:
    return changed_piece(data, template, "rule", RULE_FIELDS)


def remove_rule(data: QueryDict, template: Template) -> Written:
    return removed_piece(data, template, "rule", "Remove rule")


def waive(data: QueryDict, _template: Template) -> Written:
    """A finding is meant so: why, and who says it."""
    reason, by = data.get("reason", "").strip(), data.get("by", "").strip()
    if not reason or not by:
        raise EditError("a waiver needs its reason and a name")
    waiver = {"fingerprint": one(data, "fingerprint"), "reason": reason, "by": by, "on": _today()}
    return f"Waive: {data.get('message', '') or reason}", [EditStep("add_waivers", {"waivers": [waiver]})]


def unwaive(data: QueryDict, _template: Template) -> Written:
    return "Take a waiver back", [EditStep("remove_waivers", {"fingerprints": [one(data, "fingerprint")]})]


def _today() -> str:
    return datetime.now(UTC).date().isoformat()
