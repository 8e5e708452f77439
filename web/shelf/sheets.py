"""The map of a stored template: which sections are folded, and where its strips stand."""

from __future__ import annotations

from collections.abc import Collection

from lattice.sheet import Sheet
from lattice.sheet.drawing import opens_folded
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace


def folded_sections(space: Workspace, folded: Collection[str] | None) -> frozenset[str]:
    """The sections that are folded; where nobody has folded any, those that a large template opens with."""
    return opens_folded(space.graph) if folded is None else frozenset(folded)


def folded_of(stored: StoredTemplate, space: Workspace) -> frozenset[str]:
    return folded_sections(space, stored.folded)


def sheet_of(stored: StoredTemplate, space: Workspace) -> Sheet:
    """The map as it stands. Nothing is stored: the write that brought newcomers has kept their slots."""
    return space.drawn(folded_of(stored, space), bytes(stored.slots))[0]
