"""Loops: sound, keys or notes that come back to where they left."""

from __future__ import annotations

import math
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy, Severity
from lattice.checks.registry import check, explain
from lattice.checks.remedies import disabling_steps, route_words
from lattice.gain_staging.gains import delays_ms, group_gain_db, latency_samples, loop_gain_db
from lattice.graph.loops import Loop
from lattice.graph.paths import Blocker
from lattice.model.insert_types import REPEATING
from lattice.model.units import samples_to_ms, words_db
from lattice.tracing import hop_words

OFF = frozenset({"fader-off", "gain-off"})


@check("loop.audio", "loop.key", "loop.midi")
def loops(analysis: Analysis) -> Iterator[Finding]:
    """One finding for each strongly connected group and pass."""
    for loop in analysis.loops.loops:
        if loop.needs == "audio":
            yield _audio(analysis, loop)
        else:
            yield _other(analysis, loop)


def _audio(analysis: Analysis, loop: Loop) -> Finding:
    breaking = _breaking(analysis, loop)
    round_db = loop_gain_db(analysis.graph, loop.cycle)
    group_db = group_gain_db(analysis.graph, loop.group, loop.cycle)
    repeat_ms = _repeat_ms(analysis, loop)
    states = tuple(f"interrupted: {blocker.sentence}" for blocker in breaking)
    return Finding(
        code="loop.audio",
        severity=_severity(breaking),
        message=f"Feedback loop {_round(analysis, loop)}: {_verdict(round_db, group_db, repeat_ms)}",
        strips=analysis.ids(loop.strips),
        routes=_routes(analysis, loop),
        figures={"loop_gain_db": _figure(round_db), "group_gain_db": _figure(group_db), "repeat_ms": repeat_ms},
        evidence=(*_hops(analysis, loop), *states, *_rest(loop)),
        remedies=_remedies(analysis, loop, breaking),
    )


def _severity(breaking: list[Blocker]) -> Severity:
    """A blocker; a warning where a state breaks the cycle now; a note where only an off gain does."""
    if not breaking:
        return "blocker"
    return "note" if all(blocker.kind in OFF for blocker in breaking) else "warning"


def _verdict(round_db: float, group_db: float, repeat_ms: float) -> str:
    """“-3.0 dB per pass, 12.0 ms”, and whether the level grows."""
    one_pass = f"{words_db(round_db, plus=True)} dB per pass, {repeat_ms:.1f} ms"
    if round_db >= 0:
        return f"{one_pass}, runs away"
    if group_db < 0:
        return one_pass
    return f"{one_pass}, may run away with the loops beside it ({group_db:+.1f} dB)"


def _figure(level_db: float) -> float | None:
    """Figures are numbers; silence is null."""
    return None if math.isinf(level_db) else level_db


def _round(analysis: Analysis, loop: Loop) -> str:
    return " → ".join(analysis.name(strip) for strip in (*loop.strips, loop.strips[0]))


def _hops(analysis: Analysis, loop: Loop) -> Iterator[str]:
    """“Effects sends to Long echo at −8.0 dB”, for each route of the cycle."""
    graph = analysis.graph
    return (f"{analysis.name(graph.tail[route])} {hop_words(graph, route)}" for route in loop.cycle)


def _rest(loop: Loop) -> tuple[str, ...]:
    more = len(loop.group) - len(loop.cycle)
    return (f"{more} more route{'s' if more > 1 else ''} in the same loop",) if more else ()


def _routes(analysis: Analysis, loop: Loop) -> tuple[str, ...]:
    """The cycle's routes in its order, then the rest of the group's."""
    in_cycle = set(loop.cycle)
    return analysis.route_ids([*loop.cycle, *(route for route in loop.group if route not in in_cycle)])


def _breaking(analysis: Analysis, loop: Loop) -> list[Blocker]:
    """States that stop sound somewhere on the cycle, each once."""
    found: list[Blocker] = []
    for route in loop.cycle:
        tail = analysis.graph.tail[route]
        found += [*analysis.blockers.passing(tail), *analysis.blockers.on_route(route)]
    return list(dict.fromkeys(found))


def _repeat_ms(analysis: Analysis, loop: Loop) -> float:
    """Latency and delay times round the cycle, at least one buffer."""
    graph, template = analysis.graph, analysis.template
    tie_latency = {machine.id: machine.tie_latency_samples for machine in template.machines}
    samples, delay_ms = 0, 0.0
    for route in loop.cycle:
        strip = graph.strips[graph.tail[route]]
        samples += latency_samples(strip, graph.stage[route])
        delay_ms += delays_ms(strip, graph.stage[route])
        if graph.routes[route].kind == "tie":
            samples += tie_latency[graph.machine_of(graph.tail[route])]
    whole_ms = samples_to_ms(samples, template.sample_rate_hz) + delay_ms
    return max(whole_ms, samples_to_ms(template.buffer_samples, template.sample_rate_hz))


