"""Routes shared by the paths of several findings: the one whose removal resolves all of them."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Sequence

from lattice.analysis import Analysis
from lattice.checks.finding import Finding
from lattice.graph.origin import Origin
from lattice.graph.reach import upstream
from lattice.graph.signal_graph import SignalGraph
from lattice.graph.walk import first_path

Cause = tuple[str, ...]
Group = tuple[Cause, list[Finding]]


def second_ways(analysis: Analysis, findings: Sequence[Finding]) -> list[Group]:
    """Double paths by the route of the second path; without a shared one, by the route their fix removes.

    A shared route is a cause only if it is removable: a send, or a feed whose whole signal has the other path as well.
    Of several, the one with the most findings; then a send, then the last.
    """
    graph, number_of = analysis.graph, analysis.graph.route_index
    starts = {finding.strips[:2] for finding in findings}
    behind: dict[int, frozenset[str]] = {}

    def may_go(route: int, join: str) -> bool:
        if graph.routes[route].kind == "send":
            return True
        tail = graph.tail[route]
        if tail not in behind:
            behind[tail] = frozenset(graph.strips[n].id for n in upstream(graph, tail) if graph.is_source[n])
        return all((strip, join) in starts for strip in behind[tail])

    def common(left: list[Finding]) -> tuple[str, list[Finding]] | None:
        """The route that most of them share, at least two, and which they are."""
        having: dict[str, list[Finding]] = defaultdict(list)
        for finding in left:
            for route in finding.routes:
                if may_go(number_of[route], finding.strips[1]):
                    having[route].append(finding)
        best = max(having, key=lambda route: _weight(graph, number_of[route], len(having[route])), default=None)
        return (best, having[best]) if best is not None and len(having[best]) > 1 else None

    return _covered(findings, common, lambda finding: _removed_by_remedy(finding) or finding.routes[-1:])


def _weight(graph: SignalGraph, route: int, count: int) -> tuple[int, bool, int]:
    return count, graph.routes[route].kind == "send", route


def _removed_by_remedy(finding: Finding) -> tuple[str, ...]:
    for remedy in finding.remedies:
        for step in remedy.steps:
            if step.edit == "remove_routes":
                return tuple(step.arguments["routes"][:1])
    return ()


def _covered(
    findings: Sequence[Finding],
    common: Callable[[list[Finding]], tuple[str, list[Finding]] | None],
    alone: Callable[[Finding], tuple[str, ...]],
) -> list[Group]:
    """Group by the most common element, repeatedly; the rest each alone."""
    left: list[Finding] = list(findings)
    groups: dict[tuple[str, ...], list[Finding]] = {}
    while len(left) > 1 and (shared := common(left)) is not None:
        cause, group = shared
        groups[(cause,)] = group
        grouped = {id(finding) for finding in group}
        left = [finding for finding in left if id(finding) not in grouped]
    for finding in left:
        groups.setdefault(alone(finding), []).append(finding)
    return list(groups.items())


def grouped(findings: Iterable[Finding], cause: Callable[[Finding], Cause]) -> list[Group]:
    """Findings by their cause, in the order of the first of each."""
    groups: dict[tuple[str, ...], list[Finding]] = {}
    for finding in findings:
        groups.setdefault(cause(finding), []).append(finding)
    return list(groups.items())


def past_the_taps(analysis: Analysis, findings: Sequence[Finding]) -> list[Group]:
    """Paths outside all stems by their last route from a strip that carries nothing of a stem."""
    graph, number_of = analysis.graph, analysis.graph.route_index
    taps = {graph.index[stem.strip] for stem in graph.template.stems if stem.role == "stem" and stem.strip}
    of_a_stem = set().union(*(analysis.downstream(tap) for tap in taps)) if taps else set()

    def cause(finding: Finding) -> tuple[str, ...]:
        free = [route for route in finding.path if graph.tail[number_of[route]] not in of_a_stem]
        return tuple(free[-1:] or finding.path[:1] or finding.strips[:1])

    return grouped(findings, cause)


def fed_twice(analysis: Analysis, findings: Sequence[Finding]) -> list[Group]:
    """Sources fed to two stems by the later of the feeds at their fork."""
    graph = analysis.graph

    def cause(finding: Finding) -> tuple[str, ...]:
        at, seen = graph.index[finding.strips[0]], set()
        while at not in seen:
            seen.add(at)
            feeds = [route for route in graph.outs[at] if graph.routes[route].kind in ("feed", "tie")]
            if len(feeds) != 1:
                return (graph.routes[feeds[-1]].id,) if feeds else finding.strips[:1]
            at = graph.head[feeds[0]]
        return finding.strips[:1]

    return grouped(findings, cause)


def nested(analysis: Analysis, findings: Sequence[Finding]) -> list[Group]:
    """Stems in other stems by the route that leads from the one to the other."""
    graph = analysis.graph

    def cause(finding: Finding) -> tuple[str, ...]:
        start = graph.index[finding.strips[0]]
        ends = {graph.index[strip] for strip in finding.strips[1:]}
        way = first_path(graph, Origin(start), ends.__contains__, analysis.unblocked.route_ok.__getitem__)
        return finding.strips[:1] if way is None else (graph.routes[way.routes[0]].id,)

    return grouped(findings, cause)


def last_shared(_analysis: Analysis, findings: Sequence[Finding]) -> list[Group]:
    """Offending paths by their last shared route, rule by rule: several with one last route are one group.

    Where none does, each is its own source's.
    """

    def ways(finding: Finding) -> tuple[str, ...]:
        return finding.path or finding.routes

    ending = Counter((finding.code, finding.others, ways(finding)[-1]) for finding in findings if ways(finding))

    def cause(finding: Finding) -> tuple[str, ...]:
        way = ways(finding)
        if way and ending[finding.code, finding.others, way[-1]] > 1:
            return (*finding.others, way[-1])
        return (*finding.others, *finding.strips[:1])

    return grouped(findings, cause)
