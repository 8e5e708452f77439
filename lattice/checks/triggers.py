"""Triggers: they work keys and should reach no output."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.checks.remedies import disabling_steps
from lattice.graph.origin import Origin
from lattice.graph.paths import Path
from lattice.graph.reach import Backward
from lattice.model.edit_step import EditStep
from lattice.model.names import with_kind


@check("route.trigger-heard")
def trigger_heard(analysis: Analysis) -> Iterator[Finding]:
    """Triggers that sound at an output or in a stem."""
    if not analysis.graph.by_tag["trigger"]:
        return
    tagged = set(analysis.graph.by_tag["trigger"])
    sources = {(strip, outlet) for strip, outlet in analysis.sources if strip in tagged}
    # a bus of triggers is a trigger too: its inputs must not reach an output
    buses = {Origin(strip) for strip in tagged if analysis.sounds.fed[strip] and analysis.unblocked.enters(strip)}
    reach = analysis.unblocked
    sound = reach.forward((n for n, outlet in sources | buses if outlet < 0), (o for _n, o in sources if o >= 0))
    if not any(sound.arrives[end] and reach.ends_here(end, prints=False) for end in analysis.graph.ends):
        return  # nearly always: few strips are behind triggers
    audible = reach.to_endpoints(prints=False)
    for strip, outlet in sorted(sources | buses):
        if outlet >= 0:
            is_heard = audible.outlet[outlet]
        else:
            is_heard = audible.own[strip] if (strip, outlet) in sources else audible.fed[strip]
        if is_heard:
            yield _trigger_heard(analysis, strip, outlet, audible)


def _trigger_heard(analysis: Analysis, strip: int, outlet: int, audible: Backward) -> Finding:
    end, routes = _way_to_audible(analysis, strip, outlet)
    path = Path(strip, tuple(routes), outlet)
    return Finding(
        code="route.trigger-heard",
        severity="blocker",
        message=f"{with_kind('Trigger', analysis.source_name(strip, outlet))} is audible at {analysis.name(end)}",
        strips=tuple(dict.fromkeys((analysis.strip(strip).id, analysis.strip(end).id))),
        outlets=analysis.outlet_id(strip, outlet),
        routes=analysis.route_ids(routes),
        evidence=(analysis.hops(path),),
        remedies=_silencing(analysis, strip, outlet, audible),
    )


def _silencing(analysis: Analysis, strip: int, outlet: int, audible: Backward) -> tuple[Remedy, ...]:
    """Disable every route from the trigger to an endpoint; none if its own strip is an endpoint."""
    graph, reach = analysis.graph, analysis.unblocked
    if outlet < 0 and reach.ends_here(strip, prints=False):
        return ()
    outs = graph.outs[strip] if outlet < 0 else graph.outlet_outs[outlet]
    heard = [route for route in outs if reach.route_ok[route] and audible.fed[graph.head[route]]]
    steps = disabling_steps(analysis.route_ids(heard))
    first = f"its {graph.routes[heard[0]].kind} to {analysis.name(graph.head[heard[0]])}"
    return (Remedy(f"Disable {first}" if len(heard) == 1 else f"Disable its {len(heard)} routes to it", steps),)


def _way_to_audible(analysis: Analysis, strip: int, outlet: int) -> tuple[int, list[int]]:
    """The shortest unblocked path from a trigger to an output or stem."""
    graph, reach = analysis.graph, analysis.unblocked
    if outlet < 0 and reach.ends_here(strip, prints=False):
        return strip, []
    came: dict[int, int] = {}
    waiting = [(strip, graph.outs[strip] if outlet < 0 else graph.outlet_outs[outlet])]
    while waiting:
        _at, routes = waiting.pop(0)
        for route in routes:
            head = graph.head[route]
            if not reach.route_ok[route] or head in came:
                continue
            came[head] = route
            if reach.ends_here(head, prints=False) and reach.enters(head):
                return head, _back(graph.tail, came, head, strip)
            if reach.monitors[head]:
                waiting.append((head, graph.outs[head]))
    raise ValueError("a trigger was marked as audible, but no path was found")


def _back(tail: list[int], came: dict[int, int], end: int, start: int) -> list[int]:
    routes: list[int] = []
    at = end
    while not routes or at != start:
        routes.append(came[at])
        at = tail[came[at]]
    return routes[::-1]


@check("trigger.untagged")
def untagged(analysis: Analysis) -> Iterator[Finding]:
    """Sources that only key routes leave, without the tag."""
    for number in analysis.graph.untagged_triggers:
        strip = analysis.strip(number)
        if analysis.is_kept_apart(number):
            continue
        keyed = [analysis.graph.head[route] for route in analysis.graph.keys_from[number]]
        tag = EditStep("change_strip", {"strip": strip.id, "changes": {"tags": [*strip.tags, "trigger"]}})
        yield Finding(
            code="trigger.untagged",
            severity="note",
            message=f"{strip.name} only keys {analysis.names(keyed)} and is not tagged trigger",
            strips=(strip.id,),
            evidence=("no feed or send leaves it",),
            remedies=(Remedy("Tag it trigger", (tag,)),),
        )


explain(
    "trigger.untagged",
    many="{n} triggers are not tagged",
    found="Only key routes leave a source, and it is not tagged trigger.",
    why="It counts as a trigger. A later feed to the mix would not be noticed.",
    how="The routes of each source with a key route are read, disabled ones included.",
    fix="Tag the source as a trigger.",
)

explain(
    "route.trigger-heard",
    many="{n} triggers are audible",
    found="A key trigger has an open path to an output or a stem.",
    why="Clicks and thumps of the trigger are in the programme.",
    how="Paths of strips tagged trigger, and of their buses, are followed to outputs and stems.",
    fix="Disable its routes to the mix. Its keys stay.",
    decide="The trigger is an endpoint itself. Move its output, or remove the tag.",
    place="map",
)
