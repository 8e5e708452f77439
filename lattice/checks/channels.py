"""Channels: what folds, what is left out, what lands twice, which widths do not match."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding
from lattice.checks.registry import check, explain
from lattice.levels.activity import active_channels
from lattice.levels.gains import insert_layouts, route_gain
from lattice.model.document import Route, Strip
from lattice.model.layouts import DISCRETE, NAMED, channel_count, channel_names, mapping


def _ends(analysis: Analysis, number: int) -> tuple[str, str]:
    """Layouts at a route's tap (or outlet) and of the strip it ends at."""
    return analysis.graph.layout_leaving(number), analysis.graph.strips[analysis.graph.head[number]].layout


@check("route.folded")
def folded(analysis: Analysis) -> Iterator[Finding]:
    """Routes that fold a wider named layout into a narrower one."""
    narrowing = {
        (start, end)
        for start, end in analysis.graph.layout_pairs
        if start in NAMED and end in NAMED and channel_count(start) > channel_count(end)
    }
    if not narrowing:
        return
    for route_number, route in enumerate(analysis.graph.routes):
        if route.kind in ("feed", "send") and route.channels is None and _ends(analysis, route_number) in narrowing:
            start, end = _ends(analysis, route_number)
            tail, head = (
                analysis.name(analysis.graph.tail[route_number]),
                analysis.name(analysis.graph.head[route_number]),
            )
            yield Finding(
                code="route.folded",
                severity="note",
                message=f"{tail} folds from {start} to {end} on its way to {head}",
                strips=(route.from_strip, route.to),
                routes=(route.id,),
                evidence=tuple(_folds(start, end)),
            )


def _folds(start: str, end: str) -> Iterator[str]:
    """“C to L and R at 0.7071”, for every channel that does not go straight."""
    matrix, ends = mapping(start, end), channel_names(end)
    for column, name in enumerate(channel_names(start)):
        targets = [(ends[row], matrix[row][column]) for row in range(len(ends)) if matrix[row][column]]
        if [target for target, _gain in targets] == [name]:
            continue
        gains = ", ".join(f"{gain:.4g}" for gain in sorted({gain for _target, gain in targets}))
        yield (
            f"{name} to {' and '.join(target for target, _gain in targets)} at {gains}"
            if targets
            else f"{name} is dropped"
        )


def _has_pairs(route: Route, start: str, end: str) -> bool:
    return route.channels is not None or start.startswith(DISCRETE) or end.startswith(DISCRETE)


@check("route.channels-lost")
def channels_lost(analysis: Analysis) -> Iterator[Finding]:
    """Routes by channel numbers that leave out a channel that carries sound."""
    graph = analysis.graph
    by_number = any(DISCRETE in (start[: len(DISCRETE)], end[: len(DISCRETE)]) for start, end in graph.layout_pairs)
    if not by_number and not graph.listed:
        return
    suspects = [
        route_number
        for route_number, route in enumerate(graph.routes)
        if route.kind in ("feed", "send", "tie")
        and _has_pairs(route, *_ends(analysis, route_number))
        and analysis.carries(route_number)
    ]
    if not suspects:
        return
    activity = active_channels(analysis.unblocked)
    for route_number in suspects:
        lost = activity.lost(route_number)
        if lost:
            route, names = graph.routes[route_number], channel_names(_ends(analysis, route_number)[0])
            shown = ", ".join(names[channel] for channel in lost)
            tail, head = analysis.name(graph.tail[route_number]), analysis.name(graph.head[route_number])
            yield Finding(
                code="route.channels-lost",
                severity="warning",
                message=f"{tail} loses channel {shown} on its way to {head}",
                strips=(route.from_strip, route.to),
                routes=(route.id,),
                figures={"channels": len(lost)},
                evidence=(f"left out: {shown}",),
            )


def keeps_channels_apart(strip: Strip) -> bool:
    """Strips whose channels stand for themselves: discrete ones, and those that a panner spreads."""
    return strip.layout.startswith(DISCRETE) or bool(strip.inserts and strip.inserts[0].traits.spreads)


def landings(analysis: Analysis, strip_number: int) -> dict[int, list[int]]:
    """Routes by the channel of a strip that they land on, from 0."""
    landing: dict[int, list[int]] = defaultdict(list)
    for route in analysis.graph.ins[strip_number]:
        for row, gains in enumerate(route_gain(analysis.graph, route).matrix):
            if any(gains):
                landing[row].append(route)
    return landing


@check("route.channels-doubled", "route.channels-gap")
def channels_doubled_and_gaps(analysis: Analysis) -> Iterator[Finding]:
    """Strips fed by channel number: two sources on one channel, or a hole below the highest one."""
    graph = analysis.graph
    for strip_number, strip in enumerate(graph.strips):
        if not graph.ins[strip_number] or not keeps_channels_apart(strip):
            continue
        everything = landings(analysis, strip_number)
        fed = set(everything)
        by_number = {r for r in graph.ins[strip_number] if _has_pairs(graph.routes[r], *_ends(analysis, r))}
        landing = {row: found for row, on in everything.items() if (found := [r for r in on if r in by_number])}
        yield from _doubled(analysis, strip_number, landing)
        gaps = [channel for channel in range(max(fed, default=0)) if channel not in fed]
        if gaps:
            shown = ", ".join(channel_names(strip.layout)[channel] for channel in gaps)
            yield Finding(
                code="route.channels-gap",
                severity="note",
                message=f"Channel {shown} of {strip.name} is not fed, and a higher one is",
                strips=(strip.id,),
                figures={"channels": len(gaps)},
                evidence=(f"{len(fed)} of {channel_count(strip.layout)} channels are fed",),
            )


