"""Triggers, which work keys and are not to be heard."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.graph.paths import Path


@check("route.trigger-heard")
def trigger_heard(scene: Scene) -> Iterator[Finding]:
    """Triggers that sound at an output or in a stem."""
    if not scene.compiled.by_tag["trigger"]:
        return
    triggers = [(strip, outlet) for strip, outlet in scene.sources if "trigger" in scene.strip(strip).tags]
    if not triggers:
        return
    audible = scene.unblocked.to_endpoints(prints=False)
    for strip, outlet in triggers:
        if audible.own[strip] if outlet < 0 else audible.outlet[outlet]:
            yield _trigger_heard(scene, strip, outlet)


def _trigger_heard(scene: Scene, strip: int, outlet: int) -> Finding:
    end, routes = _way_to_audible(scene, strip, outlet)
    path = Path(strip, tuple(routes), outlet)
    off = Step("change_route", {"route": "".join(scene.route_ids(routes[:1])), "changes": {"enabled": False}})
    return Finding(
        code="route.trigger-heard",
        severity="blocker",
        message=f"The trigger {scene.source_name(strip, outlet)} is heard at {scene.name(end)}",
        strips=tuple(dict.fromkeys((scene.strip(strip).id, scene.strip(end).id))),
        outlets=scene.outlet_id(strip, outlet),
        routes=scene.route_ids(routes),
        evidence=(scene.hops(path),),
        remedies=(Remedy("Disable its first route", (off,)),) if routes else (),
    )


def _way_to_audible(scene: Scene, strip: int, outlet: int) -> tuple[int, list[int]]:
    """The shortest unblocked way from a trigger to an output or stem."""
    compiled, reach = scene.compiled, scene.unblocked
    if outlet < 0 and reach.ends_here(strip, prints=False):
        return strip, []
    came: dict[int, int] = {}
    waiting = [(strip, compiled.outs[strip] if outlet < 0 else compiled.outlet_outs[outlet])]
    while waiting:
        _at, routes = waiting.pop(0)
        for route in routes:
            head = compiled.head[route]
            if not reach.route_ok[route] or head in came:
                continue
            came[head] = route
            if reach.ends_here(head, prints=False) and reach.enters(head):
                return head, _back(compiled.tail, came, head, strip)
            if reach.monitors[head]:
                waiting.append((head, compiled.outs[head]))
    raise ValueError("a trigger was said to be heard, and no way was found")


def _back(tail: list[int], came: dict[int, int], end: int, start: int) -> list[int]:
    routes: list[int] = []
    at = end
    while not routes or at != start:
        routes.append(came[at])
        at = tail[came[at]]
    return routes[::-1]
