"""Strips of a section that go past its bus."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.checks.remedies import leads_to
from lattice.model.edit_step import EditStep
from lattice.model.excluded_tags import NOT_PROGRAMME


@check("section.stray")
def stray(analysis: Analysis) -> Iterator[Finding]:
    """Strips of a section with a bus whose feeds go elsewhere."""
    graph, buses = analysis.graph, {section.id: section.bus for section in analysis.template.sections if section.bus}
    if not buses:
        return
    feeds: dict[int, list[int]] | None = None
    routes, head = graph.routes, graph.head
    bus_numbers = {section: graph.index[bus] for section, bus in buses.items()}
    for strip_number, strip in enumerate(graph.strips):
        if strip.section is None or strip.section not in buses or bus_numbers[strip.section] == strip_number:
            continue
        outs, its_bus = graph.outs[strip_number], bus_numbers[strip.section]
        if outs and head[outs[0]] == its_bus and routes[outs[0]].kind == "feed":
            continue  # most strips feed their bus first of all
        if not outs and strip_number not in graph.outlets_of:
            continue  # nothing leaves it
        bus, feeds = buses[strip.section], _feeds(analysis) if feeds is None else feeds
        if any(head[route] == its_bus and routes[route].kind == "feed" for route in feeds.get(strip_number, ())):
            continue
        if not any(routes[route].kind == "feed" for route in feeds.get(strip_number, ())) or NOT_PROGRAMME & set(
            strip.tags
        ):
            continue
        if not _comes_to(analysis, feeds, strip_number, bus):
            yield _stray(analysis, strip_number, feeds[strip_number], bus)


def _feeds(analysis: Analysis) -> dict[int, list[int]]:
    """Feeds, and ties from another machine, by the strip they leave, chains and outlets alike."""
    feeds: dict[int, list[int]] = {}
    for number, route in enumerate(analysis.graph.routes):
        if route.kind in ("feed", "tie"):
            feeds.setdefault(analysis.graph.tail[number], []).append(number)
    return feeds


def _comes_to(analysis: Analysis, feeds: dict[int, list[int]], strip: int, bus: str) -> bool:
    """Feeds lead to the bus: straight, or through other strips of the same section.

    Listeners of an instrument's outlets, sub-buses and the tie line of another machine are such strips.
    """
    section, waiting, seen = analysis.strip(strip).section, [strip], {strip}
    while waiting:
        for route in feeds.get(waiting.pop(), ()):
            head = analysis.graph.head[route]
            if analysis.strip(head).id == bus:
                return True
            if analysis.strip(head).section == section and head not in seen:
                seen.add(head)
                waiting.append(head)
    return False


def _stray(analysis: Analysis, strip_number: int, feeds: list[int], bus: str) -> Finding:
    strip = analysis.strip(strip_number)
    section = analysis.sections[strip.section or ""]
    bus_number = analysis.graph.index[bus]
    elsewhere = list(dict.fromkeys(analysis.graph.head[route] for route in feeds))
    return Finding(
        code="section.stray",
        severity="warning",
        message=(f"{strip.name} feeds {analysis.names(elsewhere)} instead of section bus {analysis.name(bus_number)}"),
        strips=(strip.id, bus, *analysis.ids(elsewhere)),
        routes=analysis.route_ids(feeds),
        evidence=(f"bus of section {section.name}: {analysis.name(bus_number)}",),
        remedies=_refeed(analysis, strip_number, feeds, bus_number),
    )


def _refeed(analysis: Analysis, number: int, feeds: list[int], bus: int) -> tuple[Remedy, ...]:
    """Lead the first feed to the bus and take the others away."""
    graph = analysis.graph
    chain = [route for route in feeds if graph.outlet[route] < 0]
    if not chain or leads_to(analysis, bus, number) or not analysis.may_feed(number, bus):
        return ()
    to = {"route": graph.routes[chain[0]].id, "changes": {"to": graph.strips[bus].id}}
    steps = [EditStep("change_route", to)]
    if len(chain) > 1:
        steps.append(EditStep("remove_routes", {"routes": [graph.routes[route].id for route in chain[1:]]}))
    return (Remedy(f"Feed to {analysis.name(bus)} instead", tuple(steps)),)


explain(
    "section.stray",
    many="{n} strips bypass their section bus",
    found="A strip of a section with a bus feeds a different strip and not the bus.",
    why="The fader, processing and stem of the section do not act on it. The balance changes when the bus fader moves.",
    how=(
        "Feeds are followed through strips of the same section. Triggers, clicks, references, guides, talkback "
        "and pops are skipped."
    ),
    fix="Feed the strip to the bus of its section.",
    decide="Only you know whether the strip belongs to the section. Reroute it, or move it.",
    place="map",
)
