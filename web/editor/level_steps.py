"""A source's way to an endpoint, stage by stage: what stands there, what each step gains or takes, and its control."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from lattice.graph.compiled import IN, POST
from lattice.graph.paths import Path
from lattice.levels.chain import Stage, entering, figures, likely_db
from lattice.levels.levels import Levels
from lattice.levels.single import LIKELY, Part, Single
from lattice.model.document import Insert
from lattice.model.units import decibels, words_db

Control = dict[
    str, Any
]  # what a what-if of this step changes: field, value, strip, and route or insert where it is one


@dataclass(frozen=True)
class LevelStep:
    """One stage of the way: what is there in all (loudest channel), and the source's own part of it."""

    strip: str  # its id, for links
    name: str  # "" within the same strip
    what: str
    peak_db: float | None
    likely_db: float | None
    rms_db: float | None
    own_db: float | None
    control: Control
    drawn: bool = True  # False: nothing changes here, so the drawing leaves it out
    gain_db: float | None = None  # of this step, on the source's own peak
    reduced_db: float = 0.0  # what compressors and ceilings have taken up to here

    @property
    def mark(self) -> str:
        """Names its field on the page."""
        return "-".join((self.strip, self.control.get("field", "state"), self.control.get("id", "")))

    @property
    def room_db(self) -> float | None:
        """To full scale, from the likely peak."""
        return None if self.likely_db is None else -self.likely_db


def level_steps(levels: Levels, path: Path) -> list[LevelStep]:
    """Every step of a path, with the gain of each and the reduction so far."""
    compiled, single = levels.compiled, Single(levels, path.start, path.outlet, weight=LIKELY)
    found = [_at_source(levels, path, single)]
    strips = path.strips(compiled)
    for at, number in enumerate(strips):
        if at == 0 and path.outlet >= 0:
            continue  # it leaves past the chain
        if at:
            found.append(_entered(levels, path.routes[at - 1], single))
        leaves = compiled.stage[path.routes[at]] if at < len(path.routes) else POST
        strip = compiled.strips[number]
        recorded_in = at == len(path.routes) and strip.kind == "print" and strip.records == "in"
        if leaves != IN and not recorded_in:
            found += _chain(levels, number, single)
            if leaves == POST and levels.post[number] is not None and strip.kind != "print":
                found.append(_fader(levels, number, single))
    return _counted(found)


def _step(levels: Levels, number: int, what: str, stage: Stage, own: Part | None, **more: Any) -> LevelStep:
    peak, likely, rms = figures(stage).loudest
    level = more.pop("single").level(own)
    name = more.pop("name", "")
    strip = levels.compiled.strips[number].id
    own_db = decibels(level) if level else None
    return LevelStep(strip, name, what, peak, likely, rms, own_db, **more)


def _at_source(levels: Levels, path: Path, single: Single) -> LevelStep:
    compiled, strip = levels.compiled, levels.compiled.strips[path.start]
    source = single.source
    control = {"field": "source_peak_dbfs", "value": source and words_db(source.peak_dbfs), "strip": strip.id}
    if path.outlet >= 0:
        outlet = compiled.outlets[path.outlet][1]
        stage = levels.outlet_stages[path.outlet]
        control |= {"hidden": "outlet", "id": outlet.id}
        level = single.amplitude
        peak, likely, rms = figures(stage).loudest if stage else (None, None, None)
        name, own = f"{strip.name} {outlet.name or outlet.id}", decibels(level) if level else None
        return LevelStep(strip.id, name, "outlet", peak, likely, rms, own, control)
    stage = levels.stages[path.start][0]
    own_part = single.at(path.start, IN)
    return _step(levels, path.start, "source", stage, own_part, single=single, name=strip.name, control=control)


def _entered(levels: Levels, route: int, single: Single) -> LevelStep:
    compiled, piece = levels.compiled, levels.compiled.routes[route]
    number = compiled.head[route]
    count = sum(levels.brings(other) for other in compiled.ins[number])
    words = f"sum of {count}" if count > 1 else "in"
    words += f", {piece.kind} {words_db(piece.gain_db)}" if piece.gain_db else ""
    control = {"field": "gain_db", "value": words_db(piece.gain_db), "hidden": "route", "id": piece.id}
    control["strip"] = compiled.strips[compiled.tail[route]].id
    name, stage = compiled.strips[number].name, levels.stages[number][0]
    return _step(levels, number, words, stage, single.at(number, IN), single=single, name=name, control=control)


def _chain(levels: Levels, number: int, single: Single) -> list[LevelStep]:
    strip, stages, own = levels.compiled.strips[number], levels.stages[number], single.stages(number)
    found = []
    for place, insert in enumerate(strip.inserts):
        shown = levels.insert_figures(number, place)
        control = {"state": insert.state, "hidden": "insert", "id": insert.id, "strip": strip.id}
        step = _step(
            levels, number, _insert_words(levels, number, place), stages[place + 1], own[place + 1], single=single,
            control=control, drawn=insert.state == "on" and stages[place + 1] is not stages[place],
        )  # fmt: skip
        found.append(replace(step, reduced_db=shown.reduction_db + shown.pushed_db))
    return found


def _fader(levels: Levels, number: int, single: Single) -> LevelStep:
    strip, stage = levels.compiled.strips[number], levels.post[number]
    if stage is None:
        raise ValueError(f"nothing passes the fader of {strip.id}")
    control = {"field": "fader_db", "value": words_db(strip.fader_db), "strip": strip.id}
    words = f"fader {words_db(strip.fader_db)}"
    own = single.at(number, POST)
    return _step(levels, number, words, stage, own, single=single, control=control, drawn=bool(strip.fader_db))


def _insert_words(levels: Levels, number: int, place: int) -> str:
    insert: Insert = levels.compiled.strips[number].inserts[place]
    if insert.state != "on":
        return f"{insert.name or insert.type}, {insert.state}"
    shown = levels.insert_figures(number, place)
    if shown.reduction_db:
        return f"{insert.type} {words_db(-shown.reduction_db)}"
    if shown.pushed_db:
        return f"{insert.type}, pushed {shown.pushed_db:.1f}"
    before = entering(levels.compiled.strips[number], levels.stages[number], place, levels.carriers)
    change = likely_db(levels.stages[number][place + 1]) - likely_db(before)
    return f"{insert.type} {words_db(change, plus=True)}"


def _counted(steps: list[LevelStep]) -> list[LevelStep]:
    """With the gain of each step, and reductions added up along the way."""
    found, reduced, before = [], 0.0, None
    for step in steps:
        reduced += step.reduced_db
        gain = None if before is None or step.own_db is None else step.own_db - before
        found.append(replace(step, gain_db=gain, reduced_db=reduced))
        before = step.own_db
    return found
