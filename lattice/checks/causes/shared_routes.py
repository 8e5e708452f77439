"""Routes shared by the paths of several findings: the one whose removal resolves all of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence

from lattice.analysis import Analysis
from lattice.checks.finding import Finding
from lattice.graph.origin import Origin
from lattice.graph.walk import first_path

Cause = tuple[str, ...]
Group = tuple[Cause, list[Finding]]


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
