"""Edits of the template's own fields: its name, rate, tempo, delivery."""

from __future__ import annotations

from typing import Any

from lattice.edits.arguments import Fields
from lattice.edits.described import edit
from lattice.edits.pieces import changed
from lattice.errors import EditError
from lattice.model.document import LISTS, Template

FIXED = {*LISTS, "format", "version", "waivers"}


@edit(Fields("changes", piece=Template, without=("version",)), says="Template: {changes}")
def change_template(template: Template, changes: dict[str, Any]) -> Template:
    """The template with some of its own fields changed; its lists have edits of their own."""
    if FIXED & changes.keys():
        raise EditError(f"{', '.join(sorted(FIXED & changes.keys()))}: not changed by this edit")
    return changed(template, changes)
