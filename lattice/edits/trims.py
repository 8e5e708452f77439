"""Trims: one change on everything that is fed to a sum."""

from __future__ import annotations

from typing import Any

from lattice.analysis import Analysis
from lattice.edits.arguments import Level, Piece, name_of
from lattice.edits.described import edit
from lattice.edits.pieces import strip_of
from lattice.edits.routes import change_route
from lattice.errors import EditError
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.trims import trim_db, trimmed
from lattice.model.document import Template
from lattice.model.units import words_db


def _change_db(template: Template, strip: str, room_db: float | None) -> tuple[Levels, float | None]:
    """The levels as they are, and the change that leaves the room wanted; None where there is none."""
    number, _piece = strip_of(template, strip)
    levels = Analysis(template).levels
    return levels, None if room_db is None else trim_db(levels, number, room_db)


def _words(template: Template, arguments: dict[str, Any]) -> str:
    change = _change_db(template, arguments["strip"], arguments["room_db"])[1]
    return f"Trim all into {name_of(template, 'strip', arguments['strip'])} by {words_db(change, plus=True)} dB"


@edit(Piece("strip"), Level("room_db", "room"), says=_words)
def trim(template: Template, strip: str, room_db: float | None) -> Template:
    """All feeds of a sum changed by the same amount, so that it leaves `room_db` to full scale; their balance stays."""
    strip_number, trimmed_strip = strip_of(template, strip)
    levels, change = _change_db(template, strip, room_db)
    if change is None:
        raise EditError(f"no source reaches {trimmed_strip.name}, or no headroom was given")
    gains = trimmed(levels, strip_number, change)
    if not gains:
        raise EditError(f"{trimmed_strip.name} has no feeds")
    for route, gain_db in gains:
        template = change_route(template, route, {"gain_db": gain_db})
    return template
