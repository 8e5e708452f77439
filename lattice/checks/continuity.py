"""Continuity: every source is heard, every bus is fed, nothing ends in nowhere."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import APART, Scene
from lattice.graph.paths import Blocker, Path
from lattice.graph.reach import Backward

SUMS = frozenset({"bus", "return", "master"})
ENDS = frozenset({"print", "output"})


@check("route.unheard", "route.blocked")
def unheard(scene: Scene) -> Iterator[Finding]:
    """Sources without an unblocked path to an endpoint; blocked where ignoring states there is one."""
    working_keys = _working_keys(scene)
    silent_outlets = set(_outlets_without_route(scene))
    for strip, outlet in scene.sources():
        if (scene.heard.own[strip] if outlet < 0 else scene.heard.outlet[outlet]) or outlet in silent_outlets:
            continue
        if "trigger" in scene.strip(strip).tags and (working_keys.own[strip] if outlet < 0 else working_keys.outlet[outlet]):
            continue
        could = scene.could_be_heard.own[strip] if outlet < 0 else scene.could_be_heard.outlet[outlet]
        yield _blocked(scene, strip, outlet) if could else _unheard(scene, strip, outlet)


def _working_keys(scene: Scene) -> Backward:
    """From where sound reaches a key input that works: an insert that is on and keyed from outside."""
    working = []
    for route in scene.compiled.keys:
        insert = scene.compiled.insert_of_key(route)
        if insert.state == "on" and insert.key == "external":
            working.append(route)
    return scene.unblocked.backward([False] * len(scene.compiled.strips), working)


def _unheard(scene: Scene, strip: int, outlet: int) -> Finding:
    name = scene.source_name(strip, outlet)
    is_trigger = "trigger" in scene.strip(strip).tags
    return Finding(
        code="route.unheard",
        severity="blocker",
        message=f"The trigger {name} works no key input" if is_trigger else f"{name} is heard nowhere",
        strips=scene.ids([strip]),
        outlets=scene.outlet_id(strip, outlet),
        evidence=(_where_it_ends(scene, strip, outlet),),
        remedies=() if is_trigger else feed_remedies(scene, strip, outlet),
    )


def _where_it_ends(scene: Scene, strip: int, outlet: int = -1) -> str:
    """Where the audio routes from a source or a sum end, followed to the last strips."""
    compiled = scene.compiled
    first = compiled.outs[strip] if outlet < 0 else compiled.outlet_outs[outlet]
    if not first:
        return "no route leaves it"
    waiting = [compiled.head[route] for route in first]
    seen, stops = set(waiting), []
    while waiting:
        at = waiting.pop(0)
        if not compiled.outs[at]:
            stops.append(at)
        for route in compiled.outs[at]:
            if compiled.head[route] not in seen:
                seen.add(compiled.head[route])
                waiting.append(compiled.head[route])
    return f"its routes end at {_names(scene, sorted(stops))}" if stops else "its routes only lead round in a loop"


def feed_remedies(scene: Scene, strip: int, outlet: int = -1) -> tuple[Remedy, ...]:
    """Feed a strip to the bus of its section, or of the nearest section around it."""
    piece = scene.strip(strip)
    section = scene.sections.get(piece.section or "")
    while section is not None and (section.bus is None or section.bus == piece.id):
        section = scene.sections.get(section.parent or "")
    if section is None or section.bus is None:
        return ()
    bus = scene.compiled.index[section.bus]
    if scene.compiled.machine_of(bus) != scene.compiled.machine_of(strip) or _leads_to(scene, bus, strip):
        return ()
    route = {"kind": "feed", "from": piece.id, "to": section.bus}
    if outlet >= 0:
        route["from_outlet"] = scene.compiled.outlets[outlet][1].id
    return (Remedy(f"Feed it to {scene.name(bus)}", (Step("add_route", {"route": route}),)),)


def _leads_to(scene: Scene, start: int, end: int) -> bool:
    """Whether a feed back from `end` to `start` would close a loop."""
    return scene.downstream(start)[end]


def _blocked(scene: Scene, strip: int, outlet: int) -> Finding:
    path = scene.ways.to_endpoint(strip, outlet)
    if path is None or not path.blockers:
        raise ValueError(f"{scene.strip(strip).id} was said to be blocked, and no blocked way was found")
    first = path.blockers[0]
    return Finding(
        code="route.blocked",
        severity="warning",
        message=f"{scene.source_name(strip, outlet)} is not heard: {first.sentence}",
        strips=tuple(dict.fromkeys((scene.strip(strip).id, first.strip))),
        routes=(first.route,) if first.route else (),
        outlets=scene.outlet_id(strip, outlet),
        evidence=scene.evidence(path),
        path=scene.route_ids(path.routes),
        remedies=open_remedies(scene, path),
    )


UNBLOCK: dict[str, tuple[str, dict[str, object]]] = {
    "out-of-service": ("Put {name} into service", {"in_service": True}),
    "mute": ("Unmute {name}", {"mute": False}),
    "fader-off": ("Set the fader of {name} to 0 dB", {"fader_db": 0.0}),
    "not-monitored": ("Let {name} monitor its input", {"monitor": "always"}),
}


def open_remedies(scene: Scene, path: Path) -> tuple[Remedy, ...]:
    """One remedy that opens every blocker of a path; none where one of them cannot be opened by an edit."""
    steps = [_opening(scene, blocker) for blocker in path.blockers]
    if not steps or any(step is None for step in steps):
        return ()
    labels = list(dict.fromkeys(label for label, _step in steps if label))  # type: ignore[misc]
    label = labels[0] if len(labels) == 1 else f"{labels[0]} and open {len(labels) - 1} more on the way"
    return (Remedy(label, tuple(step for _label, step in steps)),)  # type: ignore[misc]


def _opening(scene: Scene, blocker: Blocker) -> tuple[str, Step] | None:
    if blocker.route is not None:
        changes: dict[str, object] = {"enabled": True} if blocker.kind == "disabled" else {"gain_db": 0.0}
        label = "Enable the route" if blocker.kind == "disabled" else "Set the route to 0 dB"
        return label, Step("change_route", {"route": blocker.route, "changes": changes})
    strip = scene.compiled.index[blocker.strip]
    if blocker.kind == "outlet-closed" or (blocker.kind == "not-monitored" and scene.compiled.passes_input[strip]):
        return None
    words, changes = UNBLOCK[blocker.kind]
    return words.format(name=scene.name(strip)), Step("change_strip", {"strip": blocker.strip, "changes": changes})


@check("route.starved", "route.unfed", "route.dead-end")
def starved_unfed_dead_end(scene: Scene) -> Iterator[Finding]:
    """Endpoints that would be silent, sums that nothing reaches, sums that lead nowhere."""
    key_or_end = _to_keys_or_endpoints(scene)
    for number, strip in enumerate(scene.compiled.strips):
        reached = scene.could_sound.arrives[number]
        if (strip.kind in SUMS or strip.kind in ENDS) and not reached and "spare" not in strip.tags:
            yield _unfed(scene, number)
        if strip.kind in SUMS and reached and not key_or_end.own[number]:
            yield _dead_end(scene, number)
        if reached and (strip.kind in ENDS or number in scene.compiled.stems_at):
            yield from _starved(scene, number)


def _to_keys_or_endpoints(scene: Scene) -> Backward:
    count = len(scene.compiled.strips)
    ends = [scene.compiled.is_endpoint(number) for number in range(count)]
    return scene.ignoring.backward(ends, scene.compiled.keys)


def _unfed(scene: Scene, number: int) -> Finding:
    ins = scene.compiled.ins[number]
    from_where = _names(scene, [scene.compiled.tail[route] for route in ins])
    why = f"it is fed by {from_where}, and no source reaches them" if ins else "nothing is routed to it"
    return Finding(
        code="route.unfed",
        severity="warning",
        message=f"Nothing reaches {scene.name(number)}",
        strips=scene.ids([number]),
        evidence=(why,),
    )


def _dead_end(scene: Scene, number: int) -> Finding:
    return Finding(
        code="route.dead-end",
        severity="warning",
        message=f"{scene.name(number)} leads to no output, print, stem or key input",
        strips=scene.ids([number]),
        evidence=(_where_it_ends(scene, number),),
        remedies=feed_remedies(scene, number),
    )


def _names(scene: Scene, numbers: list[int]) -> str:
    names = list(dict.fromkeys(scene.name(number) for number in numbers))
    return ", ".join(names[:5]) + (f" and {len(names) - 5} more" if len(names) > 5 else "")


def _starved(scene: Scene, number: int) -> Iterator[Finding]:
    """An output, a print, or the strip of stems, that is silent now and would not be with states ignored."""
    strip, unblocked = scene.strip(number), scene.unblocked
    arrives = scene.sounds.arrives[number]
    silent_stems = tuple(
        stem for stem in scene.compiled.stems_at.get(number, ()) if not (arrives and unblocked.stem_open(stem, number))
    )
    is_end = strip.kind in ENDS
    at_end = arrives and unblocked.in_service[number] and (strip.kind == "print" or unblocked.post_ok[number])
    if not (is_end and not at_end) and not silent_stems:
        return
    path = scene.ways.from_source(number)
    if path is None:
        raise ValueError(f"{strip.id} was said to be reached, and no way to it was found")
    first = (*path.blockers, *scene.blockers.after_fader(number))[0]
    stems = tuple(scene.template.stems[stem].id for stem in silent_stems)
    yield Finding(
        code="route.starved",
        severity="note" if _only_minor_sources(scene, number) else "warning",
        message=f"{strip.name} would give silence: {first.sentence}",
        strips=tuple(dict.fromkeys((strip.id, first.strip))),
        routes=(first.route,) if first.route else (),
        stems=stems,
        evidence=scene.evidence(path),
        path=scene.route_ids(path.routes),
        remedies=open_remedies(scene, path),
    )


def _only_minor_sources(scene: Scene, number: int) -> bool:
    """Whether a pop or talkback is all that could reach the strip."""
    return not scene.could_sound_in_earnest.arrives[number]


@check("section.stray")
def stray(scene: Scene) -> Iterator[Finding]:
    """Strips of a section with a bus whose feeds go elsewhere."""
    compiled, buses = scene.compiled, {section.id: section.bus for section in scene.template.sections if section.bus}
    heads: dict[str, list[str]] = {}
    for route in compiled.routes:
        if route.kind == "feed":
            heads.setdefault(route.from_strip, []).append(route.to)
    feeds: dict[int, list[int]] = {}
    for number, strip in enumerate(compiled.strips):
        bus = buses.get(strip.section) if strip.section else None
        if bus is None or bus == strip.id or strip.id not in heads or bus in heads[strip.id] or APART & set(strip.tags):
            continue
        feeds = feeds or _feeds(scene)
        if not _comes_to(scene, feeds, number, bus):
            yield _stray(scene, number, feeds[number], bus)


def _feeds(scene: Scene) -> dict[int, list[int]]:
    """Feeds by the strip they leave, chains and outlets alike."""
    feeds: dict[int, list[int]] = {}
    for number, route in enumerate(scene.compiled.routes):
        if route.kind == "feed":
            feeds.setdefault(scene.compiled.tail[number], []).append(number)
    return feeds


def _comes_to(scene: Scene, feeds: dict[int, list[int]], strip: int, bus: str) -> bool:
    """Feeds lead to the bus: straight, or through other strips of the same section (listeners, sub-buses)."""
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
        message=f"{strip.name} of {section.name} does not feed {scene.name(bus_number)} but {_names(scene, elsewhere)}",
        strips=(strip.id, bus, *scene.ids(elsewhere)),
        routes=scene.route_ids(feeds),
        evidence=(f"the bus of {section.name} is {scene.name(bus_number)}",),
        remedies=_refeed(scene, number, feeds, bus_number),
    )


def _refeed(scene: Scene, number: int, feeds: list[int], bus: int) -> tuple[Remedy, ...]:
    """Lead the first feed to the bus and take the others away."""
    compiled = scene.compiled
    chain = [route for route in feeds if compiled.outlet[route] < 0]
    if not chain or _leads_to(scene, bus, number) or compiled.machine_of(bus) != compiled.machine_of(number):
        return ()
    to = {"route": compiled.routes[chain[0]].id, "changes": {"to": compiled.strips[bus].id}}
    steps = [Step("change_route", to)]
    if len(chain) > 1:
        steps.append(Step("remove_routes", {"routes": [compiled.routes[route].id for route in chain[1:]]}))
    return (Remedy(f"Feed it to {scene.name(bus)} instead", tuple(steps)),)


def _outlets_without_route(scene: Scene) -> Iterator[int]:
    """Open outlets beyond the main one that no route leaves, of strips that are meant to be heard."""
    keyed = {scene.compiled.outlet[route] for route in scene.compiled.keys}
    for number, (strip, outlet) in enumerate(scene.compiled.outlets):
        piece = scene.strip(strip)
        meant = piece.in_service and not {"spare", "backup"} & set(piece.tags)
        if meant and outlet.open and not scene.compiled.outlet_outs[number] and number not in keyed:
            yield number


@check("route.outlet-unheard")
def outlet_unheard(scene: Scene) -> Iterator[Finding]:
    """Open outlets that nothing listens to."""
    for number in _outlets_without_route(scene):
        strip, outlet = scene.compiled.outlets[number]
        piece = scene.strip(strip)
        yield Finding(
            code="route.outlet-unheard",
            severity="warning",
            message=f"Nothing takes outlet {outlet.name or outlet.id} of {piece.name}",
            strips=(piece.id,),
            outlets=(f"{piece.id}/{outlet.id}",),
            evidence=("it is open, and no route leaves it",),
            remedies=_outlet_remedies(scene, strip, number),
        )


def _outlet_remedies(scene: Scene, strip: int, outlet: int) -> tuple[Remedy, ...]:
    piece, known = scene.strip(strip), scene.compiled.outlets[outlet][1]
    shut = Step("change_outlet", {"strip": piece.id, "outlet": known.id, "changes": {"open": False}})
    close = Remedy("Close the outlet", (shut,))
    return (*feed_remedies(scene, strip, outlet), close)


@check("route.trigger-heard")
def trigger_heard(scene: Scene) -> Iterator[Finding]:
    """Triggers that sound at an output or in a stem."""
    triggers = [(strip, outlet) for strip, outlet in scene.sources() if "trigger" in scene.strip(strip).tags]
    if not triggers:
        return
    audible = scene.unblocked.to_endpoints(prints=False)
    for strip, outlet in triggers:
        if audible.own[strip] if outlet < 0 else audible.outlet[outlet]:
            yield _trigger_heard(scene, strip, outlet)


def _trigger_heard(scene: Scene, strip: int, outlet: int) -> Finding:
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
        remedies=(
            Remedy("Disable its first route", (Step("change_route", {"route": scene.route_ids(routes)[0], "changes": {"enabled": False}}),)),
        )
        if routes
        else (),
    )  # fmt: skip


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
