"""A source's path to an endpoint, stage by stage: the level there, the gain or loss of each step, and its control."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from lattice.gain_staging.chain import Stage, entering, figures, likely_db
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.source_response import LIKELY, SourceGains, SourceResponse
from lattice.graph.paths import Path
from lattice.graph.signal_graph import IN, POST
from lattice.model.document import Insert
from lattice.model.units import decibels, words_db

# A what-if of a step changes: edit, field, value, strip, and route or insert if it is one.
Control = dict[str, Any]


@dataclass(frozen=True)
class LevelStep:
    """One stage of the path: its total level (loudest channel), and the source's own part of it."""

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
    taken_db: float = 0.0  # what compressors and ceilings take off here
    reduced_db: float = 0.0  # and up to here

    @property
    def mark(self) -> str:
        """Names its field on the page."""
        return "-".join((self.strip, self.control.get("field", "state"), self.control.get("id", "")))

    @property
    def is_over(self) -> bool:
        """Return whether the likely peak is above full scale."""
        return self.likely_db is not None and self.likely_db > 0

    @property
    def room_db(self) -> float | None:
        """To full scale, from the likely peak."""
        return None if self.likely_db is None else -self.likely_db


def level_steps(levels: Levels, path: Path) -> list[LevelStep]:
    """Every step of a path, with the gain of each and the reduction so far."""
    graph, response = levels.graph, SourceResponse(levels, path.start, path.outlet, weight=LIKELY)
    steps = [_at_source(levels, path, response)]
    strips = path.strips(graph)
    for at, strip_number in enumerate(strips):
        if at == 0 and path.outlet >= 0:
            continue  # it leaves past the chain
        if at:
            steps.append(_entered(levels, path.routes[at - 1], response))
        leaves = graph.stage[path.routes[at]] if at < len(path.routes) else POST
        strip = graph.strips[strip_number]
        recorded_in = at == len(path.routes) and strip.kind == "print" and strip.records == "in"
        if leaves != IN and not recorded_in:
            steps += _chain(levels, strip_number, response)
            if leaves == POST and levels.post[strip_number] is not None and strip.kind != "print":
                steps.append(_fader(levels, strip_number, response))
    return _counted(steps)


def _step(levels: Levels, number: int, what: str, stage: Stage, own: SourceGains | None, **more: Any) -> LevelStep:
    peak, likely, rms = figures(stage).loudest
    level = more.pop("response").level(own)
    name = more.pop("name", "")
    strip = levels.graph.strips[number].id
    own_db = decibels(level) if level else None
    return LevelStep(strip, name, what, peak, likely, rms, own_db, **more)


def _at_source(levels: Levels, path: Path, response: SourceResponse) -> LevelStep:
    graph, strip = levels.graph, levels.graph.strips[path.start]
    source = response.source
    control = {
        "edit": "move_source",
        "field": "peak_dbfs",
        "value": source and words_db(source.peak_dbfs),
        "strip": strip.id,
    }
    if path.outlet >= 0:
        outlet = graph.outlets[path.outlet][1]
        stage = levels.outlet_stages[path.outlet]
        control |= {"hidden": "outlet", "id": outlet.id}
        level = response.amplitude
        peak, likely, rms = figures(stage).loudest if stage else (None, None, None)
        name, own = f"{strip.name} {outlet.name or outlet.id}", decibels(level) if level else None
        return LevelStep(strip.id, name, "outlet", peak, likely, rms, own, control)
    stage = levels.stages[path.start][0]
    own_part = response.at(path.start, IN)
    return _step(levels, path.start, "source", stage, own_part, response=response, name=strip.name, control=control)


def _entered(levels: Levels, route: int, response: SourceResponse) -> LevelStep:
    graph, entered_by = levels.graph, levels.graph.routes[route]
    strip_number = graph.head[route]
    count = sum(levels.brings(other) for other in graph.ins[strip_number])
    level = f" {words_db(entered_by.gain_db)}" if entered_by.gain_db else ""
    if count > 1:
        words = f"sum of {count}, {entered_by.kind} from {graph.strips[graph.tail[route]].name}{level}"
    else:
        words = f"in, {entered_by.kind}{level}" if level else "in"
    control = {
        "edit": "change_route",
        "field": "gain_db",
        "value": words_db(entered_by.gain_db),
        "hidden": "route",
        "id": entered_by.id,
    }
    control["strip"] = graph.strips[graph.tail[route]].id
    name, stage = graph.strips[strip_number].name, levels.stages[strip_number][0]
    return _step(
        levels, strip_number, words, stage, response.at(strip_number, IN), response=response, name=name, control=control
    )


def _chain(levels: Levels, strip_number: int, response: SourceResponse) -> list[LevelStep]:
    strip, stages, own = levels.graph.strips[strip_number], levels.stages[strip_number], response.stages(strip_number)
    steps = []
    for place, insert in enumerate(strip.inserts):
        shown = levels.insert_figures(strip_number, place)
        control = {
            "edit": "change_insert",
            "state": insert.state,
            "hidden": "insert",
            "id": insert.id,
            "strip": strip.id,
        }
        words, is_drawn = _insert_words(levels, strip_number, place), insert.state == "on"
        step = _step(
            levels, strip_number, words, stages[place + 1], own[place + 1], response=response, control=control,
            drawn=is_drawn and stages[place + 1] is not stages[place],
        )  # fmt: skip
        steps.append(replace(step, taken_db=shown.reduction_db + shown.pushed_db))
    return steps


def _fader(levels: Levels, number: int, response: SourceResponse) -> LevelStep:
    strip, stage = levels.graph.strips[number], levels.post[number]
    if stage is None:
        raise ValueError(f"the fader of {strip.id} passes no signal")
    control = {"edit": "change_strip", "field": "fader_db", "value": words_db(strip.fader_db), "strip": strip.id}
    words = f"fader {words_db(strip.fader_db)}"
    own = response.at(number, POST)
    return _step(levels, number, words, stage, own, response=response, control=control, drawn=bool(strip.fader_db))


def _insert_words(levels: Levels, strip_number: int, place: int) -> str:
    insert: Insert = levels.graph.strips[strip_number].inserts[place]
    if insert.state != "on":
        return f"{insert.title}, {insert.state}"
    shown = levels.insert_figures(strip_number, place)
    if shown.reduction_db:
        return f"{insert.type} {words_db(-shown.reduction_db)}"
    if shown.pushed_db:
        return f"{insert.type}, pushed {shown.pushed_db:.1f}"
    before = entering(levels.graph.strips[strip_number], levels.stages[strip_number], place, levels.carriers)
    change = likely_db(levels.stages[strip_number][place + 1]) - likely_db(before)
    return f"{insert.type} {words_db(change, plus=True)}"


def _counted(steps: list[LevelStep]) -> list[LevelStep]:
    """With the gain of each step, and gain reductions added up along the path."""
    counted: list[LevelStep] = []
    reduced_db = 0.0
    before_db: float | None = None
    for step in steps:
        reduced_db += step.taken_db
        gain_db = None if before_db is None or step.own_db is None else step.own_db - before_db
        counted.append(replace(step, gain_db=gain_db, reduced_db=reduced_db))
        before_db = step.own_db
    return counted
