"""Sources of private sections on a way to the main output."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.graph.origin import Origin
from lattice.graph.reach import Backward
from lattice.model.document import Section
from lattice.model.edit_step import EditStep


@check("section.private")
def leaking(analysis: Analysis) -> Iterator[Finding]:
    """For each source of a private section, the strips at which an open way to the main output leaves the section."""
    main = analysis.destinations.main_output
    private = _private(analysis)
    if not private or main is None:
        return
    leads = analysis.unblocked.to_strips([main])
    inside: dict[str, set[int]] = {}  # private section → its strips
    for number, strip in enumerate(analysis.graph.strips):
        if (around := private.get(strip.section or "")) is not None:
            inside.setdefault(around.id, set()).add(number)
    for origin in analysis.sources:
        section = private.get(analysis.strip(origin.strip).section or "")
        if section is None or not leads.from_source(*origin):
            continue
        for last, routes in _exits(analysis, origin, inside[section.id], leads, main):
            yield _finding(analysis, section, origin, last, routes, main)


def _private(analysis: Analysis) -> dict[str, Section]:
    """By section, the private one that it is or lies in; the outermost holds."""
    sections = analysis.sections
    found: dict[str, Section] = {}
    for section in analysis.template.sections:
        at: Section | None = section
        while at is not None:
            if at.private:
                found[section.id] = at
            at = sections.get(at.parent or "")
    return found


def _exits(
    analysis: Analysis, origin: Origin, inside: set[int], leads: Backward, main: int
) -> Iterator[tuple[int, list[int]]]:
    """The strips inside on open ways of a source whose routes lead out and on to the main output, nearest first."""
    graph, reach = analysis.graph, analysis.unblocked
    waiting, seen = [origin.strip], {origin.strip}
    for strip in waiting:
        is_outlet = strip == origin.strip and origin.outlet >= 0
        outs = graph.outlet_outs[origin.outlet] if is_outlet else graph.outs[strip]
        leading = [r for r in outs if reach.route_ok[r] and (graph.head[r] == main or leads.fed[graph.head[r]])]
        leaving = [route for route in leading if graph.head[route] == main or graph.head[route] not in inside]
        if leaving:
            yield strip, leaving
        for route in leading:
            head = graph.head[route]
            if route not in leaving and head not in seen:
                seen.add(head)
                waiting.append(head)


def _finding(analysis: Analysis, section: Section, origin: Origin, strip: int, routes: list[int], main: int) -> Finding:
    ids = analysis.route_ids(routes)
    heads = analysis.names([analysis.graph.head[route] for route in routes])
    what = f"{analysis.graph.routes[routes[0]].kind} " if len(routes) == 1 else f"{len(routes)} routes "
    return Finding(
        code="section.private",
        severity="blocker",
        message=(
            f"{analysis.source_name(*origin)} of private section {section.name} reaches {analysis.name(main)} "
            f"from {analysis.name(strip)}"
        ),
        strips=(analysis.strip(origin.strip).id, analysis.strip(strip).id),
        routes=ids,
        outlets=analysis.outlet_id(*origin),
        sections=(section.id,),
        evidence=(f"{analysis.name(strip)} leads to {heads}",),
        cause=ids,
        remedies=(
            Remedy(
                f"Remove the {what}{analysis.name(strip)} → {heads}",
                (EditStep("remove_routes", {"routes": list(ids)}),),
            ),
        ),
    )


explain(
    "section.private",
    many="{n} private sources reach the main output",
    found="A source of a section marked private has an open path to the main output.",
    why="Cues, clicks and listening feeds end in the mix.",
    how=(
        "Feeds, sends and ties are followed from the source through its section. The finding names the strip where the "
        "path leaves the section. The main output is the first output in service, cue outputs left out."
    ),
    fix="Remove the route that leaves the section.",
    decide="Only you know whether the section is private. Remove the route, or clear *private* in its settings.",
    place="map",
)
