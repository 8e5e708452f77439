"""The map of a stored template for one user: its collapsed sections, and the positions of its strips."""

from __future__ import annotations

from collections.abc import Collection

from lattice.drawing import NOTHING, Hidden, Slots, draw, small_svg
from lattice.drawing.drawing import opens_folded
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Drawn, Workspace


def folded_sections(space: Workspace, folded: Collection[str] | None) -> frozenset[str]:
    """The user's collapsed sections; without any choice, those of the initial view of a large template."""
    return opens_folded(space.graph) if folded is None else frozenset(folded)


def folded_of(stored: StoredTemplate, space: Workspace) -> frozenset[str]:
    """The collapsed sections of the user of the template."""
    return folded_sections(space, stored.folded)


def map_of(stored: StoredTemplate, space: Workspace) -> Drawn:
    """The current map. Nothing is stored: the write that added strips has stored their slots."""
    return space.drawn(folded_of(stored, space), bytes(stored.slots)).without(hidden_of(stored))


def hidden_of(stored: StoredTemplate) -> Hidden:
    """The kinds of strips and routes that the user has hidden."""
    view = stored.map_view
    return Hidden.of(view) if view is not None else NOTHING


def small_picture(template: Template) -> str:
    """A small picture of a template that is not stored, or not on its own."""
    return small_svg(draw(SignalGraph(template), (), (), Slots()))