def _remedies(analysis: Analysis, loop: Loop, breaking: list[Blocker]) -> tuple[Remedy, ...]:
    """Disable the feedback routes of the cycle (of a loop of notes, the route that closes it); or one of its sends.

    None where a state breaks the cycle already: the loop stays there, with states ignored, and runs no worse.
    """
    if breaking:
        return ()
    cut = [route for route in loop.cycle if route in analysis.loops.feedback] or [loop.cycle[-1]]
    sends = [[route] for route in loop.cycle if analysis.graph.routes[route].kind == "send" and [route] != cut]
    return tuple(_disabling(analysis, loop, routes) for routes in (cut, *sends))


def _disabling(analysis: Analysis, loop: Loop, routes: list[int]) -> Remedy:
    """Disable some routes of a cycle, and those beside them that lead from the same strip to the same."""
    graph = analysis.graph
    ends = {(graph.tail[route], graph.head[route]) for route in routes}
    beside = [route for route in loop.group if (graph.tail[route], graph.head[route]) in ends]
    cut = [route for route in beside if graph.routes[route].enabled]
    what = route_words(analysis, cut[0]) if len(cut) == 1 else f"{len(cut)} feedback routes"
    return Remedy(f"Disable {what}", disabling_steps(analysis.route_ids(cut)))


def _other(analysis: Analysis, loop: Loop) -> Finding:
    if loop.needs == "key":
        code, title, tail = "loop.key", "Key loop", f": {analysis.name(loop.strips[0])} ducks its own trigger"
    else:
        code, title, tail = "loop.midi", "MIDI loop", ""
    breaking = _breaking(analysis, loop)
    states = tuple(f"interrupted: {blocker.sentence}" for blocker in breaking)
    return Finding(
        code=code,
        severity="warning",
        message=f"{title} {_round(analysis, loop)}{tail}",
        strips=analysis.ids(loop.strips),
        routes=_routes(analysis, loop),
        figures={"repeat_ms": _repeat_ms(analysis, loop)},
        evidence=(*_hops(analysis, loop), *states, *_rest(loop)),
        remedies=_remedies(analysis, loop, breaking),
    )


@check("loop.insert")
def delay_feedback(analysis: Analysis) -> Iterator[Finding]:
    """Delays whose own feedback never dies away."""
    for strip_number, place in analysis.graph.places_of(REPEATING):
        strip = analysis.strip(strip_number)
        insert = strip.inserts[place]
        if insert.feedback >= 1:
            name = f"{insert.name or insert.id} on {strip.name}"
            yield Finding(
                code="loop.insert",
                severity="blocker",
                message=f"{name}: feedback {100 * insert.feedback:g} % never decays",
                strips=(strip.id,),
                inserts=(insert.id,),
                evidence=("feedback of 100 % or more never decays",),
            )


explain(
    "loop.audio",
    many="{n} audio feedback loops",
    found="A signal feeds itself through a cycle of audio routes.",
    why=(
        "At 0 dB or more per pass the level runs away and can damage ears and speakers. Below 0 dB it colours the "
        "sound and rings."
    ),
    how=(
        "Loops are the strongly connected components of the stage graph, with settings ignored. The gain is the "
        "spectral radius of the product of the channel matrices, in absolute values."
    ),
    fix="Disable the feedback route.",
    decide="Only you know the route that closes the loop by mistake. Remove it on the map.",
    place="map",
)

explain(
    "loop.key",
    many="{n} key loops",
    found="A cycle contains a key route: a strip ducks its own trigger.",
    why="Levels become unstable and unpredictable.",
    how="Loops are strongly connected components that need a key route.",
    fix="Key it from a strip before the cycle.",
    decide="Only you know whether the loop is intended. Remove the key, or one of its routes.",
    place="map",
)

explain(
    "loop.midi",
    many="{n} MIDI loops",
    found="A cycle contains a MIDI route: a keyboard plays its own notes.",
    why="Notes double, hang or flood the port.",
    how="Loops are strongly connected components that need a MIDI route.",
    fix="Disable the feedback route, or turn local control off.",
    decide="Only you know whether the loop is intended. Remove one of its MIDI routes.",
    place="map",
)

explain(
    "loop.insert",
    many="{n} delays never decay",
    found="The feedback of a delay is 100 % or more.",
    why="Every repeat is as loud as the last, or louder.",
    how="The feedback setting is read. Below 1, the repeats sum to 1/(1−f) (geometric series).",
    fix="Set the feedback below 100 %.",
    decide="Only you know the intended feedback. Set it below 100 %.",
    place="map",
)
