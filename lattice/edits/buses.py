"""Buses and returns put in between, or taken out, with the sound kept as it is."""

from __future__ import annotations

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Flag, Piece, Pieces, Text, Words
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, inserted, position, strip_of
from lattice.errors import EditError
from lattice.model.dangling import rule_without
from lattice.model.document import Insert, Route, Strip, Template
from lattice.model.insert_types import DECORRELATING
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.units import decibels


@edit(
    Pieces("strips"),
    Piece("to"),
    Text("name", default=""),
    Words("inserts", default=None),
    says="Put a bus between {strips} and {to}",
)
def insert_bus(
    template: Template, strips: list[str], to: str, name: str = "", inserts: list[str] | None = None
) -> Template:
    """A bus between the feeds of some strips and their destination; some of the destination's inserts move onto it.

    The bus has the destination's layout and stands before it; the feeds keep their levels.
    """
    name = name or "New bus"
    wanted = all_known(template.strips, strips, "strip")
    at, end = strip_of(template, to)
    feeds = [r for r in template.routes if r.kind == "feed" and r.to == to and r.from_strip in wanted]
    if not feeds:
        raise EditError(f"none of these strips feeds {end.name}")
    moved = [insert for insert in end.inserts if insert.id in set(inserts or ())]
    if len(moved) != len(inserts or ()):
        raise EditError(f"not all of these inserts are on {end.name}")
    sections = {strip.section for strip in template.strips if strip.id in wanted}
    bus = Strip(
        id=free_id(slug(name), {strip.id for strip in template.strips}), name=name, kind="bus", layout=end.layout,
        machine=end.machine, section=sections.pop() if len(sections) == 1 else None, inserts=tuple(moved),
    )  # fmt: skip
    end = replace(end, inserts=tuple(insert for insert in end.inserts if insert not in moved))
    changed = {feed.id for feed in feeds}
    routes = tuple(
        replace(route, to=bus.id) if route.id in changed else _follow(route, moved, bus) for route in template.routes
    )
    onward = Route(id=next(free_route_ids(template)), kind="feed", from_strip=bus.id, to=to)
    strips_now = tuple(end if strip.id == to else strip for strip in template.strips)
    return replace(template, strips=inserted(strips_now, at, bus), routes=(*routes, onward))


def _follow(route: Route, moved: list[Insert], bus: Strip) -> Route:
    """A key of an insert that moved ends where the insert now is."""
    return replace(route, to=bus.id) if route.to_insert in {insert.id for insert in moved} else route


@edit(Piece("bus"), Flag("hand_on", "hand its inserts on", default=False), says="Dissolve {bus}")
def dissolve_bus(template: Template, bus: str, hand_on: bool = False) -> Template:
    """Without a bus: what came to it goes on to where it went, at the level it had behind the bus's fader.

    Parameters
    ----------
    template
        The template.
    bus
        Its id. Rules that name it lose it; those that have nothing else to name go.
    hand_on
        Whether its inserts, with what keys them, go to the front of the chain of the one strip it feeds.

    Raises
    ------
    EditError
        Where the sound would change unasked: inserts, mute, other taps, gains that are off, other states.
    """
    if hand_on:
        template = _inserts_handed_on(template, bus)
    at, old_bus = strip_of(template, bus)
    ins = [route for route in template.routes if route.to == bus]
    outs = [route for route in template.routes if route.from_strip == bus]
    works = old_bus.inserts or old_bus.mute or old_bus.invert or not old_bus.in_service or old_bus.fader_db is None
    if old_bus.kind != "bus" or works:
        raise EditError(f"{old_bus.name} changes what passes it (inserts, mute, fader off, polarity), so it is kept")
    if any(route.kind not in ("feed", "send") or route.gain_db is None for route in (*ins, *outs)):
        raise EditError(f"{old_bus.name} has keys, or routes at off, that have no way without it")
    is_named = any(section.bus == bus for section in template.sections)
    if is_named or any(bus in (stem.strip, stem.print) for stem in template.stems):
        raise EditError(f"{old_bus.name} is the bus of a section or the strip of a stem; give it another first")
    ids, joined = free_route_ids(template), []
    for come in ins:
        for go in outs:
            fader_db = (old_bus.fader_db or 0.0) if go.tap == "post-fader" else 0.0
            level_db = (come.gain_db or 0.0) + fader_db + (go.gain_db or 0.0)
            kind = "send" if "send" in (come.kind, go.kind) else "feed"
            is_on = come.enabled and go.enabled
            both = replace(come, id=next(ids), to=go.to, kind=kind, gain_db=level_db, enabled=is_on)
            joined.append(both)
    kept = tuple(route for route in template.routes if bus not in (route.from_strip, route.to))
    strips = (*template.strips[:at], *template.strips[at + 1 :])
    rules = (left for rule in template.rules if (left := rule_without(rule, {f"strip:{bus}"})) is not None)
    return replace(template, strips=strips, routes=(*kept, *joined), rules=tuple(rules))


