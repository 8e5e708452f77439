"""Edits of routes: add, change, remove."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Fields, Piece, Pieces, name_of
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, changed, made, position, put
from lattice.errors import EditError
from lattice.model.document import Route, Template
from lattice.model.names import free_route_ids
from lattice.model.validate import route_sentences

SAME = ("kind", "from_strip", "from_outlet", "to", "to_insert", "tap", "port", "channel", "channels")


def connected_words(template: Template, arguments: dict[str, Any]) -> str:
    """“feed Kick → Drum bus” of a route that is made."""
    route = arguments["route"]
    ends = (str(route.get(end, "")).partition("/")[0] for end in ("from", "to"))
    start, end = (name_of(template, "strip", strip) for strip in ends)
    return f"{route.get('kind') or 'feed'} {start} → {end}"


@edit(Fields("route", piece=Route), says=connected_words)
def add_route(template: Template, route: dict[str, Any]) -> Template:
    """A new route from plain fields; its id is the next free number.

    Raises EditError if the two ends cannot be connected this way, or are already.
    """
    new = made(Route, {"id": next(free_route_ids(template)), **route})
    _may_be(template, new)
    _is_new(template, new)
    return replace(template, routes=(*template.routes, new))


@edit(Piece("route", kind="route"), Fields("changes", piece=Route), says="{route}: {changes}")
def change_route(template: Template, route: str, changes: dict[str, Any]) -> Template:
    """One route with some fields changed (plain values), its ends included."""
    index = position(template.routes, route, "route")
    old = template.routes[index]
    new = changed(old, changes)
    _may_be(template, new)
    if any(getattr(old, field) != getattr(new, field) for field in SAME):
        _is_new(template, new)
    return replace(template, routes=put(template.routes, index, new))


@edit(Pieces("routes", kind="route"), says="Remove {routes}")
def remove_routes(template: Template, routes: list[str]) -> Template:
    """Routes away, whatever their kind."""
    gone = all_known(template.routes, routes, "route")
    return replace(template, routes=tuple(route for route in template.routes if route.id not in gone))


def _may_be(template: Template, route: Route) -> None:
    """Refuses a route that may not be made."""
    strips = {strip.id: strip for strip in template.strips}
    missing = [strip for strip in (route.from_strip, route.to) if strip not in strips]
    if missing:
        raise EditError(*(f"strip {strip} does not exist" for strip in missing))
    if sentences := route_sentences(template, route):
        raise EditError(*sentences)


def _is_new(template: Template, route: Route) -> None:
    """Refuses a route that is there already to the letter."""
    names = {strip.id: strip.name for strip in template.strips}
    for known in template.routes:
        if known.id != route.id and all(getattr(known, field) == getattr(route, field) for field in SAME):
            raise EditError(f"{names[route.from_strip]} already has this {route.kind} to {names[route.to]}")
