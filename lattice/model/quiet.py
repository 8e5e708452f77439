"""Edits that change levels and texts only: flow, settings and latencies stay.

Most edits of a session are of this kind: faders, gains, thresholds, names. Results about the flow stay valid after them
and are reused.
"""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.model.document import Insert, Profile, Route, Strip, Template

# Fields without influence on flow, settings or times. All others have some, including future fields.
OF_TEMPLATE: dict[str, Any] = {"name": "", "note": "", "info": {}, "waivers": (), "views": (), "profile": Profile()}
OF_STRIP: dict[str, Any] = {
    "name": "-", "note": "", "colour": None, "pan": 0.0, "invert": False, "memory_mb": None,
}  # fmt: skip
OF_INSERT: dict[str, Any] = {
    "name": "", "maker": "", "version": "", "gain_db": 0.0, "wet": 1.0, "threshold_db": None, "ratio": None,
    "ceiling_db": None, "attack_ms": None, "release_ms": None, "low_cut_hz": None, "high_cut_hz": None,
    "memory_mb": None,
}  # fmt: skip
OF_ROUTE: dict[str, Any] = {"pan": 0.0}


def is_quiet(before: Template, after: Template) -> bool:
    """Return whether an edit leaves the flow, its states and its times as they were.

    Parameters
    ----------
    before, after
        The template before and after it.

    Returns
    -------
    bool
        O(strips + routes) of plain comparisons, most of them of pieces that are the very same.
    """
    if len(before.strips) != len(after.strips) or len(before.routes) != len(after.routes):
        return False
    if _rest(before) != _rest(after):
        return False
    return all(
        was is now or was == now or _flow(was) == _flow(now)
        for was, now in zip(before.strips, after.strips, strict=True)
    ) and all(
        was is now or was == now or _course(was) == _course(now)
        for was, now in zip(before.routes, after.routes, strict=True)
    )


def _rest(template: Template) -> Template:
    return replace(template, strips=(), routes=(), **OF_TEMPLATE)


def _flow(strip: Strip) -> Strip:
    is_off = strip.fader_db is None
    inserts = tuple(map(_passing, strip.inserts))
    return replace(strip, fader_db=None if is_off else 0.0, inserts=inserts, **OF_STRIP)


def _passing(insert: Insert) -> Insert:
    return replace(insert, **OF_INSERT)


def _course(route: Route) -> Route:
    return replace(route, gain_db=None if route.gain_db is None else 0.0, **OF_ROUTE)
