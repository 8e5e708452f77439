"""Continuity: every source has a path out, every bus is fed, every path ends at an endpoint."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy, first_of
from lattice.checks.registry import check, explain
from lattice.checks.remedies import nearest_remedies, onward_remedies, open_remedies
from lattice.checks.unfinished import OPEN_ENDS, UNFED, UNFED_ENDS, feed_by_name, idle_trigger, leading_nowhere
from lattice.graph.origin import NO_OUTLET
from lattice.graph.reach import Backward
from lattice.model.choices import members_and_their_strips
from lattice.model.edit_step import EditStep
from lattice.model.strip_kinds import ENDS, SUMS


@check("route.unheard", "route.blocked")
def unheard(analysis: Analysis) -> Iterator[Finding]:
    """Sources without an unblocked path to an endpoint; blocked where ignoring states there is one."""
    triggers = set(analysis.graph.by_tag["trigger"])
    working_keys: Backward | None = None
    silent_outlets = set(analysis.outlets_without_route())
    choices = members_and_their_strips(analysis.template)
    for strip, outlet in analysis.sources:
        if analysis.heard.from_source(strip, outlet) or outlet in silent_outlets:
            continue
        is_trigger = strip in triggers
        if is_trigger:
            working_keys = working_keys or _working_keys(analysis)
            if working_keys.from_source(strip, outlet):
                continue
        if not analysis.could_be_heard.from_source(strip, outlet):
            if is_trigger:
                yield from idle_trigger(analysis, strip, outlet)
            else:
                yield _unheard(analysis, strip, outlet)
        elif not choices & {analysis.strip(strip).id, *analysis.outlet_id(strip, outlet)}:
            yield _blocked(analysis, strip, outlet)


def _working_keys(analysis: Analysis) -> Backward:
    """From where sound reaches a key input that works: an insert that is on and keyed from outside."""
    working = []
    for route in analysis.graph.keys:
        insert = analysis.graph.insert_of_key(route)
        if insert.state == "on" and insert.key == "external":
            working.append(route)
    return analysis.unblocked.backward([False] * len(analysis.graph.strips), working)


def _unheard(analysis: Analysis, strip: int, outlet: int) -> Finding:
    name, stops = analysis.source_name(strip, outlet), _ends(analysis, strip, outlet)
    issue = leading_nowhere(analysis, strip, stops)
    recorded = _only_recorded(analysis, strip)
    return Finding(
        code="route.unheard",
        severity="note" if issue == OPEN_ENDS else "blocker",
        standing="wrong" if issue.startswith("outlets") or not issue else "unfinished",
        issue=issue,
        message=f"{name} is only recorded; it reaches no output, print or stem"
        if recorded
        else f"{name} reaches no output, print or stem",
        strips=analysis.ids([strip]),
        outlets=analysis.outlet_id(strip, outlet),
        evidence=(_where_it_ends(analysis, stops),),
        cause=analysis.ids(stops) if stops else (analysis.strip(strip).section or analysis.strip(strip).id,),
        because=f"the routes end at {analysis.names(stops)}" if stops else "",
        remedies=_routed(analysis, strip, outlet, stops),
    )


def _only_recorded(analysis: Analysis, strip: int) -> bool:
    """A strip that others send to, that does not pass its input: it records what it is sent."""
    graph = analysis.graph
    return graph.strips[strip].kind == "audio" and bool(graph.ins[strip]) and not graph.monitors[strip]


def _routed(analysis: Analysis, strip: int, outlet: int, stops: list[int] | None) -> tuple[Remedy, ...]:
    """Feed it to its nearest sum; with routes already, continue the ends of its paths."""
    if stops and stops != [strip]:
        return onward_remedies(analysis, stops[0]) if len(stops) == 1 else ()
    return nearest_remedies(analysis, strip, outlet)


def _ends(analysis: Analysis, strip: int, outlet: int = NO_OUTLET) -> list[int] | None:
    """The last strips that the audio routes of a source or a sum reach; None without routes."""
    graph = analysis.graph
    first = graph.outs[strip] if outlet < 0 else graph.outlet_outs[outlet]
    if not first:
        return None
    behind = set().union(*(analysis.downstream(graph.head[route]) for route in first))
    return sorted(at for at in behind if not graph.outs[at])


def _where_it_ends(analysis: Analysis, stops: list[int] | None) -> str:
    if stops is None:
        return "it has no route"
    return f"its routes end at {analysis.names(stops)}" if stops else "its routes only form a loop"


def _blocked(analysis: Analysis, strip: int, outlet: int) -> Finding:
    path = analysis.ways.to_endpoint(strip, outlet)
    if path is None or not path.blockers:
        raise ValueError(f"{analysis.strip(strip).id} was marked as blocked, but no blocked path was found")
    first = path.blockers[0]
    return Finding(
        code="route.blocked",
        severity="warning",
        message=f"{analysis.source_name(strip, outlet)} is silent: {first.sentence}",
        strips=tuple(dict.fromkeys((analysis.strip(strip).id, first.strip))),
        routes=(first.route,) if first.route else (),
        outlets=analysis.outlet_id(strip, outlet),
        evidence=analysis.evidence(path),
        path=analysis.route_ids(path.routes),
        cause=(first.route or first.strip,),
        because=first.sentence,
        remedies=open_remedies(analysis, path),
    )


@check("route.starved", "route.unfed", "route.dead-end")
def starved_unfed_dead_end(analysis: Analysis) -> Iterator[Finding]:
    """Endpoints that would be silent, sums that nothing reaches, sums that lead nowhere."""
    by_kind = analysis.graph.by_kind
    key_or_end: Backward | None = None
    looked_at = {
        strip_number for kind in (*SUMS, *ENDS) for strip_number in by_kind[kind]
    } | analysis.graph.stems_at.keys()
    unfed: list[int] = []
    for strip_number in sorted(looked_at):
        strip = analysis.strip(strip_number)
        sounds = analysis.sounds.arrives[strip_number]
        reached = sounds or analysis.could_sound.arrives[strip_number]
        if (strip.kind in SUMS or strip.kind in ENDS) and not reached and "spare" not in strip.tags:
            unfed.append(strip_number)
        if (
            strip.kind in SUMS
            and not (sounds and analysis.heard.own[strip_number])
            and analysis.could_sound.fed[strip_number]
        ):
            key_or_end = key_or_end or _to_keys_or_endpoints(analysis)
            if not key_or_end.own[strip_number]:
                if "trigger" in strip.tags:
                    yield from idle_trigger(analysis, strip_number)
                else:
                    yield _dead_end(analysis, strip_number)
        if reached and (strip.kind in ENDS or strip_number in analysis.graph.stems_at):
            yield from _starved(analysis, strip_number)
    yield from _unfed(analysis, unfed)


def _to_keys_or_endpoints(analysis: Analysis) -> Backward:
    ends = [False] * len(analysis.graph.strips)
    for number in analysis.graph.ends:
        ends[number] = analysis.graph.is_endpoint(number)
    return analysis.ignoring.backward(ends, analysis.graph.keys)


def _unfed(analysis: Analysis, unfed: list[int]) -> Iterator[Finding]:
    """What waits for sources, as one note; then the first strips of chains that nothing reaches for another reason."""
    waiting = _waiting(analysis, unfed)
    if waiting:
        yield _no_source_yet(analysis, waiting, unfed)
    rest = [number for number in unfed if number not in waiting]
    for number in _lowest(analysis, rest):
        ins = analysis.graph.ins[number]
        from_where = analysis.names([analysis.graph.tail[route] for route in ins])
        is_end = analysis.strip(number).kind in ENDS
        yield Finding(
            code="route.unfed",
            severity="warning",
            standing="unfinished" if is_end and not ins else "wrong",
            issue=UNFED_ENDS if is_end and not ins else "",
            message=f"No source reaches {analysis.name(number)}",
            strips=analysis.ids([number]),
            evidence=(f"its inputs {from_where} have no source" if ins else "it has no inputs",),
            cause=analysis.ids([number]),
            remedies=feed_by_name(analysis, [number]),
        )


def _waiting(analysis: Analysis, unfed: list[int]) -> dict[int, bool]:
    """Sums at which no route ends yet (True), and all that only such strips feed (False)."""
    graph = analysis.graph
    waiting = {n: True for n in unfed if not graph.ins[n] and graph.strips[n].kind in SUMS}
    among, todo, passed = set(unfed), list(waiting), set(waiting)
    while todo:
        for route in graph.outs[todo.pop()]:
            head = graph.head[route]
            passes = head in among or not graph.is_source[head]  # the input at the end of a tie passes it on
            if passes and head not in passed and all(graph.tail[r] in passed for r in graph.ins[head]):
                passed.add(head)
                todo.append(head)
                if head in among:
                    waiting[head] = False
    return waiting


def _no_source_yet(analysis: Analysis, waiting: dict[int, bool], unfed: list[int]) -> Finding:
    """A template of sums, or a part of one, made before its tracks."""
    first = [number for number in unfed if waiting.get(number)]
    behind = [number for number in unfed if waiting.get(number) is False]
    sums = sum(analysis.strip(number).kind in SUMS for number in (*first, *behind))
    return Finding(
        code="route.unfed",
        severity="note",
        standing="unfinished",
        issue=UNFED,
        message=f"{sums} buses have no source yet" if sums > 1 else f"{analysis.name(first[0])} has no source yet",
        strips=analysis.ids([*first, *behind]),
        figures={"buses": sums},
        evidence=first_of([f"{analysis.name(number)} has no inputs" for number in first]),
        remedies=tuple(_kept_for_later(analysis, first)),
    )


def _kept_for_later(analysis: Analysis, numbers: list[int]) -> Iterator[Remedy]:
    """All of them, and those of each section that has some."""
    many = "Keep all for later" if len(numbers) > 1 else "Keep for later"
    yield Remedy(many, (EditStep("keep_for_later", {"strips": list(analysis.ids(numbers))}),))
    by_section: dict[str, list[int]] = {}
    for number in numbers:
        by_section.setdefault(analysis.strip(number).section or "", []).append(number)
    for section, ones in by_section.items():
        if section and len(ones) < len(numbers):
            step = EditStep("keep_for_later", {"strips": list(analysis.ids(ones))})
            yield Remedy(f"Keep those of {analysis.sections[section].name} for later", (step,))


def _lowest(analysis: Analysis, unfed: list[int]) -> list[int]:
    """The first strips of chains without input, and one of each loop that none of them feeds."""
    graph, among = analysis.graph, set(unfed)
    covered: set[int] = set()

    def cover(first: int) -> None:
        waiting = [first]
        while waiting:
            at = waiting.pop()
            if at not in covered:
                covered.add(at)
                waiting += [graph.head[route] for route in graph.outs[at] if graph.head[route] in among]

    begins = [number for number in unfed if not any(graph.tail[route] in among for route in graph.ins[number])]
    for number in begins:
        cover(number)
    for number in unfed:
        if number not in covered:
            begins.append(number)
            cover(number)
    return sorted(begins)


def _dead_end(analysis: Analysis, number: int) -> Finding:
    stops = _ends(analysis, number)
    issue = leading_nowhere(analysis, number, stops)
    return Finding(
        code="route.dead-end",
        severity="note" if issue == OPEN_ENDS else "warning",
        standing="unfinished" if issue else "wrong",
        issue=issue,
        message=f"{analysis.name(number)} has no path to an output, print, stem or key input",
        strips=analysis.ids([number]),
        evidence=(_where_it_ends(analysis, stops),),
        cause=analysis.ids(stops or [number]),
        remedies=onward_remedies(analysis, number),
    )


def _starved(analysis: Analysis, strip_number: int) -> Iterator[Finding]:
    """An output, a print, or the strip of stems, that is silent now and would not be with states ignored."""
    strip, unblocked = analysis.strip(strip_number), analysis.unblocked
    arrives = analysis.sounds.arrives[strip_number]
    silent_stems = tuple(
        stem
        for stem in analysis.graph.stems_at.get(strip_number, ())
        if not (arrives and unblocked.stem_open(stem, strip_number))
    )
    is_end = strip.kind in ENDS
    at_end = (
        arrives and unblocked.in_service[strip_number] and (strip.kind == "print" or unblocked.post_ok[strip_number])
    )
    if not (is_end and not at_end) and not silent_stems:
        return
    path = analysis.ways.from_source(strip_number)
    if path is None:
        raise ValueError(f"{strip.id} was marked as reached, but no path was found")
    first = (*path.blockers, *analysis.blockers.after_fader(strip_number))[0]
    stems = tuple(analysis.template.stems[stem].id for stem in silent_stems)
    yield Finding(
        code="route.starved",
        severity="note" if _only_minor_sources(analysis, strip_number) else "warning",
        message=f"{strip.name} gets no signal: {first.sentence}",
        strips=tuple(dict.fromkeys((strip.id, first.strip))),
        routes=(first.route,) if first.route else (),
        stems=stems,
        evidence=analysis.evidence(path),
        path=analysis.route_ids(path.routes),
        cause=(first.route or first.strip,),
        because=first.sentence,
        remedies=open_remedies(analysis, path),
    )


def _only_minor_sources(analysis: Analysis, number: int) -> bool:
    """Return whether a pop or talkback is all that could reach the strip."""
    return not analysis.could_sound_in_earnest.arrives[number]


explain(
    "route.unheard",
    many="{n} sources reach no output, print or stem",
    found=(
        "A source has no path to an output, a print or a stem, even with settings ignored. Each open outlet of an "
        "instrument counts as a source."
    ),
    why="The player hears nothing and no file has it. The fault shows only during the job.",
    how=(
        "All open routes of the source are followed forward. Strips tagged spare or backup, triggers that drive a "
        "key, and disabled strips are skipped."
    ),
    fix="Feed the source to the bus of its section, or to the destination of its neighbours.",
    decide="Only you know the destination of a source. Route it on the map, or tag it spare.",
    place="map",
)

explain(
    "route.blocked",
    many="{n} sources are silent",
    found=(
        "A source is silent only because of a setting: a mute, a closed fader, a disabled route, or monitoring "
        "that is off."
    ),
    why="The routing is correct, so the mute is easily overlooked. It is often left over from a rehearsal or a bounce.",
    how=(
        "The path to an endpoint with the fewest blocked places is searched with all settings ignored. The "
        "message names the first blocked place."
    ),
    fix="Open the blocked place, or waive the finding if the silence is intended.",
    decide="Only you know whether the silence is intended. Open the named place, or waive the finding.",
    place="map",
)

explain(
    "route.starved",
    many="{n} outputs or prints get no signal",
    found="Sources reach an output, a print or the strip of a stem only when settings are ignored.",
    why="A silent file is delivered, or an output stays dead. No meter shows the cause.",
    how=(
        "Sources are followed forward twice, with and without settings. The finding lists strips reached only "
        "without settings."
    ),
    fix="Open the first blocked place on the path.",
    decide="Only you know whether the silence is intended. Open the named place, or waive the finding.",
    place="map",
)

explain(
    "route.unfed",
    many="{n} buses have no source yet",
    found=(
        "No source reaches a bus, return, master, print or output, with any setting. Only the first strips of a "
        "chain are listed. A template without tracks gets one note."
    ),
    why="An unused strip takes space, or a source that should feed it was rerouted.",
    how="Sources are followed forward with settings ignored. Spare strips are skipped.",
    fix="Feed a source to it, tag it spare, or remove it.",
    decide="Only you know the source of it. Feed it on the map, or remove it.",
    place="map",
)

explain(
    "route.dead-end",
    many="{n} buses have no destination",
    found="A bus, return or master receives signal and has no path to an output, print, stem or key input.",
    why="All signal routed into it is lost.",
    how="Routes are followed backward from all endpoints and keys with settings ignored.",
    fix="Feed it to the bus of its section, or remove it and reroute its sources.",
    decide="Only you know the destination of a bus. Route it on the map, or remove it.",
    place="map",
)
