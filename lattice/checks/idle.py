"""Faders and sends left at off."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.checks.remedies import route_words
from lattice.graph.signal_graph import POST
from lattice.model.edit_step import EditStep
from lattice.model.names import capitalised


@check("level.idle")
def idle(analysis: Analysis) -> Iterator[Finding]:
    """A fader at off before an enabled route, or a send at off without automation."""
    graph = analysis.graph
    for strip_number, strip in enumerate(graph.strips):
        if strip.fader_db is None and strip.kind != "midi" and not analysis.is_kept_apart(strip_number):
            leaving = [r for r in graph.outs[strip_number] if graph.routes[r].enabled and graph.stage[r] == POST]
            if leaving or graph.is_endpoint(strip_number):
                yield Finding(
                    code="level.idle",
                    severity="note",
                    message=f"Fader of {strip.name} is off",
                    strips=(strip.id,),
                    evidence=("it passes no signal",),
                    remedies=(Remedy("Set to 0 dB", (_change("change_strip", "strip", strip.id, "fader_db"),)),),
                )
    for route_number, route in enumerate(graph.routes):
        if route.gain_db is None and route.enabled and not route.automated and route.kind != "midi":
            ends = [graph.tail[route_number], graph.head[route_number]]
            yield Finding(
                code="level.idle",
                severity="note",
                message=f"{capitalised(route_words(analysis, route_number))} is off",
                strips=analysis.ids(ends),
                routes=(route.id,),
                evidence=("it is enabled but carries no signal",),
                remedies=(
                    Remedy(
                        "Mark as automated",
                        (EditStep("change_route", {"route": route.id, "changes": {"automated": True}}),),
                    ),
                    Remedy("Set to 0 dB", (_change("change_route", "route", route.id, "gain_db"),)),
                ),
            )


def _change(edit: str, what: str, id_: str, name: str) -> EditStep:
    return EditStep(edit, {what: id_, "changes": {name: 0.0}})


explain(
    "level.idle",
    many="{n} faders or sends are off",
    found="A fader is off, or a send without automation is off on an enabled route.",
    why="The strip is routed but has no effect.",
    how="Faders and gains at off are listed.",
    fix="Set a level, or disable the route.",
)
