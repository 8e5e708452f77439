"""Prints of stems: present, fed as in the ledger, and as wide as their strips."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.checks.remedies import feed_step
from lattice.graph.signal_graph import IN, POST, STAGE_OF_TAP
from lattice.model.document import Stem
from lattice.model.edit_step import EditStep
from lattice.model.strip_kinds import NO_START
from lattice.model.units import words_db


def _feeding(analysis: Analysis, stem: Stem) -> list[int]:
    """Open routes into a stem's print."""
    number = analysis.graph.index[stem.print or ""]
    return [route for route in analysis.graph.ins[number] if analysis.unblocked.route_ok[route]]


@check("stem.unprinted")
def unprinted(analysis: Analysis) -> Iterator[Finding]:
    """Stems without a print that records them; mixes and composites too, where others of their set have prints."""
    with_prints = {stem.set for stem in analysis.template.stems if stem.print is not None}
    for stem in analysis.template.stems:
        if stem.strip is None or stem.print == stem.strip or (stem.role != "stem" and stem.set not in with_prints):
            continue
        why = _why_unprinted(analysis, stem)
        if why:
            strips = [stem.strip, *([stem.print] if stem.print else [])]
            yield Finding(
                code="stem.unprinted",
                severity="warning",
                message=f"{stem.name} is not printed: {why}",
                strips=tuple(strips),
                stems=(stem.id,),
                evidence=(why,),
                remedies=_printing(analysis, stem),
            )


def _why_unprinted(analysis: Analysis, stem: Stem) -> str:
    index, graph = analysis.graph.index, analysis.graph
    if stem.print is None:
        return "it has no print"
    strip = analysis.strip(index[stem.print])
    if not strip.in_service:
        return f"{strip.name} is disabled"
    own = [route for route in _feeding(analysis, stem) if graph.tail[route] == index[stem.strip or ""]]
    return "" if own else f"{analysis.name(index[stem.strip or ''])} does not feed {strip.name}"


def _printing(analysis: Analysis, stem: Stem) -> tuple[Remedy, ...]:
    """A new print, a feed to the one that is named, or that one put into service: whichever makes it record."""
    graph = analysis.graph
    source = graph.index[stem.strip or ""]
    strip = graph.strips[source]
    sounds_at_tap = strip.in_service and (stem.tap != "post-fader" or graph.post_open[source])
    if stem.print is None:
        may = sounds_at_tap and strip.kind not in NO_START
        return (Remedy("Add a print for it", (EditStep("print_stem", {"stem": stem.id}),)),) if may else ()
    end = graph.index[stem.print]
    name, fed = analysis.name(end), [route for route in graph.ins[end] if graph.tail[route] == source]
    if not analysis.strip(end).in_service:
        wake = EditStep("change_strip", {"strip": stem.print, "changes": {"in_service": True}})
        records = strip.in_service and any(_opens_with_its_end(analysis, route) for route in fed)
        return (Remedy(f"Enable {name}", (wake,)),) if records else ()
    if fed or not sounds_at_tap or not analysis.may_feed(source, end):
        return ()  # a route is there, and something blocks it; or none may be made
    return (Remedy(f"Feed to {name}", (feed_step(strip.id, stem.print, tap=stem.tap),), "stem"),)


def _opens_with_its_end(analysis: Analysis, route: int) -> bool:
    """A route would be open if the strip it ends at were in service."""
    graph, piece = analysis.graph, analysis.graph.routes[route]
    outlet, tail = graph.outlet[route], graph.tail[route]
    if not piece.enabled or (piece.gain_db is None and not piece.automated):
        return False
    if outlet >= 0:
        return graph.outlets[outlet][1].open
    return graph.stage[route] != POST or graph.post_open[tail]


@check("stem.print-differs")
def print_differs(analysis: Analysis) -> Iterator[Finding]:
    """Prints that record something else than the stem at its tap."""
    for stem in analysis.template.stems:
        if stem.role != "stem" or stem.strip is None or stem.print is None or stem.print == stem.strip:
            continue
        own = [route for route in _feeding(analysis, stem) if _is_of(analysis, stem, route)]
        differing = {route: why for route in _feeding(analysis, stem) if (why := _difference(analysis, stem, route))}
        if len(own) > 1:
            differing |= {route: "it has several feeds" for route in own[1:] if route not in differing}
        if own and differing:
            print_name = analysis.name(analysis.graph.index[stem.print])
            yield Finding(
                code="stem.print-differs",
                severity="warning",
                message=f"{print_name} does not match the tap of {stem.name}",
                strips=(stem.print, stem.strip),
                routes=analysis.route_ids(list(differing)),
                stems=(stem.id,),
                evidence=tuple(differing.values()),
                remedies=(Remedy("Feed it only the stem, at its tap, at 0 dB", _alone(analysis, stem, own)),),
            )


