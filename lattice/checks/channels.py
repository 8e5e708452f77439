"""Channels: folds, missing and doubled channels, layouts that do not match."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.gain_staging.activity import active_channels
from lattice.gain_staging.gains import insert_layouts, route_gain
from lattice.model.document import Route, Strip, is_split, main_outlet
from lattice.model.edit_step import EditStep
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
                message=f"{tail} folds down from {start} to {end} into {head}",
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
        lost = [channel for channel in activity.lost(route_number) if channel not in _split(analysis, route_number)]
        if lost:
            route, names = graph.routes[route_number], channel_names(_ends(analysis, route_number)[0])
            shown = ", ".join(names[channel] for channel in lost)
            tail, head = analysis.name(graph.tail[route_number]), analysis.name(graph.head[route_number])
            yield Finding(
                code="route.channels-lost",
                severity="warning",
                message=f"Channel {shown} of {tail} is not routed to {head}",
                strips=(route.from_strip, route.to),
                routes=(route.id,),
                figures={"channels": len(lost)},
                evidence=(f"omitted: {shown}",),
            )


def _split(analysis: Analysis, number: int) -> set[int]:
    """Channels, from 0, that other routes of the same outlet take, where parts share it as left and right."""
    graph = analysis.graph
    strip, outlet = graph.strips[graph.tail[number]], graph.outlet[number]
    if not is_split(strip, graph.outlets[outlet][1] if outlet >= 0 else main_outlet(strip)):
        return set()
    beside = graph.outlet_outs[outlet] if outlet >= 0 else graph.outs[graph.tail[number]]
    others = [graph.routes[route] for route in beside if route != number and analysis.carries(route)]
    return {start - 1 for route in others for start, _end in route.channels or ((1, 1), (2, 2))}


def keeps_channels_apart(strip: Strip) -> bool:
    """Strips with independent channels: discrete ones, and those that a panner spreads."""
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
                standing="unfinished" if _is_unnumbered(analysis, strip_number) else "wrong",
                message=f"Channel {shown} of {strip.name} has no source",
                strips=(strip.id,),
                figures={"channels": len(gaps)},
                evidence=(f"{len(fed)} of {channel_count(strip.layout)} channels have a source",),
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
        shown = ", ".join(names[row] for row in twice)
        unnumbered = all(graph.routes[route].channels is None for route in routes)
        feeding = list(dict.fromkeys(analysis.strip(graph.tail[route]).id for route in routes))
        number = EditStep("number_routes", {"strips": feeding, "to": strip.id})
        yield Finding(
            code="route.channels-doubled",
            severity="warning",
            standing="unfinished" if unnumbered else "wrong",
            message=f"{analysis.names(sources)} share channel {shown} of {strip.name}",
            strips=(strip.id, *(analysis.strip(source).id for source in sources)),
            routes=analysis.route_ids(routes),
            figures={"channels": len(twice)},
            evidence=tuple(lines),
            remedies=(Remedy("Number the channels in order", (number,), "route"),)
            if unnumbered and sum(channel_count(graph.layout_leaving(r)) for r in routes) <= len(names)
            else (),
        )


def _is_unnumbered(analysis: Analysis, strip_number: int) -> bool:
    """Return whether channels of a strip were not all given out yet: several routes into it state none."""
    graph = analysis.graph
    return sum(graph.routes[route].channels is None for route in graph.ins[strip_number]) > 1


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
                message=f"{name} on {strip.name} outputs {leaving} channels; {end.name} has "
                f"{channel_count(end.layout)}",
                strips=(strip.id, end.id),
                routes=(graph.routes[route].id,),
                inserts=(panners[-1].id,),
                figures={"channels": leaving - channel_count(end.layout)},
                evidence=(f"output of {strip.name}: {graph.chain_layout[strip_number]}; {end.name}: {end.layout}",),
            )


@check("panner.order")
def panner_inputs_out_of_order(analysis: Analysis) -> Iterator[Finding]:
    """Panners whose inputs are in another order than the strips that feed them."""
    graph = analysis.graph
    for strip_number in sorted(graph.reshaped):
        strip = analysis.strip(strip_number)
        panner = strip.inserts[0]
        if not panner.traits.spreads or panner.state != "on":
            continue
        routes = [
            route for route in graph.ins[strip_number] if graph.routes[route].channels and analysis.carries(route)
        ]
        routes.sort(key=lambda route: graph.tail[route])
        inputs = [min(end for _start, end in graph.routes[route].channels or ()) for route in routes]
        at = next((n for n in range(1, len(inputs)) if inputs[n] < inputs[n - 1]), None)
        if at is None:
            continue
        tails = [graph.tail[route] for route in routes]
        one, other = (f"{analysis.name(tails[n])} on input {inputs[n]}" for n in (at - 1, at))
        yield Finding(
            code="panner.order",
            severity="note",
            message=f"Inputs of {panner.title} on {strip.name} are not in the order of its {len(routes)} strips",
            strips=(strip.id, *dict.fromkeys(analysis.ids(tails))),
            routes=tuple(graph.routes[route].id for route in routes),
            inserts=(panner.id,),
            figures={"inputs": len(routes)},
            evidence=(f"{one}, then {other}",),
        )


@check("route.width")
def widths(analysis: Analysis) -> Iterator[Finding]:
    """Inserts whose input layout differs from the stage before."""
    for strip_number in sorted(analysis.graph.reshaped):
        strip = analysis.strip(strip_number)
        before = strip.layout
        for insert in strip.inserts:
            layout_in, after = insert_layouts(insert, before)
            if layout_in != before:
                yield Finding(
                    code="route.width",
                    severity="warning",
                    message=f"{insert.name or insert.id} on {strip.name} is set to {layout_in} but receives {before}",
                    strips=(strip.id,),
                    inserts=(insert.id,),
                    evidence=(f"{before} before it; input {layout_in}, output {after}",),
                )
            before = after


explain(
    "route.folded",
    many="{n} routes fold down channels",
    found="A route feeds a wider layout into a narrower one.",
    why="Channels are summed. Centre and surrounds are mixed at −3.01 dB.",
    how="The fold-down coefficients are those of ITU-R BS.775.",
    fix="Widen the destination, or waive the finding if the fold-down is intended.",
)

explain(
    "route.channels-lost",
    many="{n} routes drop channels",
    found="A route by channel numbers omits a channel that carries signal.",
    why="Part of the signal is missing without a warning.",
    how="The channels with signal are compared with the channels of the route.",
    fix="Add the channel to the route, or widen its destination.",
    decide="Only you know the channels of the route. Set them on Crosspoints.",
    place="crosspoints",
)

explain(
    "route.channels-doubled",
    many="{n} channels have two sources",
    found="Two sources share one channel of a strip with separate channels, by channel number.",
    why="The two sources are mixed and cannot be separated again.",
    how="The destination channel of each route is listed.",
    fix="Move one source to a free channel.",
    decide="Only you know the channels of the two sources. Set them on Ports.",
    place="ports",
)

explain(
    "route.channels-gap",
    many="{n} strips have unused channels in between",
    found="A channel below the highest used channel has no source.",
    why="Equipment that expects consecutive channels is off by one.",
    how="The destination channel of each route is listed.",
    fix="Move the sources together, or waive the finding if the gap is intended.",
)

explain(
    "panner.order",
    many="{n} panners have inputs in another order than their strips",
    found="The inputs of a panner are in another order than the strips that feed them.",
    why="Positions are set by input number. One of them then belongs to another strip.",
    how="Strips in session order are compared with the inputs of their routes.",
    fix="Number the inputs in the order of the strips on Ports.",
)

explain(
    "route.width",
    many="{n} inserts receive a different layout",
    found="The input layout of an insert differs from the layout before it in the chain.",
    why="Channels are folded down or empty inside the chain, without a warning.",
    how="Layouts are followed through each chain, insert by insert.",
    fix="Load the insert in the correct width, or move it to the correct place.",
    decide="Only you know the layout of the insert. Set it in the strip details.",
    place="map",
)

explain(
    "panner.width",
    many="{n} panners are wider than their destination",
    found="A panner outputs more channels than its destination has.",
    why="Signal on the missing channels is folded down or lost.",
    how="The layout after the chain is compared with the layout of each destination.",
    fix="Widen the destination, or load the panner in the width of the destination.",
    decide="Only you know the layout of the mix. Set the panner or the destination.",
    place="ports",
)
