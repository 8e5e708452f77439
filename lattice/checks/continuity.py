"""Continuity: every source is heard, every bus is fed, nothing ends in nowhere."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding
from lattice.checks.registry import check
from lattice.checks.remedies import feed_remedies, open_remedies
from lattice.checks.scene import Scene
from lattice.graph.reach import Backward

SUMS = frozenset({"bus", "return", "master"})
ENDS = frozenset({"print", "output"})


@check("route.unheard", "route.blocked")
def unheard(scene: Scene) -> Iterator[Finding]:
    """Sources without an unblocked path to an endpoint; blocked where ignoring states there is one."""
    working_keys = _working_keys(scene) if scene.compiled.by_tag["trigger"] else None
    silent_outlets = set(scene.outlets_without_route())
    choices = {member for choice in scene.template.choices for member in choice.members}
    own, side = scene.heard.own, scene.heard.outlet
    for strip, outlet in scene.sources:
        if (own[strip] if outlet < 0 else side[outlet]) or outlet in silent_outlets:
            continue
        if (
            working_keys
            and "trigger" in scene.strip(strip).tags
            and (working_keys.own[strip] if outlet < 0 else working_keys.outlet[outlet])
        ):
            continue
        could = scene.could_be_heard.own[strip] if outlet < 0 else scene.could_be_heard.outlet[outlet]
        if not could:
            yield _unheard(scene, strip, outlet)
        elif not choices & {scene.strip(strip).id, *scene.outlet_id(strip, outlet)}:
            yield _blocked(scene, strip, outlet)


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
    return f"its routes end at {scene.names(sorted(stops))}" if stops else "its routes only lead round in a loop"


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
        cause=first.sentence,
        remedies=open_remedies(scene, path),
    )


@check("route.starved", "route.unfed", "route.dead-end")
def starved_unfed_dead_end(scene: Scene) -> Iterator[Finding]:
    """Endpoints that would be silent, sums that nothing reaches, sums that lead nowhere."""
    by_kind = scene.compiled.by_kind
    key_or_end: Backward | None = None
    looked_at = {number for kind in (*SUMS, *ENDS) for number in by_kind[kind]} | scene.compiled.stems_at.keys()
    for number in sorted(looked_at):
        strip = scene.strip(number)
        sounds = scene.sounds.arrives[number]
        reached = sounds or scene.could_sound.arrives[number]
        if (strip.kind in SUMS or strip.kind in ENDS) and not reached and "spare" not in strip.tags:
            yield _unfed(scene, number)
        if strip.kind in SUMS and not (sounds and scene.heard.own[number]) and scene.could_sound.fed[number]:
            key_or_end = key_or_end or _to_keys_or_endpoints(scene)
            if not key_or_end.own[number]:
                yield _dead_end(scene, number)
        if reached and (strip.kind in ENDS or number in scene.compiled.stems_at):
            yield from _starved(scene, number)


def _to_keys_or_endpoints(scene: Scene) -> Backward:
    ends = [False] * len(scene.compiled.strips)
    for number in scene.compiled.ends:
        ends[number] = scene.compiled.is_endpoint(number)
    return scene.ignoring.backward(ends, scene.compiled.keys)


def _unfed(scene: Scene, number: int) -> Finding:
    ins = scene.compiled.ins[number]
    from_where = scene.names([scene.compiled.tail[route] for route in ins])
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
        cause=first.sentence,
        remedies=open_remedies(scene, path),
    )


def _only_minor_sources(scene: Scene, number: int) -> bool:
    """Whether a pop or talkback is all that could reach the strip."""
    return not scene.could_sound_in_earnest.arrives[number]
