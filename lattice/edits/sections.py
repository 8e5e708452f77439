"""Edits of sections: add, change, move, remove."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.pieces import all_known, changed, inserted, made, position, put
from lattice.edits.strips import rule_without
from lattice.model.document import Section, Template
from lattice.model.names import free_id, slug


def add_section(template: Template, section: dict[str, Any], at: int | None = None) -> Template:
    """A new section from plain fields; its id is made from its name where none is given."""
    taken = {known.id for known in template.sections}
    fields = {"id": free_id(slug(str(section.get("name", ""))), taken), **section}
    return replace(template, sections=inserted(template.sections, at, made(Section, fields)))


def change_section(template: Template, section: str, changes: dict[str, Any]) -> Template:
    """One section with some fields changed (plain values)."""
    index = position(template.sections, section, "section")
    return replace(template, sections=put(template.sections, index, changed(template.sections[index], changes)))


def move_section(template: Template, section: str, at: int) -> Template:
    """A section to another place in the order."""
    index = position(template.sections, section, "section")
    rest = (*template.sections[:index], *template.sections[index + 1 :])
    return replace(template, sections=inserted(rest, at, template.sections[index]))


def remove_sections(template: Template, sections: list[str]) -> Template:
    """Without some sections; their strips and inner sections go to the section around, or to none."""
    gone = all_known(template.sections, sections, "section")
    parents = {section.id: section.parent for section in template.sections}

    def kept(section: str | None) -> str | None:
        while section in gone:
            section = parents[section] if section else None
        return section

    return replace(
        template,
        sections=tuple(
            replace(section, parent=kept(section.parent)) if section.parent in gone else section
            for section in template.sections
            if section.id not in gone
        ),
        strips=tuple(
            replace(strip, section=kept(strip.section)) if strip.section in gone else strip for strip in template.strips
        ),
        rules=tuple(
            kept_rule for rule in template.rules if (kept_rule := rule_without(rule, {f"section:{s}" for s in gone}))
        ),
    )
