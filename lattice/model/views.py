"""Views of the map for stages of work: those a template states, else the usual three."""

from __future__ import annotations

from lattice.model.document import MapView, Template

FOLD_ABOVE = 72  # maps of more strips begin with collapsed sections


def views_of(template: Template) -> tuple[MapView, ...]:
    """The views of a template in the order of their keys; without any, Writing, Mixing and Delivery."""
    if template.views:
        return template.views
    every_section = tuple(section.id for section in template.sections)
    usual = every_section if len(template.strips) > FOLD_ABOVE else ()
    return (
        MapView(name="Writing", folded=usual, hidden_kinds=("print",), hidden_routes=("key",)),
        MapView(name="Mixing", folded=usual, hidden_kinds=("midi",), hidden_routes=("midi",)),
        MapView(name="Delivery", folded=every_section, hidden_kinds=("midi",), hidden_routes=("midi", "key", "send")),
    )


def view_named(template: Template, name: str) -> MapView | None:
    """The view of a name, or the one of a key from 1 to 9; None where there is none."""
    views = views_of(template)
    named = next((view for view in views if view.name.casefold() == name.casefold()), None)
    if named is None and name.isdecimal() and 0 < int(name) <= len(views):
        return views[int(name) - 1]
    return named
