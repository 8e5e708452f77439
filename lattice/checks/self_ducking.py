"""Keyed inserts that duck sources of their own key."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.graph.origin import Origin
from lattice.model.edit_step import EditStep
from lattice.model.names import joined

# Heard by themselves, or on no programme: their duck is meant.
UNDUCKED = frozenset(("pop", "click"))


@check("key.ducks-itself")
def ducks_itself(analysis: Analysis) -> Iterator[Finding]:
    """Keyed inserts that work on some of the sources of their key: the voice in the bus that it ducks."""
    graph = analysis.graph
    by_insert: dict[str, list[int]] = defaultdict(list)
    for route in analysis.working_keys:
        by_insert[graph.insert_of_key(route).id].append(route)
    reach, keying_of = analysis.key_reach, defaultdict(set)
    insert_of = {
        reach.key_bit[route].bit_length() - 1: insert for insert, routes in by_insert.items() for route in routes
    }
    all_keys = sum(reach.key_bit.values())
    for mask in reach.sources:
        bits = mask & all_keys
        while bits:  # the keys these sources reach, from the lowest bit on
            insert = insert_of.get((bits & -bits).bit_length() - 1)
            if insert is not None:
                keying_of[insert].add(mask)
            bits &= bits - 1
    for insert in by_insert:
        host = graph.head[by_insert[insert][0]]
        host_bit, keying = reach.strip_bit[host], keying_of[insert]
        both = [mask for mask in keying if mask & host_bit]
        if both and len(both) < len(keying):
            shared = sorted(origin for mask in both for origin in reach.sources[mask])
            meant = (one for one in shared if not UNDUCKED & set(analysis.strip(one.strip).tags))
            dry = [one for one in meant if _arrives_dry(analysis, one, host)]
            if dry:
                yield _ducks_itself(analysis, insert, host, dry)


def _arrives_dry(analysis: Analysis, origin: Origin, host: int) -> bool:
    """Some of a source's sound is at the keyed strip without having passed a reverb, delay or modulation."""
    if origin.strip == host or origin not in analysis.playing:
        return origin.strip == host
    found = analysis.response(origin).at_in.get(host)
    return found is not None and any(row for row in found.c)


def _ducks_itself(analysis: Analysis, insert: str, host: int, dry: list[Origin]) -> Finding:
    graph = analysis.graph
    _strip, place = graph.insert_at[insert]
    names = joined(dict.fromkeys(analysis.source_name(*one) for one in dry))
    keyed = graph.strips[host].inserts[place]
    return Finding(
        code="key.ducks-itself",
        severity="warning",
        message=f"{keyed.name or keyed.id} on {analysis.name(host)} ducks {names} by its own key",
        strips=tuple(dict.fromkeys(analysis.ids([host, *(one.strip for one in dry)]))),
        inserts=(insert,),
        evidence=(f"{names} {'are' if len(dry) > 1 else 'is'} in the key and in {analysis.name(host)}",),
        remedies=_past(analysis, host, dry),
    )


def _past(analysis: Analysis, host: int, dry: list[Origin]) -> tuple[Remedy, ...]:
    """The sources fed past the ducked bus, to where it goes."""
    graph = analysis.graph
    onward = [r for r in graph.outs[host] if graph.routes[r].kind == "feed" and graph.routes[r].enabled]
    steps, starts = [], []
    for origin in dry:
        outs = graph.outs[origin.strip] if origin.outlet < 0 else graph.outlet_outs[origin.outlet]
        moved = [r for r in outs if graph.head[r] == host and graph.routes[r].kind == "feed"]
        if not moved or not onward:
            return ()
        to = graph.routes[onward[0]].to
        fed = any(graph.routes[r].to == to for r in outs)
        leaving = {"from_outlet": graph.outlets[origin.outlet][1].id} if origin.outlet >= 0 else {}
        steps.append(EditStep("remove_routes", {"routes": list(analysis.route_ids(moved))}))
        if not fed:
            route = {"kind": "feed", "from": analysis.strip(origin.strip).id, "to": to, **leaving}
            steps.append(EditStep("add_route", {"route": route | {"tap": graph.routes[moved[0]].tap}}))
        starts.append(origin.strip)
    end = analysis.name(graph.head[onward[0]])
    return (Remedy(f"Feed {analysis.names(starts)} to {end}, past {analysis.name(host)}", tuple(steps), "route"),)


explain(
    "key.ducks-itself",
    many="{n} keyed inserts duck their own key",
    found="Some sources of a key, and not all of them, are in the signal that the keyed insert ducks.",
    why="The voice ducks itself together with the music. It gets quieter whenever it speaks.",
    how=(
        "The sources of every active key are compared with the sources that arrive dry at the keyed strip. A reverb "
        "ducked by its own sender is intended. Sources tagged pop or click are left out."
    ),
    fix="Feed those sources past the ducked bus, to its destination.",
    decide="Only you know the sources that should be ducked. Move the others to another bus.",
    place="map",
)
