"""Insert or dissolve a bus without a change of sound."""

from __future__ import annotations

import math

from msgspec.structs import replace

from lattice.edits.arguments import Flag, Piece, Pieces, Text, Words
from lattice.edits.described import edit, nothing_else
from lattice.edits.pieces import all_known, inserted, strip_of
from lattice.errors import EditError
from lattice.gain_staging.gains import chain_gain, pan_of, route_gain, route_matrix_of
from lattice.graph.signal_graph import SignalGraph
from lattice.model.dangling import rule_without
from lattice.model.document import Insert, Route, Strip, Template
from lattice.model.layouts import Matrix
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.units import decibels


@edit(
    Pieces("strips"),
    Piece("to"),
    Text("name", default=""),
    Words("inserts", default=None),
    says="Add a bus between {strips} and {to}",
    keeps_sound=nothing_else,
)
def insert_bus(
    template: Template, strips: list[str], to: str, name: str = "", inserts: list[str] | None = None
) -> Template:
    """A bus between the feeds of some strips and their destination; some of the destination's inserts move onto it.

    The bus has the destination's layout and comes before it; the feeds keep their levels.
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


@edit(
    Piece("bus"),
    Flag("hand_on", "move its inserts to its destination", default=False),
    says="Remove bus {bus}",
    keeps_sound=nothing_else,
)
def dissolve_bus(template: Template, bus: str, hand_on: bool = False) -> Template:
    """Without a bus: its inputs go to its destinations, at the level after the bus's fader.

    Parameters
    ----------
    template
        The template.
    bus
        Its id. Rules that name it lose it; those that have nothing else to name go.
    hand_on
        Whether its inserts and their keys move to the front of the chain of the one strip it feeds.

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
        raise EditError(f"{old_bus.name} cannot be removed: it has inserts, mute, fader off or inverted polarity")
    if any(route.kind not in ("feed", "send") or route.gain_db is None for route in (*ins, *outs)):
        raise EditError(f"{old_bus.name} cannot be removed: its keys or routes at off need it")
    is_named = any(section.bus == bus for section in template.sections)
    if is_named or any(bus in (stem.strip, stem.print) for stem in template.stems):
        raise EditError(f"{old_bus.name} is the bus of a section or the strip of a stem; assign a different one first")
    graph = SignalGraph(template)
    ids = free_route_ids(template)
    joined = [_joined(graph, come, go, next(ids)) for come in ins for go in outs]
    kept = tuple(route for route in template.routes if bus not in (route.from_strip, route.to))
    strips = (*template.strips[:at], *template.strips[at + 1 :])
    rules = (left for rule in template.rules if (left := rule_without(rule, {f"strip:{bus}"})) is not None)
    return replace(template, strips=strips, routes=(*kept, *joined), rules=tuple(rules))


def _joined(graph: SignalGraph, come: Route, go: Route, new_id: str) -> Route:
    """One route with the gain of two and the bus between them.

    It uses the channels of the first, or pairs of its own; and a pan of its own if mono feeds a wider strip. Raises
    EditError if no single route equals the two (a bus that is panned, or folds and widens again).
    """
    first, last = graph.route_index[come.id], graph.route_index[go.id]
    bus, end = graph.strips[graph.head[first]], graph.strips[graph.head[last]]
    both = route_gain(graph, first).then(chain_gain(bus, graph.stage[last])).then(route_gain(graph, last))
    kind = "send" if "send" in (come.kind, go.kind) else "feed"
    base = replace(
        come, id=new_id, to=go.to, kind=kind, enabled=come.enabled and go.enabled,
        automated=come.automated or go.automated,
    )  # fmt: skip
    layout = graph.layout_leaving(first)
    law_db, tail = graph.template.pan_law_db, graph.strips[graph.tail[first]]
    panned = replace(base, channels=None, pan=pan_of(go, bus))
    for route in (base, panned, replace(base, channels=None), replace(base, channels=_pairs(both.matrix))):
        alone = route_matrix_of(route, layout, tail, end.layout, law_db)
        factor = _factor(alone, both.matrix)
        if factor is not None:
            return replace(route, gain_db=both.level_db + decibels(factor))
    raise EditError(
        f"{bus.name} changes the channels between {tail.name} and {end.name} (pan, layout or channel list) "
        "; no single route can do the same"
    )


def _pairs(matrix: Matrix) -> tuple[tuple[int, int], ...]:
    """The channels that a matrix joins, as [source, destination] from 1."""
    return tuple(sorted((column + 1, row + 1) for row, column, by in matrix.entries if by))


def _factor(one: Matrix, wanted: Matrix) -> float | None:
    """The gain that makes one matrix the other; None where no gain does, or where nothing passes."""
    cells = [(a, b) for row, other in zip(one, wanted, strict=True) for a, b in zip(row, other, strict=True)]
    largest = max(cells, key=lambda cell: abs(cell[0]), default=(0.0, 0.0))
    factor = largest[1] / largest[0] if largest[0] else 0.0
    alike = all(math.isclose(a * factor, b, rel_tol=1e-12, abs_tol=1e-15) for a, b in cells)
    return factor if factor > 0 and alike else None


def _inserts_handed_on(template: Template, bus: str) -> Template:
    """The inserts of a bus at the front of the chain it feeds; their keys follow."""
    _at, old_bus = strip_of(template, bus)
    ends = {route.to for route in template.routes if route.from_strip == bus and route.kind == "feed"}
    if len(ends) != 1:
        raise EditError(f"{old_bus.name} feeds {len(ends)} strips; its inserts can move only to a single destination")
    end = ends.pop()
    moved = {insert.id for insert in old_bus.inserts}

    def after(strip: Strip) -> Strip:
        if strip.id == bus:
            return replace(strip, inserts=())
        return replace(strip, inserts=(*old_bus.inserts, *strip.inserts)) if strip.id == end else strip

    routes = (replace(route, to=end) if route.to_insert in moved else route for route in template.routes)
    return replace(template, strips=tuple(map(after, template.strips)), routes=tuple(routes))
