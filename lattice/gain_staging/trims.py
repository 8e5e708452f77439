"""Trims: one change on everything that is fed to a sum, so that it leaves the room wanted and keeps its balance."""

from __future__ import annotations

import math

from lattice.gain_staging.chain import likely_db
from lattice.gain_staging.levels import Levels
from lattice.graph.signal_graph import IN, POST
from lattice.model.insert_types import LIMITING


def trim_db(levels: Levels, strip: int, room_db: float, tap: int = POST) -> float | None:
    """The one change of everything fed to a sum that leaves the room wanted.

    Parameters
    ----------
    levels
        Levels of the template.
    strip
        Position of the sum.
    room_db
        Room below full scale for its likely peak, dB.
    tap
        The place of measurement: after the fader; before the chain if a ceiling in it would hide the input level.

    Returns
    -------
    float or None
        Change in dB, to 0.1; None where nothing sounds there.
    """
    piece = levels.graph.strips[strip]
    held = any(insert.type in LIMITING and insert.ceiling_db is not None for insert in piece.inserts)
    stage = levels.at(strip, IN if held else tap)
    likely = likely_db(stage) if stage is not None else -math.inf
    return None if likely == -math.inf else math.floor((-room_db - likely) * 10 + 1e-9) / 10


def trimmed(levels: Levels, strip: int, change_db: float) -> list[tuple[str, float]]:
    """The gains of a sum's routes after one change of all.

    Parameters
    ----------
    levels
        Levels of the template.
    strip
        Position of the sum.
    change_db
        The change, dB.

    Returns
    -------
    list of (str, float)
        Id and new gain, dB, of every route with signal.
    """
    routes = levels.graph.routes
    return [
        (routes[route].id, round((routes[route].gain_db or 0.0) + change_db, 4))
        for route in levels.graph.ins[strip]
        if levels.brings(route)
    ]
