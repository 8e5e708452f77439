"""Connecting strips: one or many to one, one each in order, instead of where they went or as well."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Fields, Flag, Level, Piece, Pieces, Text, Whole, name_of, piece_named
from lattice.edits.batches import batch_routes
from lattice.edits.channels import next_midi
from lattice.edits.described import edit
from lattice.edits.physical_ends import with_physical_end
from lattice.edits.pieces import all_known, strip_of
from lattice.edits.routes import add_route, connected_words
from lattice.errors import EditError
from lattice.graph.signal_graph import SignalGraph
from lattice.model import route_kinds
from lattice.model.document import Route, Template, machine_id
from lattice.model.layouts import DISCRETE, channel_count
from lattice.model.validate import route_rules


def _connected_words(template: Template, arguments: dict[str, Any]) -> str:
    instead = " replacing its feeds" if arguments.get("instead") else ""
    return f"{connected_words(template, arguments)}{instead}"


@edit(Fields("route", piece=Route), Flag("instead", default=False), says=_connected_words)
def connect(template: Template, route: dict[str, Any], instead: bool = False) -> Template:
    """A route between two strips; `from` may name an outlet as strip/outlet. The default kind is a feed.

    An end may be physical channels of the main machine like “Out 3-4” or “In 5”: where no strip has them, one is made.
    Only a send has a level by default: feeds are at 0 dB. `instead`: a feed replaces the feeds from the same origin.
    """
    missing = [end for end in ("from", "to") if not route.get(end)]
    if missing:
        raise EditError(*(f"{end} is missing" for end in missing))
    start, _slash, outlet = str(route["from"]).partition("/")
    kind = route.get("kind") or "feed"
    fields = {name: value for name, value in route.items() if value is not None or name == "gain_db"}
    fields |= {"kind": kind, "from": start}
    if outlet or route.get("from_outlet"):
        fields["from_outlet"] = outlet or route["from_outlet"]
    for end in ("from", "to"):
        template, fields[end] = with_physical_end(template, str(fields[end]))
        piece_named(template, "strip", fields[end])
    if instead and kind == "feed":
        after = refed(template, {start}, fields["to"], fields.get("from_outlet"))
        if after.routes != template.routes:
            return after
    return add_route(template, fields)


def refed(template: Template, strips: set[str] | frozenset[str], to: str, outlet: str | None = None) -> Template:
    """The feeds that leave strips (at their own end, or at an outlet) lead to `to` instead, one each, at its level."""
    ours = [r for r in template.routes if r.kind == "feed" and r.from_strip in strips and r.from_outlet == outlet]
    kept = {route.from_strip: route.id for route in reversed(ours)} | {r.from_strip: r.id for r in ours if r.to == to}
    gone = {route.id for route in ours} - set(kept.values())
    led = {route.id for route in ours if route.to != to} - gone
    routes = (replace(r, to=to, channels=None) if r.id in led else r for r in template.routes if r.id not in gone)
    after = replace(template, routes=tuple(routes))
    sentences_of = route_rules(after)
    problems = [sentence for route in after.routes if route.id in led for sentence in sentences_of(route)]
    if problems:
        raise EditError(*dict.fromkeys(problems))
    return after


def _many_words(template: Template, arguments: dict[str, Any]) -> str:
    many = Pieces("strips").said(arguments["strips"], template)
    to = name_of(template, "strip", arguments["to"].partition("/")[0])
    kind = arguments.get("kind", "feed").capitalize()
    instead = " instead" if arguments.get("instead") and kind == "Feed" else ""
    return f"{kind} {many} to {to}{instead}"


@edit(
    Pieces("strips"),
    Text("to"),
    Choice("kind", options=tuple(route_kinds.TRAITS), default="feed"),
    Level("gain_db", "level", default=0.0),
    Text("tap", default="post-fader"),
    Flag("instead", "replacing their feeds", default=False),
    Whole("first_channel", "first channel", default=None, low=1, high=1024),
    says=_many_words,
)
def connect_many(
    template: Template,
    strips: list[str],
    to: str,
    kind: str = "feed",
    gain_db: float | None = 0.0,
    tap: str = "post-fader",
    instead: bool = False,
    first_channel: int | None = None,
) -> Template:
    """The same route from many strips to one.

    Parameters
    ----------
    template
        The template.
    strips
        Ids of those that it leaves.
    to
        The strip it ends at, or physical channels like “Out 3-4” (a strip is made); a key goes to strip/insert.
    kind, gain_db, tap
        Of the routes; the level is that of sends, the tap that of feeds, sends and keys. Notes take the next free
        channels of an instrument.
    instead
        A feed takes the place of the feeds that leave there.
    first_channel
        Channel of the destination at which the first one lands, the others behind it in session order, past the
        channels that other strips take; None: as layouts map.

    Raises
    ------
    EditError
        Where a route may not be made, or the destination has too few free channels.
    """
    template, to = with_physical_end(template, to)
    fields: dict[str, Any] = {"kind": kind, "to": to}
    if kind in ("feed", "send", "key"):
        fields["tap"] = tap
    if kind == "send":
        fields["gain_db"] = gain_db
    if kind == "key":
        fields["to"], _slash, fields["to_insert"] = to.partition("/")
    if kind == "midi":
        return _played(template, strips, to)
    if instead and kind == "feed":
        template = refed(template, all_known(template.strips, strips, "strip"), to)
    made = batch_routes(template, strips, fields)
    return made if first_channel is None else number_routes(made, strips, to, first_channel)


def _played(template: Template, strips: list[str], to: str) -> Template:
    """Notes of several strips to an instrument, on its next free channels."""
    wanted = all_known(template.strips, strips, "strip")
    _index, played = strip_of(template, to)
    for strip in (strip.id for strip in template.strips if strip.id in wanted):
        fields: dict[str, Any] = {"kind": "midi", "from": strip, "to": to}
        if played.kind == "instrument":
            fields["port"], fields["channel"] = next_midi(template, (), to)
        template = add_route(template, fields)
    return template


@edit(
    Pieces("strips"),
    Piece("to"),
    Whole("first", "first channel", default=1, low=1, high=1024),
    says="Number channels of {strips} at {to}",
)
def number_routes(template: Template, strips: list[str], to: str, first: int = 1) -> Template:
    """Channels in sequence for the feeds and sends of strips to one that keeps channels apart.

    Each takes as many as it has, in session order from `first` on, past those that others take.
    """
    wanted = all_known(template.strips, strips, "strip")
    index, end = strip_of(template, to)
    ours = {route.id: route for route in template.routes if route.to == to and route.from_strip in wanted}
    ours = {name: route for name, route in ours.items() if route.kind in ("feed", "send")}
    if not ours:
        raise EditError(f"none of these strips feeds {end.name}")
    graph = SignalGraph(template)
    widths = {route.id: channel_count(graph.layout_leaving(n)) for n, route in enumerate(graph.routes)}
    most, place = channel_count(end.layout), {strip.id: number for number, strip in enumerate(template.strips)}
    taken = _taken(graph, index, ours.keys())
    pairs: dict[str, tuple[tuple[int, int], ...]] = {}
    at = first
    for route in sorted(ours.values(), key=lambda route: place[route.from_strip]):
        width = widths[route.id]
        while at + width - 1 <= most and taken & set(range(at, at + width)):
            at += 1
        if at + width - 1 > most:
            raise EditError(
                f"{len(ours)} routes do not fit into {end.name} from channel {first} on: it has {most} channels, "
                f"and {len(taken)} are taken by others"
            )
        pairs[route.id] = tuple((channel, at + channel - 1) for channel in range(1, width + 1))
        at += width
    routes = (replace(route, channels=pairs[route.id]) if route.id in pairs else route for route in template.routes)
    return replace(template, routes=tuple(routes))


def _taken(graph: SignalGraph, strip_number: int, but: Iterable[str]) -> set[int]:
    """Channels of a strip, from 1, that routes take by number, but for some of the routes."""
    taken: set[int] = set()
    left_out = set(but)
    for number in graph.ins[strip_number]:
        route = graph.routes[number]
        if route.id in left_out:
            continue
        if route.channels is not None:
            taken |= {end for _start, end in route.channels}
        elif DISCRETE in (
            graph.layout_leaving(number)[: len(DISCRETE)],
            graph.strips[strip_number].layout[: len(DISCRETE)],
        ):
            taken |= set(range(1, channel_count(graph.layout_leaving(number)) + 1))
    return taken


def _pairwise_words(template: Template, arguments: dict[str, Any]) -> str:
    many, to = Pieces("strips").said(arguments["strips"], template), name_of(template, "strip", arguments["to"])
    return f"{arguments.get('kind', 'feed').capitalize()} {many} one to one, from {to} on"


@edit(
    Pieces("strips"),
    Piece("to", "from this strip on"),
    Choice("kind", options=("feed", "send", "midi", "tie"), default="feed"),
    Level("gain_db", "level", default=0.0),
    Text("tap", default="post-fader"),
    Flag("instead", "replacing their feeds", default=False),
    says=_pairwise_words,
)
def connect_pairwise(
    template: Template,
    strips: list[str],
    to: str,
    kind: str = "feed",
    gain_db: float | None = 0.0,
    tap: str = "post-fader",
    instead: bool = False,
) -> Template:
    """Each of n strips to one of its own: those of the kind and machine of `to`, from it on, in session order."""
    wanted = all_known(template.strips, strips, "strip")
    index, first = strip_of(template, to)
    machine = machine_id(template, first)
    ends = [
        strip.id
        for strip in template.strips[index:]
        if strip.kind == first.kind and strip.id not in wanted and machine_id(template, strip) == machine
    ]
    if len(ends) < len(wanted):
        raise EditError(
            f"{len(wanted)} strips are selected; from {first.name} on there are only {len(ends)} of kind {first.kind}"
        )
    starts = (strip.id for strip in template.strips if strip.id in wanted)
    for start, end in zip(starts, ends, strict=False):
        template = connect_many(template, [start], end, kind, gain_db, tap, instead)
    return template
