"""Fixes of broken rules, one for each kind of promise that a route can keep."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Remedy
from lattice.checks.remedies import feed_step, leads_to, route_words
from lattice.graph.origin import Origin
from lattice.graph.paths import Path
from lattice.graph.signal_graph import POST
from lattice.model.document import Rule
from lattice.model.edit_step import EditStep
from lattice.model.layouts import channel_count, channel_names
from lattice.model.selectors import select

Fixes = Iterator[Remedy]


def rule_fixes(analysis: Analysis, rule: Rule, origin: Origin, path: Path | None) -> tuple[Remedy, ...]:
    """Fixes of one source that breaks a rule.

    Parameters
    ----------
    analysis
        The analysis.
    rule
        The rule.
    origin
        The source.
    path
        The offending path; None where a path is missing.

    Returns
    -------
    tuple of Remedy
        None where no single route keeps the promise.
    """
    making = FIXES.get(rule.kind)
    return tuple(making(analysis, rule, origin, path)) if making else ()


def _before_the_fader(analysis: Analysis, _rule: Rule, origin: Origin, path: Path | None) -> Fixes:
    """The first route of the path leaves before the fader."""
    if path is not None and path.routes and analysis.graph.stage[path.routes[0]] == POST:
        route = path.routes[0]
        step = EditStep("change_route", {"route": analysis.graph.routes[route].id, "changes": {"tap": "pre-fader"}})
        yield Remedy(f"Leave {analysis.name(origin.strip)} before the fader", (step,))


def _last_route(analysis: Analysis, _rule: Rule, _origin: Origin, path: Path | None) -> Fixes:
    """The last route of the offending path is removed: such rules ignore settings."""
    if path is not None and path.routes:
        route = path.routes[-1]
        step = EditStep("remove_routes", {"routes": list(analysis.route_ids([route]))})
        is_send = analysis.graph.routes[route].kind == "send"
        yield Remedy(f"Remove {route_words(analysis, route)}", (step,), asks=True if is_send else None)


def _through(analysis: Analysis, rule: Rule, origin: Origin, path: Path | None) -> Fixes:
    """The first feed of the path goes through the strip instead of past it."""
    yield from _by_way_of(analysis, origin, path, select(analysis.template, rule.through))


def _through_the_ducked(analysis: Analysis, rule: Rule, origin: Origin, path: Path | None) -> Fixes:
    """The source is fed through a strip that the trigger keys."""
    graph, triggers = analysis.graph, select(analysis.template, rule.through)
    keyed = {graph.head[route] for route in graph.keys if graph.tail[route] in triggers}
    yield from _by_way_of(analysis, origin, path, keyed)


def _by_way_of(analysis: Analysis, origin: Origin, path: Path | None, strips: set[int] | frozenset[int]) -> Fixes:
    graph = analysis.graph
    if path is None or not path.routes or origin.outlet >= 0:
        return
    first = path.routes[0]
    for strip in sorted(strips):
        may = analysis.may_feed(origin.strip, strip) and not leads_to(analysis, strip, origin.strip)
        if may and analysis.could_be_heard.fed[strip] and graph.routes[first].kind == "feed":
            moved = EditStep("remove_routes", {"routes": [graph.routes[first].id]})
            feed = feed_step(graph.strips[origin.strip].id, graph.strips[strip].id, tap=graph.routes[first].tap)
            yield Remedy(f"Feed {analysis.name(origin.strip)} through {analysis.name(strip)}", (moved, feed))
            return


def _onto_the_channels(analysis: Analysis, rule: Rule, _origin: Origin, path: Path | None) -> Fixes:
    """The last route of the path ends on the channels of the rule."""
    graph = analysis.graph
    if path is None or not path.routes or not rule.channels:
        return
    route = path.routes[-1]
    names = channel_names(graph.strips[graph.head[route]].layout)
    wanted = [names.index(str(c)) + 1 if str(c) in names else int(c) for c in rule.channels if _is_channel(c, names)]
    leaving = channel_count(graph.layout_leaving(route))
    if not wanted:
        return
    pairs = [[n + 1, channel] for n, channel in enumerate(wanted[:leaving])]
    if leaving == 1:
        pairs = [[1, channel] for channel in wanted]
    step = EditStep("change_route", {"route": graph.routes[route].id, "changes": {"channels": pairs}})
    yield Remedy(
        f"Route {route_words(analysis, route).partition(' ')[2]} to {', '.join(map(str, rule.channels))}", (step,)
    )


def _is_channel(channel: str | int, names: tuple[str, ...]) -> bool:
    return str(channel) in names or (str(channel).isdecimal() and 1 <= int(channel) <= len(names))


FIXES: dict[str, Callable[[Analysis, Rule, Origin, Path | None], Fixes]] = {
    "pre-fader": _before_the_fader,
    "avoids": _last_route,
    "isolated": _last_route,
    "passes": _through,
    "ducked-by": _through_the_ducked,
    "lands-on": _onto_the_channels,
}
