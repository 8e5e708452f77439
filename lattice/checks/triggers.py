"""Triggers, which work keys and are not to be heard."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.graph.paths import Path
from lattice.graph.reach import Backward


@check("route.trigger-heard")
def trigger_heard(scene: Scene) -> Iterator[Finding]:
    """Triggers that sound at an output or in a stem."""
    if not scene.compiled.by_tag["trigger"]:
        return
    tagged = set(scene.compiled.by_tag["trigger"])
    sources = {(strip, outlet) for strip, outlet in scene.sources if strip in tagged}
    # a bus that gathers triggers is one as well: what is fed to it must not be heard
    buses = {(strip, -1) for strip in tagged if scene.sounds.fed[strip] and scene.unblocked.enters(strip)}
    audible = scene.unblocked.to_endpoints(prints=False)
    for strip, outlet in sorted(sources | buses):
        if outlet >= 0:
            is_heard = audible.outlet[outlet]
        else:
            is_heard = audible.own[strip] if (strip, outlet) in sources else audible.fed[strip]
        if is_heard:
            yield _trigger_heard(scene, strip, outlet, audible)


def _trigger_heard(scene: Scene, strip: int, outlet: int, audible: Backward) -> Finding:
    end, routes = _way_to_audible(scene, strip, outlet)
    path = Path(strip, tuple(routes), outlet)
    return Finding(
        code="route.trigger-heard",
        severity="blocker",
        message=f"The trigger {scene.source_name(strip, outlet)} is heard at {scene.name(end)}",
        strips=tuple(dict.fromkeys((scene.strip(strip).id, scene.strip(end).id))),
        outlets=scene.outlet_id(strip, outlet),
        routes=scene.route_ids(routes),
        evidence=(scene.hops(path),),
        remedies=_silencing(scene, strip, outlet, audible),
    )


def _silencing(scene: Scene, strip: int, outlet: int, audible: Backward) -> tuple[Remedy, ...]:
    """Disable every route of the trigger that leads to where it is heard; none where its own strip is heard."""
    compiled, reach = scene.compiled, scene.unblocked
    if outlet < 0 and reach.ends_here(strip, prints=False):
        return ()
    outs = compiled.outs[strip] if outlet < 0 else compiled.outlet_outs[outlet]
    heard = [route for route in outs if reach.route_ok[route] and audible.fed[compiled.head[route]]]
    steps = tuple(
        Step("change_route", {"route": route, "changes": {"enabled": False}}) for route in scene.route_ids(heard)
    )
    first = f"its {compiled.routes[heard[0]].kind} to {scene.name(compiled.head[heard[0]])}"
    return (Remedy(f"Disable {first}" if len(heard) == 1 else f"Disable its {len(heard)} routes to it", steps),)


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
