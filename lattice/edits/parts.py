"""Edits of an instrument's parts: add, change, remove, and laying them over its outlets in sequence."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Fields, Piece, PieceOf, Whole, Words, names_in
from lattice.edits.described import edit
from lattice.edits.fields import words_of
from lattice.edits.pieces import all_known, changed, inserted, made, position, put, strip_of, with_strip
from lattice.errors import EditError
from lattice.model.document import Part, Template
from lattice.model.names import free_id, slug


def _changed_words(template: Template, arguments: dict[str, Any]) -> str:
    name, inner = names_in(template, arguments["strip"], "parts", [arguments["part"]])
    return f"{name} {inner}: {words_of(arguments['changes'])}"


def _removed_words(template: Template, arguments: dict[str, Any]) -> str:
    name, inner = names_in(template, arguments["strip"], "parts", arguments["parts"])
    return f"{name}: remove part {inner}"


@edit(Piece("strip"), Fields("part", piece=Part), Whole("at", default=None), says="{strip}: part {part}")
def add_part(template: Template, strip: str, part: dict[str, Any], at: int | None = None) -> Template:
    """A new part of an instrument; its id is made from its name where none is given."""
    index, old = strip_of(template, strip)
    wanted = slug(str(part.get("name") or f"part {len(old.parts) + 1}"))
    new = made(Part, {"id": free_id(wanted, {known.id for known in old.parts}), **part})
    return with_strip(template, index, replace(old, parts=inserted(old.parts, at, new)))


@edit(Piece("strip"), PieceOf("part", kind="part"), Fields("changes", piece=Part), says=_changed_words)
def change_part(template: Template, strip: str, part: str, changes: dict[str, Any]) -> Template:
    """One part with some fields changed (plain values)."""
    index, old = strip_of(template, strip)
    at = position(old.parts, part, "part")
    return with_strip(template, index, replace(old, parts=put(old.parts, at, changed(old.parts[at], changes))))


@edit(Piece("strip"), Words("parts"), says=_removed_words)
def remove_parts(template: Template, strip: str, parts: list[str]) -> Template:
    """Remove parts; strips that played them play nothing there."""
    index, old = strip_of(template, strip)
    gone = all_known(old.parts, parts, "part")
    return with_strip(template, index, replace(old, parts=tuple(part for part in old.parts if part.id not in gone)))


@edit(Piece("strip"), says="{strip}: assign parts to the open outlets")
def lay_parts(template: Template, strip: str) -> Template:
    """Parts onto the open outlets in order, one each; those beyond the last open outlet stay on that one."""
    index, old = strip_of(template, strip)
    outlets = [outlet.id for outlet in old.outlets if outlet.open]
    if not outlets or not old.parts:
        raise EditError(
            f"{old.name} has {len(old.parts)} parts and {len(outlets)} open outlets; at least one of each is required"
        )
    parts = tuple(replace(part, outlet=outlets[min(number, len(outlets) - 1)]) for number, part in enumerate(old.parts))
    return with_strip(template, index, replace(old, parts=parts))
