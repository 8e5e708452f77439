"""Edits of choices: strips of which only so many are meant to sound at a time."""

from __future__ import annotations

from typing import Any, Literal

from msgspec.structs import replace

from lattice.edits.arguments import Choice as OneOf
from lattice.edits.arguments import Fields, Piece, Pieces, Text, Whole, Words
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, changed, position, put
from lattice.errors import EditError
from lattice.model.choices import SECTION
from lattice.model.document import Choice, Template
from lattice.model.names import free_id, slug


def _words(template: Template, arguments: dict[str, Any]) -> str:
    sections = arguments.get("sections")
    said = Pieces("sections", kind="section").said(sections, template) if sections else ""
    return f"Choice of {said or Pieces('strips').said(arguments.get('strips') or [], template)}"


@edit(
    Pieces("strips", default=None),
    Text("name", default="Choice"),
    Whole("sounding", "active", default=1, high=1024),
    OneOf("way", options=("turn", "state"), default="state"),
    OneOf("members", options=("strips", "sections"), default="strips"),
    Pieces("sections", kind="section", default=None),
    says=_words,
)
def add_choice(
    template: Template,
    strips: list[str] | None = None,
    name: str = "Choice",
    sounding: int = 1,
    way: Literal["turn", "state"] = "state",
    members: Literal["strips", "sections"] = "strips",
    sections: list[str] | None = None,
) -> Template:
    """A choice of strips, of their sections, or of sections: alternatives, `sounding` of them active at a time.

    Raises EditError below two members, and for a strip without a section where sections are wanted.
    """
    wanted = all_known(template.strips, strips or [], "strip")
    chosen = [strip for strip in template.strips if strip.id in wanted]
    if sections is not None:
        members = "sections"
        known = all_known(template.sections, sections, "section")
        named = tuple(f"{SECTION}{section.id}" for section in template.sections if section.id in known)
    elif members == "sections":
        without = next((strip for strip in chosen if strip.section is None), None)
        if without is not None:
            raise EditError(f"{without.name} is in no section; select strips of the sections that alternate")
        named = tuple(dict.fromkeys(f"{SECTION}{strip.section}" for strip in chosen))
    else:
        named = tuple(strip.id for strip in chosen)
    if len(named) < 2:
        raise EditError(f"a choice has at least two {members}; select the alternatives")
    new = free_id(slug(name), {choice.id for choice in template.choices})
    choice = Choice(id=new, name=name or "Choice", members=named, sounding=sounding, by=way)
    return replace(template, choices=(*template.choices, choice))


@edit(Piece("choice", kind="choice"), Fields("changes", piece=Choice), says="{choice}: {changes}")
def change_choice(template: Template, choice: str, changes: dict[str, Any]) -> Template:
    """One choice with some fields changed."""
    at = position(template.choices, choice, "choice")
    return replace(template, choices=put(template.choices, at, changed(template.choices[at], changes)))


@edit(Words("choices"), says="Remove choice {choices}")
def remove_choices(template: Template, choices: list[str]) -> Template:
    """Without some choices; their strips stay."""
    gone = all_known(template.choices, choices, "choice")
    return replace(template, choices=tuple(choice for choice in template.choices if choice.id not in gone))
