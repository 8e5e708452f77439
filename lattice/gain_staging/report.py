"""The figures behind the level checks, as `lattice levels` gives them (docs/reference/command-line.md)."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from lattice.gain_staging.chain import ChannelFigures
from lattice.gain_staging.levels import Levels, strip_figures


def as_json(levels: Levels) -> dict[str, Any]:
    """The form of `lattice levels --json`: strips in service that carry sound, by channel; null for silence."""
    strips = {}
    for strip_number, strip in enumerate(levels.graph.strips):
        if levels.sounds(strip_number):
            strips[strip.id] = {
                **{stage: _plain(there) for stage, there in strip_figures(levels, strip_number).items()},
                "inserts": {
                    insert.id: _insert(levels, strip_number, place) for place, insert in enumerate(strip.inserts)
                },
            }  # fmt: skip
    outlets = {
        f"{levels.graph.strips[strip].id}/{outlet.id}": _plain(figures_there)
        for at, (strip, outlet) in enumerate(levels.graph.outlets)
        if (figures_there := levels.outlet_figures(at)) is not None
    }
    cut = [levels.graph.routes[route].id for route in sorted(levels.cut)]
    return {"format": "intact-lattice.levels", "version": 1, "strips": strips, "outlets": outlets, "cut": cut}


def _plain(found: ChannelFigures) -> dict[str, list[float | None]]:
    return {name: list(values) for name, values in asdict(found).items()}


def _insert(levels: Levels, number: int, place: int) -> dict[str, Any]:
    found = levels.insert_figures(number, place)
    return {
        **_plain(found.behind),
        "reduction_db": found.reduction_db,
        "pushed_db": found.pushed_db,
        "duck_db": found.duck_db,
        "duck_peak_db": found.duck_peak_db,
    }


def as_lines(levels: Levels) -> list[str]:
    """A table to read: worst case, likely peak and expected level of the loudest channel at `in` and `post`, dBFS."""
    lines = [
        f"{'strip':32} {'in':>24}   {'post':>24}",
        f"{'dBFS':32} {'worst  likely  expected':>24}   {'worst  likely  expected':>24}",
    ]
    for strip_number, strip in enumerate(levels.graph.strips):
        if levels.sounds(strip_number):
            by_stage = strip_figures(levels, strip_number)
            cells = ["  ".join(_figure(level) for level in by_stage[stage].loudest) for stage in ("in", "post")]
            lines.append(f"{strip.name[:32]:32} {cells[0]:>24}   {cells[1]:>24}")
    return lines


def _figure(level_db: float | None) -> str:
    return f"{'−∞' if level_db is None else f'{level_db:.1f}'.replace('-', '−'):>6}"
