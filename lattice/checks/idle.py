"""Faders and sends left at off."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.graph.compiled import POST


@check("level.idle")
def idle(scene: Scene) -> Iterator[Finding]:
    """A fader at off before an enabled route, or a send at off that nobody rides."""
    compiled = scene.compiled
    for number, strip in enumerate(compiled.strips):
        if strip.fader_db is None and strip.kind != "midi" and not scene.is_kept_apart(number):
            leaving = [r for r in compiled.outs[number] if compiled.routes[r].enabled and compiled.stage[r] == POST]
            if leaving or compiled.is_endpoint(number):
                yield Finding(
                    code="level.idle",
                    severity="note",
                    message=f"the fader of {strip.name} is at off",
                    strips=(strip.id,),
                    evidence=("nothing leaves behind it",),
                    remedies=(Remedy("Set it to 0 dB", (_change("change_strip", "strip", strip.id, "fader_db"),)),),
                )
    for number, route in enumerate(compiled.routes):
        if route.gain_db is None and route.enabled and not route.automated and route.kind != "midi":
            ends = [compiled.tail[number], compiled.head[number]]
            yield Finding(
                code="level.idle",
                severity="note",
                message=f"the {route.kind} from {scene.name(ends[0])} to {scene.name(ends[1])} is at off",
                strips=scene.ids(ends),
                routes=(route.id,),
                evidence=("it is on, and brings nothing",),
                remedies=(
                    Remedy(
                        "It is ridden", (Step("change_route", {"route": route.id, "changes": {"automated": True}}),)
                    ),
                    Remedy("Set it to 0 dB", (_change("change_route", "route", route.id, "gain_db"),)),
                ),
            )


def _change(edit: str, what: str, id_: str, name: str) -> Step:
    return Step(edit, {what: id_, "changes": {name: 0.0}})
