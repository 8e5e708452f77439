"""Sections, and the template's own fields."""

from __future__ import annotations

from django.http import QueryDict

from lattice.model.document import Section, Template
from lattice.model.edit_step import EditStep
from lattice.model.names import free_id, slug
from web.editor.fields import SECTION_FIELDS, TEMPLATE_FIELDS, changes_of, named, one, whole, words_of
from web.editor.writers.common import Written, changed_piece, removed_piece


def add_section(data: QueryDict, template: Template) -> Written:
    """A section, and a bus of its own where it is asked for."""
    section = changes_of(data, SECTION_FIELDS, template)
    steps = []
    if data.get("with_bus"):
        bus = free_id(slug(f"{section['name']} bus"), {strip.id for strip in template.strips})
        section_id = free_id(slug(section["name"]), {known.id for known in template.sections})
        strip = {"id": bus, "name": f"{section['name']} bus", "kind": "bus", "layout": "stereo", "section": section_id}
        steps = [
            EditStep("add_section", {"section": {**section, "id": section_id}}),
            EditStep("add_strip", {"strip": strip}),
            EditStep("change_section", {"section": section_id, "changes": {"bus": bus}}),
        ]
    return f"Add section {section['name']}", steps or [EditStep("add_section", {"section": section})]


def change_section(data: QueryDict, template: Template) -> Written:
    return changed_piece(data, template, "section", SECTION_FIELDS, "section_id")


def move_section(data: QueryDict, template: Template) -> Written:
    section: Section = named(template.sections, one(data, "section_id"), "section")
    at = template.sections.index(section) + (-1 if data.get("where") == "up" else 1)
    return f"Move {section.name}", [EditStep("move_section", {"section": section.id, "at": max(at, 0)})]


def remove_section(data: QueryDict, template: Template) -> Written:
    return removed_piece(data, template, "section", "Remove section", "section_id")


def change_template(data: QueryDict, template: Template) -> Written:
    changes = changes_of(data, TEMPLATE_FIELDS, template)
    return f"Template: {words_of(changes)}", [EditStep("change_template", {"changes": changes})]


def duplicate_section(data: QueryDict, template: Template) -> Written:
    """A section with its strips, bus and routes once more, or several times."""
    section: Section = named(template.sections, one(data, "section_id"), "section")
    times = changes_of(data, {"times": whole}, template)["times"] if data.get("times") else 1
    return f"Duplicate {section.name} ×{times}", [
        EditStep("duplicate_section", {"section": section.id, "times": times})
    ]