def _doubled(analysis: Analysis, strip_number: int, landing: dict[int, list[int]]) -> Iterator[Finding]:
    graph = analysis.graph
    twice = {
        row: routes
        for row, routes in sorted(landing.items())
        if len({(graph.tail[route], graph.outlet[route]) for route in routes}) > 1
    }
    if twice:
        strip, names = graph.strips[strip_number], channel_names(graph.strips[strip_number].layout)
        routes = list(dict.fromkeys(route for sharing in twice.values() for route in sharing))
        lines = [f"channel {names[row]}: {analysis.names([graph.tail[r] for r in on])}" for row, on in twice.items()]
        sources = list(dict.fromkeys(graph.tail[route] for route in routes))
        yield Finding(
            code="route.channels-doubled",
            severity="warning",
            message=f"{analysis.names(sources)} land on one channel of {strip.name}",
            strips=(strip.id, *(analysis.strip(source).id for source in sources)),
            routes=analysis.route_ids(routes),
            figures={"channels": len(twice)},
            evidence=tuple(lines),
        )


@check("panner.width")
def panners_wider_than_their_master(analysis: Analysis) -> Iterator[Finding]:
    """Panners that give more channels than the strip they feed has."""
    graph = analysis.graph
    for strip_number in sorted(graph.reshaped):
        strip = analysis.strip(strip_number)
        panners = [insert for insert in strip.inserts if insert.traits.spreads and insert.state == "on"]
        leaving = channel_count(graph.chain_layout[strip_number])
        for route in graph.outs[strip_number] if panners else ():
            end = graph.strips[graph.head[route]]
            if graph.routes[route].kind != "feed" or channel_count(end.layout) >= leaving:
                continue
            name = panners[-1].name or panners[-1].type
            yield Finding(
                code="panner.width",
                severity="note",
                message=f"{name} on {strip.name} gives {leaving} channels, and {end.name} has "
                f"{channel_count(end.layout)}",
                strips=(strip.id, end.id),
                routes=(graph.routes[route].id,),
                inserts=(panners[-1].id,),
                figures={"channels": leaving - channel_count(end.layout)},
                evidence=(f"{graph.chain_layout[strip_number]} leaves {strip.name}, {end.name} is {end.layout}",),
            )


@check("route.width")
def widths(analysis: Analysis) -> Iterator[Finding]:
    """Inserts whose layout in is not what precedes them."""
    for strip_number in sorted(analysis.graph.reshaped):
        strip = analysis.strip(strip_number)
        before = strip.layout
        for insert in strip.inserts:
            layout_in, after = insert_layouts(insert, before)
            if layout_in != before:
                yield Finding(
                    code="route.width",
                    severity="warning",
                    message=f"{insert.name or insert.id} on {strip.name} takes {layout_in}, and {before} comes to it",
                    strips=(strip.id,),
                    inserts=(insert.id,),
                    evidence=(f"{before} before it, {layout_in} in, {after} out",),
                )
            before = after


explain(
    "route.folded",
    many="{n} routes fold channels",
    found="A route leads a wider layout into a narrower one.",
    why="Channels add up there: centre and surrounds come at −3.01 dB.",
    how="By ITU-R BS.775 for named layouts.",
    fix="Keep it where a fold-down is meant; else widen the strip it leads to.",
)

explain(
    "route.channels-lost",
    many="{n} routes leave channels out",
    found="A route by channel numbers leaves out a channel that carries sound.",
    why="Part of the sound is silently gone.",
    how="The channels that carry sound are compared with those the route takes.",
    fix="Add the channel to the route's list, or widen the strip it leads to.",
)

explain(
    "route.channels-doubled",
    many="{n} channels take in two sources",
    found="By channel numbers, two sources land on one channel of a strip that keeps channels apart.",
    why="Two things stand on one channel and cannot be told apart any more.",
    how="Where each route lands is listed channel by channel.",
    fix="Move one of them to a free channel.",
)

explain(
    "route.channels-gap",
    many="{n} strips have a gap between their channels",
    found="A channel below the highest one in use is fed by nothing.",
    why="A multichannel bus that counts on a full row will be off by one.",
    how="Where each route lands is listed channel by channel.",
    fix="Move the sources together, or leave it where the gap is meant.",
)

explain(
    "route.width",
    many="{n} inserts get another layout than they state",
    found="An insert states a layout that is not what comes to it in the chain.",
    why="Channels are folded or left empty inside the chain, unseen.",
    how="Layouts are followed through each chain, insert by insert.",
    fix="Load the insert in the right width, or put it where the width fits.",
)

explain(
    "panner.width",
    many="{n} panners are wider than what they feed",
    found="A panner gives more channels than the strip it feeds has.",
    why="What is placed on the channels that are missing folds, or is lost: a move that is heard nowhere.",
    how="The layout that leaves the chain is compared with that of the strip behind each feed.",
    fix="Widen that strip, or load the panner in its width.",
)
