"""Edits of a template's views of the map."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Lines, Object, Text
from lattice.edits.described import edit
from lattice.edits.pieces import made
from lattice.errors import EditError
from lattice.model.document import MOST_VIEWS, MapView, Template
from lattice.model.views import views_of


@edit(Text("name"), Object("view", default=None), says="View {name}")
def keep_view(template: Template, name: str, view: dict[str, Any] | None = None) -> Template:
    """A view under its name; one of that name is replaced.

    Parameters
    ----------
    template
        The template. Where it states no views yet, the usual three are kept with it.
    name
        Of the view.
    view
        Its fields besides the name (docs/reference/model.md, *MapView*).

    Raises
    ------
    EditError
        Without a name, for a tenth view, or for fields that a view lacks.
    """
    name = " ".join(name.split())
    if not name:
        raise EditError("name is missing")
    new = made(MapView, {**(view or {}), "name": name})
    views = list(views_of(template))
    at = next((number for number, known in enumerate(views) if known.name.casefold() == name.casefold()), len(views))
    if at == MOST_VIEWS:
        raise EditError(f"at most {MOST_VIEWS} views are allowed, one for each key; remove one first")
    return replace(template, views=(*views[:at], new, *views[at + 1 :]))


@edit(Lines("names"), says="Remove view {names}")
def remove_views(template: Template, names: list[str]) -> Template:
    """Without some views. Raises EditError where one is missing."""
    views = views_of(template)
    gone = {name.casefold() for name in names}
    missing = gone - {view.name.casefold() for view in views}
    if missing:
        raise EditError(f"view {min(missing)} does not exist; it may have been removed")
    return replace(template, views=tuple(view for view in views if view.name.casefold() not in gone))
