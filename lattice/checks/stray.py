"""Strips of a section that go past its bus."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.remedies import leads_to
from lattice.checks.scene import APART, Scene


@check("section.stray")
def stray(scene: Scene) -> Iterator[Finding]:
    """Strips of a section with a bus whose feeds go elsewhere."""
    compiled, buses = scene.compiled, {section.id: section.bus for section in scene.template.sections if section.bus}
    if not buses:
        return
    feeds: dict[int, list[int]] | None = None
    routes, head = compiled.routes, compiled.head
    bus_numbers = {section: compiled.index[bus] for section, bus in buses.items()}
    for number, strip in enumerate(compiled.strips):
        if strip.section is None or strip.section not in buses or bus_numbers[strip.section] == number:
            continue
        outs, its_bus = compiled.outs[number], bus_numbers[strip.section]
        if outs and head[outs[0]] == its_bus and routes[outs[0]].kind == "feed":
            continue  # most strips feed their bus first of all
        if not outs and number not in compiled.outlets_of:
            continue  # nothing leaves it
        bus, feeds = buses[strip.section], _feeds(scene) if feeds is None else feeds
        if any(head[route] == its_bus and routes[route].kind == "feed" for route in feeds.get(number, ())):
            continue
        if not any(routes[route].kind == "feed" for route in feeds.get(number, ())) or APART & set(strip.tags):
            continue
        if not _comes_to(scene, feeds, number, bus):
            yield _stray(scene, number, feeds[number], bus)


def _feeds(scene: Scene) -> dict[int, list[int]]:
    """Feeds, and ties from another machine, by the strip they leave, chains and outlets alike."""
    feeds: dict[int, list[int]] = {}
    for number, route in enumerate(scene.compiled.routes):
        if route.kind in ("feed", "tie"):
            feeds.setdefault(scene.compiled.tail[number], []).append(number)
    return feeds


def _comes_to(scene: Scene, feeds: dict[int, list[int]], strip: int, bus: str) -> bool:
    """Feeds lead to the bus: straight, or through other strips of the same section.

    Listeners of an instrument's outlets, sub-buses and the tie line of another machine are such strips.
    """
    section, waiting, seen = scene.strip(strip).section, [strip], {strip}
    while waiting:
        for route in feeds.get(waiting.pop(), ()):
            head = scene.compiled.head[route]
            if scene.strip(head).id == bus:
                return True
            if scene.strip(head).section == section and head not in seen:
                seen.add(head)
                waiting.append(head)
    return False


def _stray(scene: Scene, number: int, feeds: list[int], bus: str) -> Finding:
    strip = scene.strip(number)
    section = scene.sections[strip.section or ""]
    bus_number = scene.compiled.index[bus]
    elsewhere = list(dict.fromkeys(scene.compiled.head[route] for route in feeds))
    return Finding(
        code="section.stray",
        severity="warning",
        message=f"{strip.name} of {section.name} does not feed {scene.name(bus_number)} but {scene.names(elsewhere)}",
        strips=(strip.id, bus, *scene.ids(elsewhere)),
        routes=scene.route_ids(feeds),
        evidence=(f"the bus of {section.name} is {scene.name(bus_number)}",),
        remedies=_refeed(scene, number, feeds, bus_number),
    )


def _refeed(scene: Scene, number: int, feeds: list[int], bus: int) -> tuple[Remedy, ...]:
    """Lead the first feed to the bus and take the others away."""
    compiled = scene.compiled
    chain = [route for route in feeds if compiled.outlet[route] < 0]
    if not chain or leads_to(scene, bus, number) or not scene.may_feed(number, bus):
        return ()
    to = {"route": compiled.routes[chain[0]].id, "changes": {"to": compiled.strips[bus].id}}
    steps = [Step("change_route", to)]
    if len(chain) > 1:
        steps.append(Step("remove_routes", {"routes": [compiled.routes[route].id for route in chain[1:]]}))
    return (Remedy(f"Feed it to {scene.name(bus)} instead", tuple(steps)),)
