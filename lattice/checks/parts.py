"""Parts of instruments and alternatives of strips: their signal, their notes, and their outlets."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.checks.unfinished import BEGUN, NO_OUTPUT, leading_nowhere
from lattice.graph.origin import NO_OUTLET
from lattice.model.choices import SECTION, in_turn, strips_of_member
from lattice.model.document import SIDES, Part, Route, Strip, outlet_of_part
from lattice.model.edit_step import EditStep
from lattice.model.name_words import words_of


def _parts(analysis: Analysis) -> Iterator[tuple[int, Strip, Part]]:
    for number in analysis.graph.by_kind["instrument"]:
        strip = analysis.strip(number)
        if strip.parts and not analysis.is_kept_apart(number):
            for part in strip.parts:
                yield number, strip, part


@check("part.unheard")
def unheard_parts(analysis: Analysis) -> Iterator[Finding]:
    """Parts whose outlet is closed or has no path to an endpoint."""
    for strip_number, strip, part in _parts(analysis):
        outlet = outlet_of_part(strip, part)
        node = analysis.graph.outlet_index.get((strip_number, outlet.id), NO_OUTLET) if outlet else -1
        heard = analysis.heard.from_source(strip_number, node)
        is_open = outlet is None or outlet.open
        if heard and is_open:
            continue
        issue = leading_nowhere(analysis, strip_number) if is_open and strip_number in analysis.unrouted else ""
        where = f"outlet {outlet.name or outlet.id}" if outlet else "the instrument"
        opening = EditStep(
            "change_outlet", {"strip": strip.id, "outlet": outlet.id if outlet else "", "changes": {"open": True}}
        )
        why = "has no path to an endpoint" if is_open else "is closed"
        yield Finding(
            code="part.unheard",
            severity="warning",
            standing="unfinished" if issue in (NO_OUTPUT, BEGUN) else "wrong",
            issue=issue,
            message=f"{part.name or part.id} of {strip.name} is silent: {where} {why}",
            strips=(strip.id,),
            outlets=(f"{strip.id}/{outlet.id}",) if outlet else (),
            others=(f"{strip.id}/{part.id}",),
            evidence=(f"it uses {where}",),
            because="" if is_open else f"{where} of {strip.name} is closed",
            remedies=() if is_open else (Remedy(f"Open {where}", (opening,)),),
        )


def played_on(analysis: Analysis) -> dict[int, list[tuple[int, int | None]]]:
    """By instrument, (port, channel or None for all) of the enabled midi routes that end at it."""
    graph = analysis.graph
    found: dict[int, list[tuple[int, int | None]]] = defaultdict(list)
    for number in graph.midis:
        if graph.routes[number].enabled:
            found[graph.head[number]].append((graph.routes[number].port or 1, graph.routes[number].channel))
    return found


@check("part.unplayed")
def unplayed_parts(analysis: Analysis) -> Iterator[Finding]:
    """Parts that no midi route reaches, in instruments that some midi route reaches."""
    played = played_on(analysis)
    for strip_number, strip, part in _parts(analysis):
        if strip_number in played and not any(_plays(part, port, channel) for port, channel in played[strip_number]):
            channel = "all channels" if part.channel is None else f"channel {part.channel}"
            yield Finding(
                code="part.unplayed",
                severity="note",
                message=f"No MIDI route plays {part.name or part.id} of {strip.name}",
                strips=(strip.id,),
                others=(f"{strip.id}/{part.id}",),
                evidence=(f"it receives port {part.port}, {channel}",),
            )


def _plays(part: Part, port: int, channel: int | None) -> bool:
    return port == part.port and (channel is None or part.channel is None or channel == part.channel)


@check("part.crossed")
def crossed_parts(analysis: Analysis) -> Iterator[Finding]:
    """Two parts whose outlets or channels are taken by strips with each other's name."""
    notes: dict[int, list[int]] = defaultdict(list)  # instrument → midi routes with a channel that end at it
    for route in analysis.graph.midis:
        if analysis.graph.routes[route].enabled and analysis.graph.routes[route].channel is not None:
            notes[analysis.graph.head[route]].append(route)
    for strip_number in analysis.graph.by_kind["instrument"]:
        strip = analysis.strip(strip_number)
        if len(strip.parts) > 1 and not analysis.is_kept_apart(strip_number):
            by_name = {words_of(part.name or part.id): part for part in strip.parts}
            yield from _crossed_outlets(analysis, strip_number, by_name)
            yield from _crossed_notes(analysis, strip_number, by_name, notes[strip_number])


