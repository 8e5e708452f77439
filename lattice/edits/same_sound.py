"""Holds edits to their promise: the same levels and arrivals at every endpoint and every key input.

An edit registered with `keeps_sound` is refused where the template after it sounds different, unless the person
allows the change. The figures are those of the audit (docs/reference/checks.md, *Levels* and *Timing*), so the
promise means the
same as everywhere else.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from lattice.analysis import Analysis
from lattice.errors import EditError
from lattice.gain_staging.chain import Stage
from lattice.latency.arrivals import Span
from lattice.model.document import Template
from lattice.model.units import decibels, words_db

TOLERANCE_DB = 1e-6  # rounding of sums in another order stays far below, and a thousand times as much is inaudible
FLOOR = 1e-12  # −240 dBFS: below it a channel counts as silent
FIGURES = ("worst case", "likely peak", "expected level")
Amplitudes = list[list[float]]  # P, Q and E of every channel, linear


@dataclass(frozen=True)
class Point:
    """Sound at an endpoint or at a key input."""

    name: str
    amplitudes: Amplitudes | None  # None where it is silent
    span: Span | None  # actual arrival, samples; None for key inputs, and where nothing arrives


def refuse_other_sound(before: Template, after: Template, left_out: Collection[str] = ()) -> None:
    """Refuse an edit that changes the sound.

    Parameters
    ----------
    before, after
        The template before and after the edit. Endpoints and keyed inserts that only one of them has are not compared.
    left_out
        Ids of strips and stems whose sound may change.

    Raises
    ------
    EditError
        With the endpoint that changes most, and its figures.
    """
    one, two = Analysis(before), Analysis(after)
    if len(two.loops.feedback) > len(one.loops.feedback):
        raise EditError("this would make a loop")
    then, now = dict(_points(one)), dict(_points(two))
    shared = [key for key in then if key in now and key[1] not in left_out]
    levels = [(_level_change(then[key], now[key]), key) for key in shared]
    worst_db, key = max(levels, key=lambda found: found[0], default=(0.0, ("", "")))
    if worst_db > TOLERANCE_DB:
        raise EditError(f"this would change levels: {_level_words(then[key], now[key])}")
    for key in shared:
        if then[key].span != now[key].span:
            raise EditError(f"this would change timing: {_span_words(then[key], now[key])}")


def _points(analysis: Analysis) -> Iterator[tuple[tuple[str, str], Point]]:
    """Outputs, prints, stems and the inputs of keyed inserts, by kind and id."""
    graph, levels, arrivals = analysis.graph, analysis.levels, analysis.arrivals
    for number in graph.by_kind["output"]:
        if number not in graph.tied_out:
            strip = graph.strips[number]
            yield ("strip", strip.id), Point(strip.name, _amplitudes(levels.at_end(number)), arrivals.at_pre(number))
    for number in graph.by_kind["print"]:
        strip = graph.strips[number]
        yield ("strip", strip.id), Point(strip.name, _amplitudes(levels.at_end(number)), arrivals.prints.get(number))
    for at, stem in enumerate(graph.template.stems):
        if stem.strip is not None:
            number, stage = graph.index[stem.strip], analysis.taps.stage[at]
            span = arrivals.at_pre(number) if stage else arrivals.span(number)
            yield ("stem", stem.id), Point(stem.name, _amplitudes(levels.at(number, stage)), span)
    for strip in graph.strips:
        for insert in strip.inserts:
            if insert.key == "external" and insert.state == "on":
                key = levels.at_key.get(analysis.loops.insert_nodes.get(insert.id, -1))
                found = _amplitudes(Stage(key) if key else None)
                loudest = found and [[max(row)] for row in found]  # a detector goes by its loudest channel
                yield ("key", insert.id), Point(f"the key of {strip.name}", loudest, None)


def _amplitudes(stage: Stage | None) -> Amplitudes | None:
    if stage is None:
        return None
    sound = stage.levels
    found = [
        [p * stage.peak_gain for p in sound.p],
        [power**0.5 * stage.likely_gain for power in sound.q2],
        [power**0.5 * stage.rms_gain for power in sound.e2],
    ]
    return found if any(value > FLOOR for row in found for value in row) else None


def _level_change(then: Point, now: Point) -> float:
    """The largest change of a figure of one channel, dB; infinite where sound comes, goes or changes its width."""
    one, two = then.amplitudes, now.amplitudes
    if one is None or two is None:
        return 0.0 if one is two else float("inf")
    if len(one[0]) != len(two[0]):
        return float("inf")
    pairs = ((a, b) for old, new in zip(one, two, strict=True) for a, b in zip(old, new, strict=True))
    return max((_apart_db(a, b) for a, b in pairs), default=0.0)


def _apart_db(one: float, two: float) -> float:
    if max(one, two) <= FLOOR:
        return 0.0
    if min(one, two) <= FLOOR:
        return float("inf")
    return abs(decibels(two) - decibels(one))


def _level_words(then: Point, now: Point) -> str:
    """“Out 1–2 would have a worst case of −6.0 instead of −9.0 dBFS (channel 1)”, of the figure that changes most."""
    one, two = then.amplitudes, now.amplitudes
    if two is None:
        return f"{then.name} would be silent"
    if one is None:
        return f"{then.name} is silent now and would carry signal"
    if len(one[0]) != len(two[0]):
        return f"{then.name} would have {len(two[0])} channels instead of {len(one[0])}"
    changes = [
        (_apart_db(a, b), figure, channel, a, b)
        for figure, old, new in zip(FIGURES, one, two, strict=True)
        for channel, (a, b) in enumerate(zip(old, new, strict=True), 1)
    ]
    _apart, figure, channel, a, b = max(changes, key=lambda change: change[0])
    return (
        f"{then.name} would have a {figure} of {words_db(decibels(b))} instead of {words_db(decibels(a))} dBFS "
        f"(channel {channel})"
    )


def _span_words(then: Point, now: Point) -> str:
    if now.span is None or then.span is None:
        return f"{then.name} would {'no longer ' if then.span else ''}carry signal"
    return f"{then.name} would arrive at {now.span.words} samples instead of {then.span.words}"
