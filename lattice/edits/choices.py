"""Edits of choices: strips of which only so many are meant to sound at a time."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Fields, Piece, Pieces, Text, Whole, Words
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, changed, position, put
from lattice.errors import EditError
from lattice.model.document import Choice, Template
from lattice.model.names import free_id, slug


@edit(
    Pieces("strips"),
    Text("name", default="Choice"),
    Whole("sounding", "active", default=1, high=1024),
    says="Choice of {strips}",
)
def add_choice(template: Template, strips: list[str], name: str = "Choice", sounding: int = 1) -> Template:
    """A choice of strips: alternatives, `sounding` of them active at a time. Raises EditError below two strips."""
    wanted = all_known(template.strips, strips, "strip")
    if len(wanted) < 2:
        raise EditError("a choice has at least two strips; select the alternatives")
    members = tuple(strip.id for strip in template.strips if strip.id in wanted)
    new = free_id(slug(name), {choice.id for choice in template.choices})
    choice = Choice(id=new, name=name or "Choice", members=members, sounding=sounding)
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
