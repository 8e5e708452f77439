"""Spread: a list of names becomes strips of a section, fed to its bus, in one edit."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Fields, Lines, Plain, Text
from lattice.edits.described import edit
from lattice.edits.pieces import free_route_ids, made
from lattice.errors import EditError
from lattice.model.document import MAX_STRIPS, Route, Strip, Template
from lattice.model.names import free_id, slug
from lattice.model.validate import route_sentences

SECTION_BUS = "*section"  # as `feed`: the bus of the section the strips come into; no id has such a sign
SHARED_FIELDS = ("kind", "layout", "section", "machine", "colour", "tags")


def _spread_words(_template: Template, arguments: dict[str, Any]) -> str:
    names = arguments["names"]
    return f"Add {names[0]}" if len(names) == 1 else f"Add {len(names)} strips"


@edit(
    Lines("names"),
    Fields("strip", piece=Strip, within=SHARED_FIELDS),
    Text("feed", default=None),
    Plain("sends", default=None),
    says=_spread_words,
)
def spread(
    template: Template,
    names: list[str],
    strip: dict[str, Any],
    feed: str | None = None,
    sends: list[dict[str, Any]] | None = None,
) -> Template:
    """A strip for each name, all with the fields of `strip`, fed to strip `feed` and with the same sends.

    New strips stand behind the last strip of their section (last of all where there is none). `sends`
    are route fields without `from`. Raises EditError where a name is empty or a route may not be made.
    """
    strip = {"kind": "audio", **strip}
    names = [" ".join(name.split()) for name in names if name.strip()]
    if not names:
        raise EditError("there is no name in the list")
    if len(template.strips) + len(names) > MAX_STRIPS:
        raise EditError(f"at most {MAX_STRIPS} strips are allowed")
    taken = {known.id for known in template.strips}
    new = []
    for name in names:
        new_id = free_id(slug(name), taken)
        taken.add(new_id)
        new.append(made(Strip, {**strip, "id": new_id, "name": name}))
    section = new[0].section
    at = max(
        (n + 1 for n, known in enumerate(template.strips) if known.section == section), default=len(template.strips)
    )
    template = replace(template, strips=(*template.strips[:at], *new, *template.strips[at:]))
    if feed == SECTION_BUS:  # notes have no bus to go to
        bus = next((known.bus for known in template.sections if known.id == section), None)
        feed = bus if new[0].traits.carries_sound else None
    wanted = [*([{"kind": "feed", "to": feed}] if feed else []), *(sends or [])]
    return replace(template, routes=(*template.routes, *_routes(template, new, wanted))) if wanted else template


def _routes(template: Template, strips: list[Strip], wanted: list[dict[str, Any]]) -> list[Route]:
    known = {strip.id for strip in template.strips}
    ids, routes = free_route_ids(template), []
    for strip in strips:
        for fields in wanted:
            route = made(Route, {**fields, "id": next(ids), "from": strip.id})
            if route.to not in known:
                raise EditError(f"there is no strip {route.to}")
            routes.append(route)
    for route in routes[: len(wanted)]:  # the strips are alike, so the first one's routes speak for all
        if sentences := route_sentences(template, route):
            raise EditError(*sentences)
    return routes
