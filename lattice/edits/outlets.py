"""Edits of an instrument's outlets: add, change, remove."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Fields, Piece, PieceOf, Whole, Words, names_in
from lattice.edits.described import edit
from lattice.edits.fields import words_of
from lattice.edits.pieces import all_known, changed, insert_for, inserted, made, position, put, strip_of, with_strip
from lattice.errors import EditError
from lattice.model.choices import without_members
from lattice.model.document import LONGEST_LABEL, SIDES, Outlet, Part, Route, Strip, Template, main_outlet
from lattice.model.names import free_id, free_route_ids, slug


def _changed_words(template: Template, arguments: dict[str, Any]) -> str:
    name, inner = names_in(template, arguments["strip"], "outlets", [arguments["outlet"]])
    return f"{name} {inner}: {words_of(arguments['changes'])}"


def _removed_words(template: Template, arguments: dict[str, Any]) -> str:
    name, inner = names_in(template, arguments["strip"], "outlets", arguments["outlets"])
    return f"{name}: remove outlet {inner}"


@edit(Piece("strip"), Fields("outlet", piece=Outlet), Whole("at", default=None), says="{strip}: outlet {outlet}")
def add_outlet(template: Template, strip: str, outlet: dict[str, Any], at: int | None = None) -> Template:
    """A new outlet of an instrument."""
    index, old = strip_of(template, strip)
    wanted = slug(str(outlet.get("name") or len(old.outlets) + 1))
    new = made(Outlet, {"id": free_id(wanted, {known.id for known in old.outlets}), **outlet})
    return with_strip(template, index, replace(old, outlets=inserted(old.outlets, at, new)))


@edit(Piece("strip"), PieceOf("outlet"), Fields("changes", piece=Outlet), says=_changed_words)
def change_outlet(template: Template, strip: str, outlet: str, changes: dict[str, Any]) -> Template:
    """One outlet with some fields changed; marking it main takes the mark from the others."""
    index, old = strip_of(template, strip)
    at = position(old.outlets, outlet, "outlet")
    outlets = put(old.outlets, at, changed(old.outlets[at], changes))
    if changes.get("main"):
        outlets = tuple(replace(known, main=False) if known.main and known.id != outlet else known for known in outlets)
    return with_strip(template, index, replace(old, outlets=outlets))


def _split_words(template: Template, arguments: dict[str, Any]) -> str:
    name, inner = names_in(template, arguments["strip"], "outlets", [arguments["outlet"]])
    return f"{name}: split outlet {inner} into left and right"


@edit(Piece("strip"), PieceOf("outlet"), says=_split_words)
def split_outlet(template: Template, strip: str, outlet: str) -> Template:
    """A stereo outlet shared by two mono parts, left and right, each with a mono strip of its own.

    Its one part, or none, becomes two; of two parts, the first is left. The strip that the outlet feeds becomes the
    left one, and a copy of it with the same routes the right one; without such a strip both are new. Parts keep their
    ports and channels.

    Raises
    ------
    EditError
        Where the outlet is not stereo or is the main one, has more than two parts, or feeds several strips.
    """
    index, kit = strip_of(template, strip)
    found = kit.outlets[position(kit.outlets, outlet, "outlet")]
    label = found.name or found.id
    if found.layout != "stereo":
        raise EditError(f"outlet {label} of {kit.name} is {found.layout}; only a stereo outlet can be split")
    if found is main_outlet(kit):
        raise EditError(f"outlet {label} is the main one of {kit.name} and enters its own chain; split another outlet")
    parts = _sided(kit, found)
    shared = sum(part.outlet == outlet for part in kit.parts) == len(SIDES)
    names = [part.name or part.id for part in parts if part.outlet == outlet]
    template = with_strip(template, index, replace(kit, parts=parts))
    taking = [r for r in template.routes if (r.from_strip, r.from_outlet) == (strip, outlet) and r.kind != "key"]
    if len(taking) > 1:
        raise EditError(f"outlet {label} of {kit.name} feeds {len(taking)} strips; it can be split with one at most")
    return _with_sides(template, kit, found, taking, names, keeps_name=not shared)


def _sided(kit: Strip, outlet: Outlet) -> tuple[Part, ...]:
    """The parts of an instrument, those on an outlet as left and right."""
    on_it = [part for part in kit.parts if part.outlet == outlet.id]
    if len(on_it) > len(SIDES):
        raise EditError(f"{len(on_it)} parts use outlet {outlet.name or outlet.id}; at most two can share it")
    taken = {part.id for part in kit.parts}
    if len(on_it) < len(SIDES):
        like = on_it[0] if on_it else Part(id=slug(outlet.name or outlet.id), outlet=outlet.id)
        name = like.name or like.id
        second = replace(like, id=free_id(f"{like.id}-r", taken), name=f"{name} R", side="R")
        first = replace(like, name=f"{name} L", side="L")
        if not on_it:
            return (*kit.parts, replace(first, id=free_id(f"{like.id}-l", taken)), second)
        at = kit.parts.index(like)
        return (*kit.parts[:at], first, second, *kit.parts[at + 1 :])
    sided = {one.id: replace(one, side=side) for one, side in zip(on_it, SIDES, strict=True)}
    return tuple(sided.get(part.id, part) for part in kit.parts)


def _with_sides(
    template: Template, kit: Strip, outlet: Outlet, taking: list[Route], names: list[str], *, keeps_name: bool
) -> Template:
    """Two mono strips that take a side each, named after the parts, or after the strip that was there."""
    ids, taken = free_route_ids(template), {strip.id for strip in template.strips}
    feed = taking[0] if taking else Route(id=next(ids), kind="feed", from_strip=kit.id, from_outlet=outlet.id, to="")
    old = _alone_behind(template, feed)
    if old is not None:
        names = [f"{old.name} {side}" for side in SIDES] if keeps_name else names
        at, onward = position(template.strips, old.id, "strip"), [r for r in template.routes if r.from_strip == old.id]
    else:
        at = position(template.strips, kit.id, "strip") + 1
        old = Strip(
            id=free_id(slug(names[0]), taken), name=names[0], kind="audio", section=kit.section, machine=kit.machine,
            source=None, monitor="always",
        )  # fmt: skip
        bus = feed.to or next((section.bus for section in template.sections if section.id == kit.section), None)
        onward = [Route(id=next(ids), kind="feed", from_strip=old.id, to=bus)] if bus else []
    left = replace(old, name=names[0][:LONGEST_LABEL], layout="mono")
    known = {insert.id for strip in template.strips for insert in strip.inserts}
    right_id = free_id(slug(names[1]), {*taken, left.id})
    right = replace(left, id=right_id, name=names[1][:LONGEST_LABEL])
    right = replace(right, inserts=tuple(insert_for(right, insert, known) for insert in left.inserts))
    feeds = [
        replace(feed, to=left.id, channels=((1, 1),)),
        replace(feed, id=next(ids), to=right.id, channels=((2, 1),)),
    ]
    copies = [replace(route, id=next(ids), from_strip=right.id) for route in onward]
    gone = {feed.id, *(route.id for route in onward)}
    strips = (*template.strips[:at], left, right, *(strip for strip in template.strips[at:] if strip.id != left.id))
    kept = tuple(route for route in template.routes if route.id not in gone)
    return replace(template, strips=strips, routes=(*kept, *feeds, *onward, *copies))


def _alone_behind(template: Template, feed: Route) -> Strip | None:
    """The audio strip that a feed alone leads to."""
    found = next((strip for strip in template.strips if strip.id == feed.to and strip.kind == "audio"), None)
    alone = all(route.id == feed.id for route in template.routes if route.to == feed.to and route.kind != "key")
    return found if alone else None


@edit(Piece("strip"), Words("outlets"), says=_removed_words)
def remove_outlets(template: Template, strip: str, outlets: list[str]) -> Template:
    """Without some outlets, without the routes that leave them, and with their parts on no outlet."""
    index, old = strip_of(template, strip)
    gone = all_known(old.outlets, outlets, "outlet")
    parts = tuple(replace(part, outlet=None) if part.outlet in gone else part for part in old.parts)
    new = replace(old, outlets=tuple(outlet for outlet in old.outlets if outlet.id not in gone), parts=parts)
    routes = tuple(r for r in template.routes if not (r.from_strip == strip and r.from_outlet in gone))
    members = {f"{strip}/{outlet}" for outlet in gone}
    return replace(with_strip(template, index, new), routes=routes, choices=without_members(template.choices, members))
