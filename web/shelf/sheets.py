"""The map of a stored template as one person has it: which sections are folded, and where its strips stand."""

from __future__ import annotations

from collections.abc import Collection

from lattice.drawing.drawing import opens_folded
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Drawn, Workspace


def folded_sections(space: Workspace, folded: Collection[str] | None) -> frozenset[str]:
    """The sections that are folded; where nobody has folded any, those that a large template opens with."""
    return opens_folded(space.graph) if folded is None else frozenset(folded)


def folded_of(stored: StoredTemplate, space: Workspace) -> frozenset[str]:
    """The sections that are folded for whoever asked for the template."""
    return folded_sections(space, stored.folded)


def map_of(stored: StoredTemplate, space: Workspace) -> Drawn:
    """The map as it stands. Nothing is stored: the write that brought newcomers has kept their slots."""
    return space.drawn(folded_of(stored, space), bytes(stored.slots))