def _crossed_outlets(analysis: Analysis, strip_number: int, by_name: dict[tuple[str, ...], Part]) -> Iterator[Finding]:
    graph, strip = analysis.graph, analysis.strip(strip_number)
    takers: dict[str, list[int]] = defaultdict(list)  # part → strips that take its outlet, named as another part
    routes = [
        *graph.outs[strip_number],
        *(r for o in graph.outlets_of.get(strip_number, ()) for r in graph.outlet_outs[o]),
    ]
    for part in strip.parts:
        outlet = outlet_of_part(strip, part)
        node = graph.outlet_index.get((strip_number, outlet.id), NO_OUTLET) if outlet else NO_OUTLET
        takers[part.id] = [graph.head[r] for r in routes if graph.outlet[r] == node and _takes(graph.routes[r], part)]
    named = {
        (part.id, by_name[words_of(analysis.name(taker))].id): taker
        for part in strip.parts
        for taker in takers[part.id]
        if words_of(analysis.name(taker)) in by_name
    }
    parts = {part.id: part for part in strip.parts}
    for (one, other), taker in named.items():
        mine, its = ((parts[part].outlet, parts[part].side) for part in (one, other))
        if one < other and (other, one) in named and mine != its:
            swap = [
                EditStep("change_part", {"strip": strip.id, "part": part, "changes": {"outlet": outlet, "side": side}})
                for part, (outlet, side) in ((one, its), (other, mine))
            ]
            yield _crossed(
                analysis, strip_number, (parts[one], parts[other]), [taker, named[other, one]], "outlets", swap
            )


def _takes(route: Route, part: Part) -> bool:
    """A route takes a part, unless it takes the other side of its outlet only."""
    if part.side is None or route.channels is None:
        return True
    return any(start == SIDES.index(part.side) + 1 for start, _end in route.channels)


def _crossed_notes(
    analysis: Analysis, strip_number: int, by_name: dict[tuple[str, ...], Part], notes: list[int]
) -> Iterator[Finding]:
    graph, strip = analysis.graph, analysis.strip(strip_number)
    for route in notes:
        piece, tail = graph.routes[route], graph.tail[route]
        part = by_name.get(words_of(analysis.name(tail)))
        if part is None:
            continue
        port = piece.port or 1
        played = [one for one in strip.parts if (one.port, one.channel) == (port, piece.channel)]
        if len(played) == 1 and played[0] is not part and not _plays(part, port, piece.channel):
            changes = {"port": part.port, "channel": part.channel}
            step = EditStep("change_route", {"route": piece.id, "changes": changes})
            yield _crossed(analysis, strip_number, (part, played[0]), [tail], "channel", [step])


def _crossed(
    analysis: Analysis, number: int, parts: tuple[Part, Part], strips: list[int], what: str, steps: list[EditStep]
) -> Finding:
    names = [part.name or part.id for part in parts]
    strip = analysis.strip(number)
    is_notes = what == "channel"
    return Finding(
        code="part.crossed",
        severity="warning",
        message=f"{analysis.name(strips[0])} plays {names[1]} of {strip.name}"
        if is_notes
        else f"Outlets of {names[0]} and {names[1]} of {strip.name} are crossed",
        strips=tuple(dict.fromkeys(analysis.ids([number, *strips]))),
        others=tuple(f"{strip.id}/{part.id}" for part in parts),
        evidence=(f"taken by {analysis.names(strips)}",) if not is_notes else (f"it is named {names[0]}",),
        remedies=(Remedy(f"Play {names[0]}" if is_notes else "Swap their outlets", tuple(steps), "midi"),),
    )


