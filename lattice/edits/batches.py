"""The same small step on many strips: routes, inserts, names, colours, sections."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Fields, Flag, Piece, Pieces, Text, Whole, Words
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, insert_for, insert_ids, made, position
from lattice.edits.section_defaults import with_section_defaults
from lattice.edits.strips import move_strips
from lattice.errors import EditError
from lattice.model.document import Route, Section, Strip, Template
from lattice.model.names import free_route_ids
from lattice.model.tiers import TIER_COLOURS, tiers_of
from lattice.model.validate import route_rules

WORD = re.compile(r"\{(name|n|section|kind|layout)(?::0?([1-9]))?\}")


@edit(Pieces("strips"), Fields("route", piece=Route, without=("from",)), says="Route {strips}")
def batch_routes(template: Template, strips: list[str], route: dict[str, Any]) -> Template:
    """The same route from many strips (`route`: fields without `from`); those that have it get its level and tap."""
    wanted = all_known(template.strips, strips, "strip")
    to, kind, insert = route.get("to"), route.get("kind"), route.get("to_insert")
    position(template.strips, str(to), "strip")
    settings = {field: route[field] for field in ("gain_db", "tap", "pan") if field in route}
    routes, there, ids = [], set(), free_route_ids(template)
    for known in template.routes:
        if (
            known.from_strip in wanted
            and (known.kind, known.to, known.to_insert) == (kind, to, insert)
            and not known.from_outlet
        ):
            there.add(known.from_strip)
            known = replace(known, **settings)  # noqa: PLW2901 - the changed one
        routes.append(known)
    added = [
        made(Route, {**route, "id": next(ids), "from": strip.id})
        for strip in template.strips
        if strip.id in wanted and strip.id not in there and strip.id != to
    ]
    sentences = route_rules(template)
    problems = [sentence for new in added for sentence in sentences(new)]
    if problems:
        raise EditError(*dict.fromkeys(problems))
    return replace(template, routes=(*routes, *added))


@edit(Pieces("strips"), Words("kinds"), Piece("to", default=None), says="Remove routes from {strips}")
def untie(template: Template, strips: list[str], kinds: list[str], to: str | None = None) -> Template:
    """Without the routes of some kinds that leave these strips (to one strip, or to any)."""
    wanted = all_known(template.strips, strips, "strip")
    kept = tuple(
        route
        for route in template.routes
        if not (route.from_strip in wanted and route.kind in kinds and to in (None, route.to))
    )
    if len(kept) == len(template.routes):
        raise EditError("none of these strips has this route")
    return replace(template, routes=kept)


@edit(
    Pieces("strips"),
    Words("inserts"),
    Choice("keys", "keyed", options=("by the same triggers", "without keys"), default="by the same triggers"),
    says="Copy inserts to {strips}",
)
def batch_inserts(
    template: Template, strips: list[str], inserts: list[str], keys: str = "by the same triggers"
) -> Template:
    """Copies of inserts (a chain, in order) behind the chains of many strips, set up as the originals are.

    A copied insert with an external key has the same triggers if `keys` is set, except a trigger on its own strip.
    """
    wanted = all_known(template.strips, strips, "strip")
    known = {insert.id: insert for strip in template.strips for insert in strip.inserts}
    missing = [insert for insert in inserts if insert not in known]
    if missing or not inserts:
        raise EditError(*(f"insert {insert} does not exist" for insert in missing or ["given"]))
    taken = insert_ids(template)
    copies_of: dict[str, list[tuple[str, str]]] = {}  # insert → (strip, its copy there)

    def with_chain(strip: Strip) -> Strip:
        copies = []
        for original in (known[insert] for insert in inserts):
            copies.append(insert_for(strip, original, taken))
            copies_of.setdefault(original.id, []).append((strip.id, copies[-1].id))
        return replace(strip, inserts=(*strip.inserts, *copies))

    takes = {strip.id for strip in template.strips if strip.id in wanted and strip.kind != "midi"}
    ids = free_route_ids(template)
    new = tuple(with_chain(strip) if strip.id in takes else strip for strip in template.strips)
    keyed = (
        replace(route, id=next(ids), to=strip, to_insert=copy)
        for route in template.routes
        if route.kind == "key" and keys == "by the same triggers"
        for strip, copy in copies_of.get(route.to_insert or "", ())
        if strip != route.from_strip
    )
    return replace(template, strips=new, routes=(*template.routes, *keyed))


@edit(
    Pieces("strips"),
    Piece("section", kind="section", may_be_none=True),
    Flag("routing", "take the section's routing", default=True),
    says="Move {strips} to {section}",
)
def move_and_refeed(template: Template, strips: list[str], section: str | None, routing: bool = True) -> Template:
    """Strips into another section; with `routing` they take its defaults.

    Feeds to the bus of the section they leave go to its bus instead. Layout, destination, chain and sends that the
    section states for its strips are taken too.
    """
    known = {one.id: one for one in template.sections}
    if section is not None and section not in known:
        raise EditError(f"section {section} does not exist")
    wanted = all_known(template.strips, strips, "strip")
    left = {strip.id: known.get(strip.section or "") for strip in template.strips if strip.id in wanted}
    moved = move_strips(template, strips, section)
    if not routing:
        return moved
    new_bus = known[section].bus if section is not None else None
    if new_bus is not None:
        moved = replace(moved, routes=tuple(_to_bus(route, left, new_bus) for route in moved.routes))
    return with_section_defaults(moved, strips, left)


def _to_bus(route: Route, left: dict[str, Section | None], bus: str) -> Route:
    """A feed to the bus of the section that is left, to another one."""
    section = left.get(route.from_strip)
    is_to_old = section is not None and route.kind == "feed" and route.to == section.bus
    return replace(route, to=bus) if is_to_old and route.from_strip != bus else route


@edit(Pieces("strips"), Text("pattern"), Whole("first", default=1), says="Rename {strips}")
def rename(template: Template, strips: list[str], pattern: str, first: int = 1) -> Template:
    """Names strips by a pattern.

    In it {name} is the name so far, {n} a number from `first` on ({n:02} gives 01); {section}, {kind} and {layout}
    are the strip's. Raises EditError where the pattern has other braces or gives an empty name.
    """
    wanted = all_known(template.strips, strips, "strip")
    sections = {section.id: section.name for section in template.sections}
    new, counter = [], first
    for strip in template.strips:
        if strip.id in wanted:
            words = {
                "name": strip.name, "n": counter, "section": sections.get(strip.section or "", ""),
                "kind": strip.kind, "layout": strip.layout,
            }  # fmt: skip
            strip = replace(strip, name=_filled(pattern, words))  # noqa: PLW2901 - the changed one
            counter += 1
        new.append(strip)
    return replace(template, strips=tuple(new))


def _filled(pattern: str, words: dict[str, Any]) -> str:
    def word(match: re.Match[str]) -> str:
        value = words[match[1]]
        return f"{value:0{int(match[2])}d}" if match[2] and isinstance(value, int) else str(value)

    if set("{}") & set(re.sub(WORD, "", pattern)):
        raise EditError(f"“{pattern}” is not a pattern: braces hold name, n (or n:02), section, kind, layout")
    name = " ".join(re.sub(WORD, word, pattern).split())
    if not 1 <= len(name) <= 500:
        raise EditError(f"“{pattern}” gives a name outside 1 to 500 characters")
    return name


@edit(Pieces("strips"), says="Colour {strips} by section")
def colour_by_section(template: Template, strips: list[str]) -> Template:
    """Strips take the colour of their section, by having none of their own."""
    wanted = all_known(template.strips, strips, "strip")
    return replace(
        template,
        strips=tuple(
            replace(s, colour=None) if s.id in wanted and s.section and s.colour else s for s in template.strips
        ),
    )


@edit(Pieces("strips"), says="Colour {strips} by tier")
def colour_by_tier(template: Template, strips: list[str]) -> Template:
    """Strips in the colour of their tier: sources, section buses, returns, submixes, mix, prints."""
    wanted = all_known(template.strips, strips, "strip")
    tiers = tiers_of(template)
    return replace(
        template,
        strips=tuple(
            replace(strip, colour=TIER_COLOURS[tiers[strip.id]]) if strip.id in wanted else strip
            for strip in template.strips
        ),
    )