def _is_of(analysis: Analysis, stem: Stem, route: int) -> bool:
    """A route that leaves the chain of the stem's strip."""
    return analysis.graph.strips[analysis.graph.tail[route]].id == stem.strip and analysis.graph.outlet[route] < 0


def _difference(analysis: Analysis, stem: Stem, route: int) -> str:
    """The reason why a route makes the print differ from the ledger; "" if it does not."""
    feed = analysis.graph.routes[route]
    if not _is_of(analysis, stem, route):
        if "pop" in analysis.strip(analysis.graph.tail[route]).tags:
            return ""  # a sync pop stands in every print, however it comes there
        return f"{analysis.name(analysis.graph.tail[route])} also feeds it"
    said = []
    if feed.tap != stem.tap:
        said.append(f"its feed is {feed.tap}, the tap is {stem.tap}")
    if feed.gain_db != 0:
        said.append(f"its feed is at {words_db(feed.gain_db)} dB")
    return "; ".join(said)


def _alone(analysis: Analysis, stem: Stem, own: list[int]) -> tuple[EditStep, ...]:
    """One route of the stem's strip stays and is corrected; all other inputs of the print are removed."""
    kept = next((route for route in own if not _difference(analysis, stem, route)), own[0])
    into = analysis.graph.ins[analysis.graph.index[stem.print or ""]]
    others = [
        route
        for route in into
        if route != kept and (_is_of(analysis, stem, route) or _difference(analysis, stem, route))
    ]
    steps = [EditStep("remove_routes", {"routes": list(analysis.route_ids(others))})] if others else []
    feed = analysis.graph.routes[kept]
    changes: dict[str, object] = {} if feed.tap == stem.tap else {"tap": stem.tap}
    changes |= {} if feed.gain_db == 0 else {"gain_db": 0.0}
    return (*steps, *([EditStep("change_route", {"route": feed.id, "changes": changes})] if changes else []))


@check("stem.layout")
def layouts(analysis: Analysis) -> Iterator[Finding]:
    """Stems whose layout differs from their strip or print, and mixes in a layout that no delivery lists."""
    graph, wanted = analysis.graph, analysis.template.profile.layouts
    for stem in analysis.template.stems:
        lines: list[str] = []
        strips: list[str] = []
        remedies: tuple[Remedy, ...] = ()
        if stem.strip is not None:
            strip_number = graph.index[stem.strip]
            leaves = (
                analysis.strip(strip_number).layout
                if STAGE_OF_TAP[stem.tap] == IN
                else graph.chain_layout[strip_number]
            )
            strips.append(stem.strip)
            if leaves != stem.layout:
                lines.append(f"{analysis.name(strip_number)} outputs {leaves}")
        if stem.print is not None and (layout := analysis.strip(graph.index[stem.print]).layout) != stem.layout:
            strips.append(stem.print)
            lines.append(f"{analysis.name(graph.index[stem.print])} records {layout}")
        if stem.role == "mix" and stem.layout not in wanted:
            lines.append(f"the profile requires {', '.join(wanted)}")
            ask = EditStep("change_profile", {"changes": {"layouts": [*wanted, stem.layout]}})
            remedies = (Remedy(f"Add {stem.layout} to the profile", (ask,)),) if len(lines) == 1 else ()
        if lines:
            yield Finding(
                code="stem.layout",
                severity="warning",
                message=f"{stem.name} is set to {stem.layout}, but {' and '.join(lines)}",
                strips=tuple(dict.fromkeys(strips)),
                stems=(stem.id,),
                evidence=tuple(lines),
                remedies=remedies,
            )


explain(
    "stem.unprinted",
    many="{n} stems are not printed",
    found="A stem, mix or composite has no print, though others of its set have one.",
    why="A file is missing from the delivery.",
    how="For each set, the prints, their state and their feeds are checked.",
    fix="Add a print, or feed the existing one.",
    decide="Only you know the print. Route the strip to a print on the map.",
    place="stems",
)

explain(
    "stem.print-differs",
    many="{n} prints differ from their stems",
    found="A print has extra feeds, a different tap, or a gain other than 0 dB.",
    why="The file differs from the stem levels shown here.",
    how="The routes into each print are compared with the tap of its stem.",
    fix="Feed it the stem alone, at its tap, at 0 dB.",
    decide="Only you know the intended content. Feed the print from the stem alone.",
    place="stems",
)

explain(
    "stem.layout",
    many="{n} stems differ in layout from their prints",
    found="The layouts of stem, strip and print differ, or the profile does not list the layout of a mix.",
    why="Channels in the file are folded down or empty.",
    how="The layouts of stem, strip and print are compared.",
    fix="Set all to the same layout.",
    decide="Only you know the layout of the delivery. Set strip, stem and print alike.",
    place="stems",
)