@check("part.all-first")
def all_on_the_first_outlet(analysis: Analysis) -> Iterator[Finding]:
    """Instruments with several open outlets whose parts all use the first."""
    for strip_number in analysis.graph.by_kind["instrument"]:
        strip = analysis.strip(strip_number)
        opened = sum(outlet.open for outlet in strip.outlets)
        if len(strip.parts) < 2 or opened < 2:
            continue
        if all(outlet_of_part(strip, part) is strip.outlets[0] for part in strip.parts):
            lay = EditStep("lay_parts", {"strip": strip.id})
            yield Finding(
                code="part.all-first",
                severity="warning",
                message=f"All {len(strip.parts)} parts of {strip.name} use its first outlet",
                strips=(strip.id,),
                outlets=(f"{strip.id}/{strip.outlets[0].id}",),
                evidence=(f"{opened} outlets are open; a reloaded kit often puts all parts on the first",),
                remedies=(Remedy("Assign parts to the open outlets in order", (lay,)),),
            )


@check("choice.wrong")
def wrong_choices(analysis: Analysis) -> Iterator[Finding]:
    """Choices of which not as many members sound as they should."""
    for choice in analysis.template.choices:
        if in_turn(choice):
            continue
        sounding = [member for member in choice.members if _sounds(analysis, member)]
        if len(sounding) != choice.sounding:
            yield Finding(
                code="choice.wrong",
                severity="warning",
                message=f"{choice.name}: {len(sounding)} active, {choice.sounding} expected",
                strips=tuple(dict.fromkeys(s for m in choice.members for s in strips_of_member(analysis.template, m))),
                outlets=tuple(member for member in choice.members if "/" in member),
                others=(choice.id,),
                evidence=(f"active: {', '.join(sounding) or 'none'}", f"of {', '.join(choice.members) or 'none'}"),
            )


def _sounds(analysis: Analysis, member: str) -> bool:
    """The member's sound reaches an endpoint now; of a section, that of one of its sources."""
    if member.startswith(SECTION):
        inside = set(strips_of_member(analysis.template, member))
        return any(
            analysis.strip(strip).id in inside and analysis.heard.from_source(strip, outlet)
            for strip, outlet in analysis.sources
        )
    strip, _slash, outlet = member.partition("/")
    number = analysis.graph.index[strip]
    node = analysis.graph.outlet_index.get((number, outlet), NO_OUTLET) if outlet else -1
    if node >= 0:
        return analysis.unblocked.outlet_sounds(node) and analysis.heard.outlet[node]
    if analysis.unblocked.sounds[number] and analysis.heard.own[number]:
        return True
    return analysis.sounds.fed[number] and analysis.heard.fed[number]


explain(
    "part.unheard",
    many="{n} parts are silent",
    found="The outlet of a part is closed or has no path to an endpoint.",
    why="Its notes play without sound.",
    how="The outlet of each part is followed to the endpoints over open paths.",
    fix="Open the outlet, or route it.",
    decide="Only you know the destination of the outlet. Route it on Ports.",
    place="ports",
)

explain(
    "part.unplayed",
    many="{n} parts are not played",
    found="A part has no MIDI route with its port and channel, though the instrument is played.",
    why="It uses memory and makes no sound.",
    how="The ports and channels of all MIDI routes into the instrument are compared with those of each part.",
    fix="Play it on its channel, or remove it.",
)

explain(
    "part.crossed",
    many="{n} parts are crossed",
    found="Strips at the outlets of two parts have each other's names, or notes of a part play another part.",
    why="The wrong sound is on the strip, or the notes play the wrong sound.",
    how="Names of parts are compared with the strips at their outlets and the strips that play them.",
    fix="Swap the outlets, or the channel.",
    decide="Only you know the right order. Swap the outlets on Ports.",
    place="ports",
)

explain(
    "part.all-first",
    many="{n} instruments have all parts on the first outlet",
    found="All parts of an instrument with several open outlets use the first outlet.",
    why="A reloaded kit often does this. One strip gets all parts, the others none.",
    how="The outlet of each part is checked.",
    fix="Assign the parts to the open outlets in order.",
    decide="Only you know the outlets of the parts. Assign them on Ports.",
    place="ports",
)

explain(
    "choice.wrong",
    many="{n} choices are set wrongly",
    found="The number of active members of a choice differs from its setting.",
    why="Two versions play together, or none plays.",
    how="The active members are counted.",
    fix="Unmute the wanted members and mute the others.",
    decide="Only you know the member that should sound. Mute or unmute members on the map.",
    place="map",
)
