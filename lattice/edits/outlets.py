"""Edits of an instrument's outlets: add, change, remove."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Fields, Piece, PieceOf, Whole, Words, names_in
from lattice.edits.described import edit
from lattice.edits.fields import words_of
from lattice.edits.pieces import all_known, changed, inserted, made, position, put, strip_of, with_strip
from lattice.model.document import Outlet, Template
from lattice.model.names import free_id, slug


def _changed_words(template: Template, arguments: dict[str, Any]) -> str:
    name, inner = names_in(template, arguments["strip"], "outlets", [arguments["outlet"]])
    return f"{name} {inner}: {words_of(arguments['changes'])}"


def _removed_words(template: Template, arguments: dict[str, Any]) -> str:
    name, inner = names_in(template, arguments["strip"], "outlets", arguments["outlets"])
    return f"{name}: remove outlet {inner}"


@edit(Piece("strip"), Fields("outlet", piece=Outlet), Whole("at", default=None), says="{strip}: outlet {outlet}")
def add_outlet(template: Template, strip: str, outlet: dict[str, Any], at: int | None = None) -> Template:
    """A new outlet of an instrument."""
    index, old = strip_of(template, strip)
    wanted = slug(str(outlet.get("name") or len(old.outlets) + 1))
    new = made(Outlet, {"id": free_id(wanted, {known.id for known in old.outlets}), **outlet})
    return with_strip(template, index, replace(old, outlets=inserted(old.outlets, at, new)))


@edit(Piece("strip"), PieceOf("outlet"), Fields("changes", piece=Outlet), says=_changed_words)
def change_outlet(template: Template, strip: str, outlet: str, changes: dict[str, Any]) -> Template:
    """One outlet with some fields changed; marking it main takes the mark from the others."""
    index, old = strip_of(template, strip)
    at = position(old.outlets, outlet, "outlet")
    outlets = put(old.outlets, at, changed(old.outlets[at], changes))
    if changes.get("main"):
        outlets = tuple(replace(known, main=False) if known.main and known.id != outlet else known for known in outlets)
    return with_strip(template, index, replace(old, outlets=outlets))


@edit(Piece("strip"), Words("outlets"), says=_removed_words)
def remove_outlets(template: Template, strip: str, outlets: list[str]) -> Template:
    """Without some outlets, without the routes that leave them, and with their parts on no outlet."""
    index, old = strip_of(template, strip)
    gone = all_known(old.outlets, outlets, "outlet")
    parts = tuple(replace(part, outlet=None) if part.outlet in gone else part for part in old.parts)
    new = replace(old, outlets=tuple(outlet for outlet in old.outlets if outlet.id not in gone), parts=parts)
    routes = tuple(r for r in template.routes if not (r.from_strip == strip and r.from_outlet in gone))
    members = {f"{strip}/{outlet}" for outlet in gone}
    choices = tuple(
        replace(choice, members=tuple(member for member in choice.members if member not in members))
        for choice in template.choices
    )
    return replace(with_strip(template, index, new), routes=routes, choices=choices)
