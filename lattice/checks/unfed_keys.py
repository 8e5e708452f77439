"""Inserts keyed from outside without a key signal."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import ISSUES, IssueKind, check, explain
from lattice.model.edit_step import EditStep

UNFED_KEYS = "keys"


@check("key.unfed")
def unfed_keys(analysis: Analysis) -> Iterator[Finding]:
    """Inserts keyed from outside to which no key carries a source; unfinished where no key route ends at them."""
    fed = {analysis.graph.key_node[route][1] for route in analysis.graph.keys if analysis.carries(route)}
    keyed = {analysis.graph.key_node[route][1] for route in analysis.graph.keys}
    for strip_number, place in analysis.graph.inserts.listening:
        strip = analysis.strip(strip_number)
        insert = strip.inserts[place]
        if not strip.in_service or insert.state != "on" or insert.id in fed:
            continue
        is_open = insert.id not in keyed
        routes = [route for route in analysis.graph.keys if analysis.graph.key_node[route][1] == insert.id]
        yield Finding(
            code="key.unfed",
            severity="note" if is_open else "warning",
            standing="unfinished" if is_open else "wrong",
            issue=f"{UNFED_KEYS}:{insert.title} {insert.type}" if is_open else "",
            message=f"{insert.name or insert.id} on {strip.name} has no key signal{' yet' if is_open else ''}",
            strips=(strip.id,),
            routes=analysis.route_ids(routes),
            inserts=(insert.id,),
            evidence=("it has no key route" if is_open else "its key routes carry no signal",),
            remedies=() if is_open else _opened_keys(analysis, routes),
        )


def _opened_keys(analysis: Analysis, routes: list[int]) -> tuple[Remedy, ...]:
    """Disabled or silent key routes enabled at 0 dB; a trigger whose mute blocks its key is unmuted."""
    steps: dict[str, EditStep] = {}
    sounding = [route for route in routes if _would_sound(analysis, route)]
    for route in sounding:
        key, trigger = analysis.graph.routes[route], analysis.strip(analysis.graph.tail[route])
        changes: dict[str, object] = {} if key.enabled else {"enabled": True}
        changes |= {"gain_db": 0.0} if key.gain_db is None and not key.automated else {}
        if changes:
            steps[key.id] = EditStep("change_route", {"route": key.id, "changes": changes})
        states: dict[str, object] = {"mute": False} if trigger.mute and key.tap == "post-fader" else {}
        states |= {"fader_db": 0.0} if trigger.fader_db is None and key.tap == "post-fader" else {}
        states |= {} if trigger.in_service else {"in_service": True}
        if states:
            steps[trigger.id] = EditStep("change_strip", {"strip": trigger.id, "changes": states})
    tails = [analysis.graph.tail[route] for route in sounding]
    label = f"Open the key{'s' if len(tails) > 1 else ''} from {analysis.names(tails)}"
    return (Remedy(label, tuple(steps.values()), "state"),) if steps else ()


def _would_sound(analysis: Analysis, route: int) -> bool:
    """Whether a key route carries sound once it and its trigger are open; a silent trigger stays silent."""
    graph, outlet = analysis.graph, analysis.graph.outlet[route]
    trigger = graph.tail[route]
    if not analysis.strip(trigger).in_service:
        return graph.is_source[trigger] and not graph.passes_input[trigger]
    return analysis.unblocked.outlet_sounds(outlet) if outlet >= 0 else analysis.sounds.leaves[trigger]


def _unfed_words(_analysis: Analysis, findings: Sequence[Finding]) -> str:
    if len(findings) == 1:
        return findings[0].message
    return (
        f"{len(findings)} keyed inserts {findings[0].issue.partition(':')[2].rpartition(' ')[0]} have no key signal yet"
    )


def _unfed_fixes(analysis: Analysis, findings: Sequence[Finding]) -> Iterator[Remedy]:
    """All keyed by one trigger: by those that key inserts of the same name, else by each trigger there is."""
    graph = analysis.graph
    places = [(graph.insert_at[one.inserts[0]], one.inserts[0]) for one in findings]
    first = analysis.strip(places[0][0][0]).inserts[places[0][0][1]]
    siblings = [
        r
        for r in graph.keys
        if (graph.insert_of_key(r).title, graph.insert_of_key(r).type) == (first.title, first.type)
    ]
    triggers = dict.fromkeys(graph.tail[route] for route in siblings) or dict.fromkeys(graph.by_tag["trigger"])
    for trigger in triggers:
        steps = tuple(
            EditStep("add_route", {"route": _key_route(analysis, trigger, strip, insert)})
            for (strip, _place), insert in places
            if strip != trigger and graph.machine_of(strip) == graph.machine_of(trigger)
        )
        if steps:
            label = f"Key all {len(steps)} by" if len(steps) > 1 else "Key by"
            yield Remedy(f"{label} {analysis.name(trigger)}", steps)
    own = tuple(EditStep("change_insert", {"insert": insert, "changes": {"key": "internal"}}) for _at, insert in places)
    yield Remedy("Detect from their own signal" if len(own) > 1 else "Detect from its own signal", own)


def _key_route(analysis: Analysis, trigger: int, strip: int, insert: str) -> dict[str, object]:
    """A key that leaves before the fader: a fader move must not change the duck (common practice)."""
    ends = {"from": analysis.strip(trigger).id, "to": analysis.strip(strip).id, "to_insert": insert}
    return {"kind": "key", **ends, "tap": "pre-fader"}


ISSUES[UNFED_KEYS] = IssueKind(UNFED_KEYS, "key.unfed", _unfed_words, _unfed_fixes)


explain(
    "key.unfed",
    many="{n} keyed inserts have no key signal",
    found="An insert with an external key receives no signal at its key input.",
    why="The ducker or gate does nothing, though the mix depends on it.",
    how="The key routes of the insert are followed back to a source over open paths.",
    fix="Route its trigger to it, or set its key to internal.",
    decide="Only you know the trigger. Key it on the map, or set its key to internal.",
    place="map",
)
