"""Effects on strips made one shared return, with the sound kept by the mix law of the insert."""

from __future__ import annotations

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Piece, Pieces, Text, Words
from lattice.edits.described import edit, nothing_else
from lattice.edits.pieces import all_known, strip_of
from lattice.errors import EditError
from lattice.gain_staging.gains import insert_layouts, pan_of
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import LONGEST_LABEL, Insert, Route, Strip, Template
from lattice.model.insert_types import DECORRELATING, TRANSPARENT
from lattice.model.names import free_id, free_route_ids, joined, slug
from lattice.model.units import decibels

# Two inserts that differ in one of these are two effects; level, mix and place in the chain go into the sends.
SETTINGS = (
    "type", "state", "latency_samples", "measured_latency_samples", "low_cut_hz", "high_cut_hz", "delay_ms",
    "pre_delay_ms", "feedback",
)  # fmt: skip


@edit(
    Pieces("strips"),
    Choice("type", "effect", options=tuple(sorted(DECORRELATING))),
    Text("name", default=""),
    Piece("to", "the return feeds", default=""),
    says=lambda template, said: (
        f"The {said['type']} of {Pieces('strips').said(said['strips'], template)} "
        f"becomes the return {said.get('name') or _shared_name(said['type'])}"
    ),
    keeps_sound=nothing_else,
)
def effect_to_return(template: Template, strips: list[str], type: str, name: str = "", to: str = "") -> Template:
    """All effects of one type on some strips become one shared return (`insert_to_return`)."""
    wanted = all_known(template.strips, strips, "strip")
    hosts = (strip for strip in template.strips if strip.id in wanted)
    inserts = [insert.id for strip in hosts for insert in strip.inserts if insert.type == type]
    return insert_to_return(template, inserts, name or _shared_name(type), to)


def _shared_name(kind: str) -> str:
    return f"Shared {kind}"


@edit(
    Words("inserts"), Text("name"), Piece("feed"), says="{inserts} effects become the return {name}",
    keeps_sound=nothing_else,
)  # fmt: skip
def insert_to_return(template: Template, inserts: list[str], name: str, feed: str) -> Template:
    """The same effect on several strips becomes one shared return, dry and wet part as loud as before.

    With wet w and gain g an insert gives (1−w)·in + w·g·(in processed) (docs/reference/model.md). The first insert
    moves onto the return, fully wet at 0 dB. A gain of 20·log10(1−w) dB replaces the insert in each chain, and a
    post-fader send at 20·log10(w/(1−w)) dB + g carries the wet part. A fully wet strip no longer feeds `feed`: the
    return does. The return has the layout of `feed`, so that the channels of both paths are the same.

    Parameters
    ----------
    template
        The template.
    inserts
        Ids of reverbs, delays or modulations that are on and at least partly wet, one a strip, set alike but for
        gain and mix.
    name
        Of the return.
    feed
        Id of the strip that it feeds: each of the strips feeds it too.

    Raises
    ------
    EditError
        Where an insert is none of these, or something behind it in its chain would change the wet part too.
    """
    places = {i.id: (n, i) for n, strip in enumerate(template.strips) for i in strip.inserts if i.id in set(inserts)}
    if len(places) != len(set(inserts)) or not inserts:
        raise EditError("some of these inserts do not exist")
    _at, end = strip_of(template, feed)
    first = places[inserts[0]][1]
    strips = list(template.strips)
    for number, insert in places.values():
        _may_move(strips[number], insert, first)
    if len({number for number, _insert in places.values()}) < len(places):
        raise EditError("two of these inserts are on one strip, one after the other")
    back = Strip(
        id=free_id(slug(name), {strip.id for strip in strips}), name=name, kind="return", layout=end.layout,
        machine=end.machine, inserts=(replace(first, wet=1.0, gain_db=0.0, layout_in=None, layout_out=None),),
    )  # fmt: skip
    taken = {insert.id for strip in strips for insert in strip.inserts}
    routes, ids = list(template.routes), free_route_ids(template)
    routes.append(Route(id=next(ids), kind="feed", from_strip=back.id, to=feed))
    graph = SignalGraph(template)
    for number, insert in places.values():
        strip = strips[number]
        strips[number] = _dry(strip, insert, graph.strips[number].layout, taken)
        feeds = [route for route in routes if _leads(route, strip.id, feed)]
        like = feeds[0] if feeds else Route(id="", kind="feed", from_strip=strip.id, to=feed)
        dry = 1.0 - insert.wet
        level_db = decibels(insert.wet / (dry or 1.0)) + insert.gain_db + (like.gain_db or 0.0)
        send = replace(like, id=next(ids), kind="send", to=back.id, gain_db=level_db, pan=pan_of(like, strip))
        routes = [route for route in routes if dry or route not in feeds] + [send]
    return replace(template, strips=(*strips, back), routes=tuple(routes))


def _leads(route: Route, strip: str, end: str) -> bool:
    return route.kind == "feed" and route.from_strip == strip and route.to == end and route.tap == "post-fader"


def _may_move(strip: Strip, insert: Insert, first: Insert) -> None:
    """Raises EditError where the sound of an insert cannot come from a shared return."""
    if not insert.traits.decorrelates or insert.wet <= 0 or insert.state != "on":
        raise EditError("only a reverb, delay or modulation that is on and at least partly wet becomes a return")
    other = [field for field in SETTINGS if getattr(insert, field) != getattr(first, field)]
    if other:
        words = joined([field.replace("_", " ") for field in other])
        raise EditError(f"{insert.name or insert.type} on {strip.name} differs from the first one ({words})")
    behind = strip.inserts[strip.inserts.index(insert) + 1 :]
    acts = [known for known in behind if known.state == "on" and known.type not in TRANSPARENT]
    if acts:
        raise EditError(f"{acts[0].name or acts[0].type} on {strip.name} follows the effect and processes it too")


def _dry(strip: Strip, insert: Insert, before: str, taken: set[str]) -> Strip:
    """The strip with the dry part of an insert in its place: a gain, or nothing where none is needed."""
    at = strip.inserts.index(insert)
    for known in strip.inserts[:at]:
        before = insert_layouts(known, before)[1]
    layout_in, layout_out = insert_layouts(insert, before)
    dry = 1.0 - insert.wet
    kept: tuple[Insert, ...] = ()
    if dry > 0 or before != layout_in or layout_in != layout_out:
        level_db = decibels(dry) if dry > 0 else 0.0
        name = f"Dry part of {insert.name}" if insert.name else "Dry part"
        new_id = free_id(f"{insert.id}-dry"[:64], taken)
        taken.add(new_id)
        kept = (
            Insert(
                id=new_id, name=name[:LONGEST_LABEL], type="gain", gain_db=level_db,
                layout_in=insert.layout_in, layout_out=insert.layout_out,
            ),
        )  # fmt: skip
    return replace(strip, inserts=(*strip.inserts[:at], *kept, *strip.inserts[at + 1 :]))
