"""The way from the last sum to where a mix ends, and the trim that makes it softer there."""

from __future__ import annotations

import math

from lattice.analysis import Analysis
from lattice.checks.finding import Remedy
from lattice.checks.remedies import trim_steps
from lattice.model.edit_step import EditStep
from lattice.model.units import words_db


def from_last_sum(analysis: Analysis, number: int) -> list[int]:
    """Strips from the last one with two or more audible routes, up to `number`."""
    found, levels = [number], analysis.levels
    while True:
        into = [r for r in analysis.graph.ins[found[0]] if levels.goes(r) and levels.at_route(r) is not None]
        if len(into) != 1 or analysis.graph.outlet[into[0]] >= 0 or analysis.graph.tail[into[0]] in found:
            return found
        found.insert(0, analysis.graph.tail[into[0]])


def softer(analysis: Analysis, number: int, over_db: float, insert: str | None = None) -> tuple[Remedy, ...]:
    """A trim of everything fed to the last sum before a strip; of a lone source, of its fader or of the insert before.

    Parameters
    ----------
    analysis
        The analysis.
    number
        The strip that clips.
    over_db
        By how much.
    insert
        The insert at whose input it clips; None for the strip's own end.
    """
    change_db = -math.ceil(over_db * 10 - 1e-9) / 10
    first = from_last_sum(analysis, number)[0]
    steps = trim_steps(analysis.levels, first, change_db)
    if steps:
        return (Remedy(f"Trim all {len(steps)} by {words_db(change_db)} dB, same balance", steps, "gain"),)
    strip = analysis.strip(first)
    if strip.fader_db is None or (insert is not None and first == number):
        return ()
    fader = EditStep("change_strip", {"strip": strip.id, "changes": {"fader_db": round(strip.fader_db + change_db, 1)}})
    return (Remedy(f"Lower the fader of {strip.name} by {words_db(-change_db)} dB", (fader,)),)
