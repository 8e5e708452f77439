"""Edits by name, so that a fix, a form and the history can all refer to them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec

# Importing a module registers its edits.
from lattice.edits import (  # noqa: F401
    add_block,
    articulations,
    batches,
    buses,
    cells,
    change_layout,
    channels,
    choices,
    connections,
    copies,
    crosspoints,
    deliverables,
    delivery,
    ducking,
    effect_returns,
    inserts,
    instruments,
    machines,
    map_views,
    midi_tracks,
    outboard,
    outlets,
    parts,
    recordings,
    reduce,
    routes,
    rules,
    section_defaults,
    sections,
    spread,
    stems,
    strips,
    template,
    ties,
    timeline,
    trims,
    unfinished,
    waivers,
    wiring,
)
from lattice.edits.described import EDITS, Edit
from lattice.errors import EditError
from lattice.formats.gate import validated
from lattice.model.document import Template
from lattice.model.edit_step import EditStep


def edit_named(name: str) -> Edit:
    """The edit of a name. Raises EditError where there is none."""
    if name not in EDITS:
        raise EditError(f"unknown edit {name}; use one of {', '.join(EDITS)}")
    return EDITS[name]


def apply(before: Template, name: str, arguments: dict[str, Any]) -> Template:
    """The template after one edit.

    Parameters
    ----------
    before
        A validated template.
    name
        Name of the edit.
    arguments
        Plain values by name, as `Edit.arguments` describes them.

    Raises
    ------
    EditError
        Where there is no such edit, or it cannot be made on this template.
    DocumentError
        If the result is not valid. Nothing has changed then.
    """
    return apply_steps(before, [EditStep(name, arguments)])


def apply_steps(before: Template, steps: Iterable[EditStep]) -> Template:
    """The template after several edits, as one: validated once, however many there are. Raises as `apply` does."""
    after = before
    for step in steps:
        after = _edited(after, step.edit, step.arguments)
    return validated(before, after)


def _edited(before: Template, name: str, arguments: dict[str, Any]) -> Template:
    wanted = edit_named(name)
    try:
        return wanted.apply(before, arguments)
    except msgspec.ValidationError as error:
        raise EditError(f"{name}: {error}") from None
