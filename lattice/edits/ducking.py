"""Ducking in one step: a compressor on each of some strips, keyed by one trigger."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Level, Piece, Pieces, Text, name_of
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, insert_ids, strip_of
from lattice.errors import EditError
from lattice.model.document import Insert, Route, Strip, Template
from lattice.model.insert_types import DUCKING
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.units import parse_ratio

# Where people begin: threshold about −20 dB, 3:1 (common practice).
USUAL_THRESHOLD_DB = -20.0
USUAL_RATIO = "3"


def _words(template: Template, arguments: dict[str, Any]) -> str:
    many = Pieces("strips").said(arguments["strips"], template)
    return f"Duck {many} by {name_of(template, 'strip', arguments['trigger'])}"


@edit(
    Pieces("strips"),
    Piece("trigger", "by"),
    Level("threshold_db", "threshold", default=USUAL_THRESHOLD_DB),
    Text("ratio", default=USUAL_RATIO),
    says=_words,
)
def duck(
    template: Template,
    strips: list[str],
    trigger: str,
    threshold_db: float | None = USUAL_THRESHOLD_DB,
    ratio: str = USUAL_RATIO,
) -> Template:
    """Each strip gets a compressor that the trigger keys; one that it keys already gets threshold and ratio.

    Parameters
    ----------
    template
        The template.
    strips
        The ducked strips.
    trigger
        The trigger; it is not one of the ducked strips.
    threshold_db, ratio
        Of the compressors: a level in dB, and a ratio as people type it.

    Raises
    ------
    EditError
        Where a strip carries no sound, or the trigger is one of the strips.
    """
    wanted = all_known(template.strips, strips, "strip")
    _index, by = strip_of(template, trigger)
    if trigger in wanted:
        raise EditError(f"{by.name} cannot duck itself; remove it from the selection")
    silent = [strip.name for strip in template.strips if strip.id in wanted and not strip.traits.carries_sound]
    if silent or not by.traits.carries_sound:
        raise EditError(f"{', '.join(silent[:5]) or by.name}: a MIDI strip has no audio to duck")
    try:
        settings: dict[str, Any] = {"threshold_db": threshold_db, "ratio": parse_ratio(ratio)}
    except ValueError as wrong:
        raise EditError(f"ratio: {wrong}") from None
    keyed = {route.to_insert for route in template.routes if route.kind == "key" and route.from_strip == trigger}
    taken, ids, keys = insert_ids(template), free_route_ids(template), []

    def ducked(strip: Strip) -> Strip:
        if any(insert.id in keyed and insert.type in DUCKING for insert in strip.inserts):
            inserts = (replace(one, **settings) if one.id in keyed else one for one in strip.inserts)
            return replace(strip, inserts=tuple(inserts))
        new = free_id(slug(f"{strip.id} duck"), taken)
        taken.add(new)
        keys.append(Route(id=next(ids), kind="key", from_strip=trigger, to=strip.id, to_insert=new))
        insert = Insert(id=new, name="Duck", type="compressor", key="external", **settings)
        return replace(strip, inserts=(*strip.inserts, insert))

    after = tuple(ducked(strip) if strip.id in wanted else strip for strip in template.strips)
    return replace(template, strips=after, routes=(*template.routes, *keys))
