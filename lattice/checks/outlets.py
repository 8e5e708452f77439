"""Outlets of instruments without a route."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.checks.remedies import nearest_remedies
from lattice.checks.unfinished import BEGUN, NO_OUTPUT, leading_nowhere
from lattice.model.document import is_split
from lattice.model.edit_step import EditStep
from lattice.model.route_kinds import BRINGING_SOUND


@check("route.outlet-unheard")
def outlet_unheard(analysis: Analysis) -> Iterator[Finding]:
    """Open outlets without a route."""
    for outlet_number in analysis.outlets_without_route():
        strip, outlet = analysis.graph.outlets[outlet_number]
        instrument = analysis.strip(strip)
        issue = leading_nowhere(analysis, strip)
        yield Finding(
            code="route.outlet-unheard",
            severity="warning",
            standing="unfinished" if issue in (NO_OUTPUT, BEGUN) else "wrong",
            issue=issue,
            message=f"Outlet {outlet.name or outlet.id} of {instrument.name} is open but not routed",
            strips=(instrument.id,),
            outlets=(f"{instrument.id}/{outlet.id}",),
            evidence=("it has no route",),
            remedies=_outlet_remedies(analysis, strip, outlet_number),
        )


def _outlet_remedies(analysis: Analysis, strip: int, outlet: int) -> tuple[Remedy, ...]:
    piece, known = analysis.strip(strip), analysis.graph.outlets[outlet][1]
    shut = EditStep("change_outlet", {"strip": piece.id, "outlet": known.id, "changes": {"open": False}})
    close = Remedy("Close the outlet", (shut,))
    if strip in analysis.unrouted:
        return (Remedy("Add a strip for each outlet", (EditStep("wire_up", {"strips": [piece.id]}),)), close)
    return (*nearest_remedies(analysis, strip, outlet), close)


@check("route.outlet-clash")
def outlet_clash(analysis: Analysis) -> Iterator[Finding]:
    """Outlets that two routes take to different strips."""
    takers: dict[tuple[str, str], list[int]] = {}
    for route_number, route in enumerate(analysis.graph.routes):
        if route.from_outlet is not None and route.kind in BRINGING_SOUND:
            takers.setdefault((route.from_strip, route.from_outlet), []).append(route_number)
    for (strip, outlet), routes in takers.items():
        heads = list(dict.fromkeys(analysis.graph.head[route] for route in routes))
        if len(heads) > 1 and not _takes_sides(analysis, strip, outlet, routes):
            name = analysis.name(analysis.graph.index[strip])
            yield Finding(
                code="route.outlet-clash",
                severity="note",
                message=f"Outlet {outlet} of {name} feeds {len(heads)} strips: {analysis.names(heads)}",
                strips=(strip, *analysis.ids(heads)),
                routes=analysis.route_ids(routes),
                outlets=(f"{strip}/{outlet}",),
                evidence=(analysis.names(heads),),
            )


def _takes_sides(analysis: Analysis, strip_id: str, outlet: str, routes: list[int]) -> bool:
    """Parts share the outlet as left and right, and no two routes take the same channel."""
    strip = analysis.strip(analysis.graph.index[strip_id])
    found = next(known for known in strip.outlets if known.id == outlet)
    lists = [analysis.graph.routes[route].channels or () for route in routes]
    taken = [start for pairs in lists for start in {start for start, _end in pairs}]
    return is_split(strip, found) and all(lists) and len(set(taken)) == len(taken)


explain(
    "route.outlet-unheard",
    many="{n} outlets are open but not routed",
    found="An open outlet of an instrument, other than the main one, has no route.",
    why="Parts on this outlet are silent.",
    how="The routes of each outlet are counted, keys included.",
    fix="Route the outlet to a strip, or close it.",
    decide="Only you know the strip for this outlet. Route it on Ports, or close it.",
    place="ports",
)

explain(
    "route.outlet-clash",
    many="{n} outlets are routed twice",
    found="Two routes of one outlet end at different strips.",
    why="The same signal is on two strips. Often one of them is a mistake.",
    how="The routes of each outlet are compared by destination.",
    fix="Remove the unintended route.",
)