def _inserts_handed_on(template: Template, bus: str) -> Template:
    """The inserts of a bus at the front of the chain it feeds; their keys follow."""
    _at, old_bus = strip_of(template, bus)
    ends = {route.to for route in template.routes if route.from_strip == bus and route.kind == "feed"}
    if len(ends) != 1:
        raise EditError(f"{old_bus.name} feeds {len(ends)} strips; its inserts go on where it feeds just one")
    end = ends.pop()
    moved = {insert.id for insert in old_bus.inserts}

    def after(strip: Strip) -> Strip:
        if strip.id == bus:
            return replace(strip, inserts=())
        return replace(strip, inserts=(*old_bus.inserts, *strip.inserts)) if strip.id == end else strip

    routes = (replace(route, to=end) if route.to_insert in moved else route for route in template.routes)
    return replace(template, strips=tuple(map(after, template.strips)), routes=tuple(routes))


@edit(
    Pieces("strips"),
    Choice("type", "effect", options=tuple(sorted(DECORRELATING))),
    Text("name", default=""),
    Piece("to", "the return feeds", default=""),
    says=lambda template, said: (
        f"The {said['type']} of {Pieces('strips').said(said['strips'], template)} "
        f"becomes the return {said.get('name') or _shared_name(said['type'])}"
    ),
)
def effect_to_return(template: Template, strips: list[str], type: str, name: str = "", to: str = "") -> Template:
    """All effects of one type on some strips become one shared return (`insert_to_return`)."""
    wanted = all_known(template.strips, strips, "strip")
    hosts = (strip for strip in template.strips if strip.id in wanted)
    inserts = [insert.id for strip in hosts for insert in strip.inserts if insert.type == type]
    return insert_to_return(template, inserts, name or _shared_name(type), to)


def _shared_name(kind: str) -> str:
    return f"Shared {kind}"


@edit(Words("inserts"), Text("name"), Piece("feed"), says="{inserts} effects become the return {name}")
def insert_to_return(template: Template, inserts: list[str], name: str, feed: str) -> Template:
    """The same effect on several strips becomes one shared return, with sends at the level that was wet.

    The first insert moves onto the return, fully wet; each strip sends 20·log10(wet) + its gain, post-fader,
    and the insert goes from its chain. The dry part stays where it was. The return feeds `feed`.
    """
    places = {i.id: (n, i) for n, strip in enumerate(template.strips) for i in strip.inserts if i.id in set(inserts)}
    if len(places) != len(set(inserts)) or not inserts:
        raise EditError("not all of these inserts are there")
    if any(not insert.traits.decorrelates or insert.wet <= 0 for _n, insert in places.values()):
        raise EditError("only a reverb, delay or modulation that is at least partly wet becomes a return")
    position(template.strips, feed, "strip")
    first = places[inserts[0]][1]
    back = Strip(
        id=free_id(slug(name), {strip.id for strip in template.strips}), name=name, kind="return", layout="stereo",
        inserts=(replace(first, wet=1.0, gain_db=0.0),),
    )  # fmt: skip
    ids = free_route_ids(template)
    routes = [Route(id=next(ids), kind="feed", from_strip=back.id, to=feed)]
    strips = list(template.strips)
    for strip_number, insert in places.values():
        strip = strips[strip_number]
        level_db = decibels(insert.wet) + insert.gain_db
        routes.append(Route(id=next(ids), kind="send", from_strip=strip.id, to=back.id, gain_db=level_db))
        strips[strip_number] = replace(strip, inserts=tuple(known for known in strip.inserts if known.id != insert.id))
    return replace(template, strips=(*strips, back), routes=(*template.routes, *routes))
