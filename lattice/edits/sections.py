"""Edits of sections: add, change, move, remove."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Fields, Flag, Piece, Pieces, Whole
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, changed, inserted, made, position, put
from lattice.edits.strips import add_strip
from lattice.model.choices import without_members
from lattice.model.dangling import rule_without
from lattice.model.document import Section, Template
from lattice.model.names import free_id, slug


@edit(
    Fields("section", piece=Section),
    Whole("at", default=None),
    Flag("with_bus", "with a bus", default=False),
    says="Add section {section}",
)
def add_section(template: Template, section: dict[str, Any], at: int | None = None, with_bus: bool = False) -> Template:
    """A new section from plain fields, with a stereo bus of its own on request.

    Its id is made from its name where none is given.
    """
    taken = {known.id for known in template.sections}
    fields = {"id": free_id(slug(str(section.get("name", ""))), taken), **section}
    new = made(Section, fields)
    if with_bus:
        name = f"{new.name} bus"
        bus = free_id(slug(name), {strip.id for strip in template.strips})
        new = replace(new, bus=bus)
        strip = {"id": bus, "name": name, "kind": "bus", "layout": "stereo", "section": new.id}
        template = add_strip(template, strip)
    return replace(template, sections=inserted(template.sections, at, new))


@edit(Piece("section", kind="section"), Fields("changes", piece=Section), says="{section}: {changes}")
def change_section(template: Template, section: str, changes: dict[str, Any]) -> Template:
    """One section with some fields changed (plain values)."""
    index = position(template.sections, section, "section")
    return replace(template, sections=put(template.sections, index, changed(template.sections[index], changes)))


@edit(Piece("section", kind="section"), Whole("at"), says="Move {section}")
def move_section(template: Template, section: str, at: int) -> Template:
    """A section to another place in the order."""
    index = position(template.sections, section, "section")
    rest = (*template.sections[:index], *template.sections[index + 1 :])
    return replace(template, sections=inserted(rest, at, template.sections[index]))


@edit(Piece("section", kind="section"), Choice("where", options=("up", "down")), says="Move {section}")
def nudge_section(template: Template, section: str, where: str) -> Template:
    """A section one place up or down; at the end it stays."""
    at = position(template.sections, section, "section")
    return move_section(template, section, max(at + (-1 if where == "up" else 1), 0))


@edit(Pieces("sections", kind="section"), says="Remove section {sections}")
def remove_sections(template: Template, sections: list[str]) -> Template:
    """Without some sections; their strips and inner sections go to the section around, or to none."""
    gone = all_known(template.sections, sections, "section")
    parents = {section.id: section.parent for section in template.sections}
    selectors = {f"section:{section}" for section in gone}

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
        rules=tuple(kept_rule for rule in template.rules if (kept_rule := rule_without(rule, selectors))),
        choices=without_members(template.choices, selectors),
    )
