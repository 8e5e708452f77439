"""Ducking in one step: a ducker on each of some strips, keyed by one trigger."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Level, Piece, Pieces, Text, name_of
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, insert_ids, made, strip_of
from lattice.errors import EditError
from lattice.model.document import Insert, Route, Strip, Template
from lattice.model.insert_types import DUCKING
from lattice.model.name_words import is_duck_name
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.units import parse_ratio

# Where people begin: threshold about −20 dB, 3:1 (common practice).
USUAL_THRESHOLD_DB = -20.0
USUAL_RATIO = "3"
TAPS = ("pre-fader", "post-fader", "pre-insert")  # the usual one first: a fader move must not change the duck


def _words(template: Template, arguments: dict[str, Any]) -> str:
    many = Pieces("strips").said(arguments["strips"], template)
    return f"Duck {many} by {name_of(template, 'strip', arguments['trigger'])}"


@edit(
    Pieces("strips"),
    Piece("trigger", "by"),
    Level("threshold_db", "threshold", default=USUAL_THRESHOLD_DB),
    Text("ratio", default=USUAL_RATIO),
    Choice("tap", "taken", options=TAPS, default=TAPS[0]),
    says=_words,
)
def duck(
    template: Template,
    strips: list[str],
    trigger: str,
    threshold_db: float | None = USUAL_THRESHOLD_DB,
    ratio: str = USUAL_RATIO,
    tap: str = TAPS[0],
) -> Template:
    """Each strip ducked by a trigger: by a ducker that it has, else by a new compressor.

    A ducker is a compressor or limiter that the trigger keys already, that has an external key without a source, or
    that is named so and not keyed yet. One that another trigger keys stays as it is.

    Parameters
    ----------
    template
        The template.
    strips
        The ducked strips.
    trigger
        The trigger; it is not one of the ducked strips.
    threshold_db, ratio
        Of the compressors: a level in dB, and a ratio as people type it. A ducker keeps its own where these are usual.
    tap
        Where new keys leave the trigger; before its fader, a fader move does not change the duck.

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
    is_usual = threshold_db == USUAL_THRESHOLD_DB and ratio == USUAL_RATIO
    keyed = {route.to_insert: route.from_strip for route in template.routes if route.kind == "key"}
    taken, ids, keys = insert_ids(template), free_route_ids(template), []

    def key(strip: Strip, insert: str) -> None:
        route = {"id": next(ids), "kind": "key", "from": trigger, "to": strip.id, "to_insert": insert, "tap": tap}
        keys.append(made(Route, route))

    def ducked(strip: Strip) -> Strip:
        if any(keyed.get(insert.id) == trigger and insert.type in DUCKING for insert in strip.inserts):
            inserts = (replace(one, **settings) if keyed.get(one.id) == trigger else one for one in strip.inserts)
            return replace(strip, inserts=tuple(inserts))
        ducker = next((insert for insert in strip.inserts if _is_free_ducker(insert, keyed)), None)
        if ducker is not None:
            own = {name: value for name, value in settings.items() if not is_usual or getattr(ducker, name) is None}
            key(strip, ducker.id)
            working = replace(ducker, key="external", state="on", **own)
            return replace(strip, inserts=tuple(working if one is ducker else one for one in strip.inserts))
        new = free_id(slug(f"{strip.id} duck"), taken)
        taken.add(new)
        key(strip, new)
        insert = Insert(id=new, name="Duck", type="compressor", key="external", latency_samples=None, **settings)
        return replace(strip, inserts=(*strip.inserts, insert))

    after = tuple(ducked(strip) if strip.id in wanted else strip for strip in template.strips)
    return replace(template, strips=after, routes=(*template.routes, *keys))


def _is_free_ducker(insert: Insert, keyed: dict[str | None, str]) -> bool:
    """Return whether an insert waits for a key, or is named like a ducker; one that is keyed stays."""
    return insert.type in DUCKING and insert.id not in keyed and (insert.key == "external" or is_duck_name(insert.name))
