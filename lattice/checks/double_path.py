"""Double paths: the same sound by two paths that join again."""

from __future__ import annotations

import math
from collections import Counter, deque
from collections.abc import Iterator
from itertools import combinations

from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.joins import Joins, Region, has_own_output
from lattice.checks.registry import check, explain
from lattice.checks.remedies import disabling_steps, route_words
from lattice.gain_staging.gains import Gain, chain_gain, reached_channels, route_gain
from lattice.graph.disjoint import DisjointPathPair
from lattice.graph.paths import Path
from lattice.model.edit_step import EditStep
from lattice.model.strip_kinds import SUMS
from lattice.model.units import decibels, gain

MOST_PATHS = 64  # looked at where a pair is not simply the cheapest; the loudest of so many are those that matter
MOST_HOPS = 1_000  # of the same search
# Routes looked at for all pairs of a template together. Beyond it pairs are counted, and no longer listed one by one.
MOST_STEPS = 120_000
MATRIX_STEPS = 2  # entries of a matrix that cost about as much as one route
SILENT_COST_DB = 4_000.0  # of a route without an open channel: never in the path if another exists
STEPS_A_PIECE = 30  # more for each strip and route
MOST_CUTS = 2  # that are offered for a pair
PathPair = tuple[list[int], list[int]]
Figures = dict[str, float | None]
CutRank = tuple[bool, int, bool, float]  # no cue feed, pairs it ends (negative), no shortcut, loss (negative)


@check("route.double-path")
def double_path(analysis: Analysis) -> Iterator[Finding]:
    """Two paths between two strips, with no strip in common between, on a channel in common.

    O(strips · routes) to find the pairs, and O(routes · log strips) for the two paths of a pair. The sum of those is
    bounded; the evidence of the last finding counts the pairs left out.
    """
    joins = Joins(analysis)
    search = _LoudestPairs(analysis, joins)
    left = MOST_STEPS + STEPS_A_PIECE * (len(analysis.graph.strips) + len(analysis.graph.routes))
    found: list[tuple[int, int, PathPair, Figures]] = []
    unlisted = 0
    for start in range(len(analysis.graph.strips)):
        if not joins.may_split(start) or "pop" in analysis.strip(start).tags:
            continue  # a sync pop belongs in every stem, and so reaches the mix by each of them
        analysis.keep_time()
        for end in joins.of(start):
            if left < 0:
                unlisted += 1
                continue
            pair = search.pair(joins.region(start, end))
            if pair is not None:
                found.append((start, end, pair, _figures(analysis, search, *pair)))  # its steps count as well
            left -= search.steps
    cuts = _Cuts(analysis, search, [pair for _start, _end, pair, _its in found])
    for place, (start, end, pair, figures) in enumerate(found):
        finding = _finding(analysis, start, end, *pair, figures=figures, cuts=cuts)
        is_last = unlisted and place == len(found) - 1
        more = (f"and {unlisted} more pairs of strips, not listed",) if is_last else ()
        yield replace(finding, evidence=finding.evidence + more) if more else finding


class _LoudestPairs:
    """The two loudest paths of a pair of strips. `steps`: routes visited for the last one."""

    def __init__(self, analysis: Analysis, joins: Joins) -> None:
        self.analysis, self.graph, self.joins = analysis, analysis.graph, joins
        self.steps = 0
        self._hops: dict[int, Gain] = {}
        self._costs: dict[int, float] = {}
        self._loops = bool(analysis.loops.feedback)

    def pair(self, region: Region) -> PathPair | None:
        """Two disjoint paths that share a channel, the louder first; None if there are none."""
        edges = {
            at: [(route, there, self.cost(route, region.start)) for route, there in options]
            for at, options in region.options.items()
        }
        search = DisjointPathPair(edges, region.start, region.end, None if self._loops else region.order)
        two_ways = search.pair()
        self.steps = region.size + search.steps
        if two_ways is None or (all(map(self.joins.is_walk, two_ways)) and self._share_channel(*two_ways)):
            return two_ways
        return self._by_listing(region)

    def hop(self, route: int) -> Gain:
        """From the `in` of the strip a route leaves to the `in` of the strip it ends at."""
        if route not in self._hops:
            strip = self.graph.strips[self.graph.tail[route]]
            self._hops[route] = chain_gain(strip, self.graph.stage[route]).then(route_gain(self.graph, route))
        return self._hops[route]

    def path_gain(self, path: list[int]) -> Gain:
        """From the tap of the first route to the `in` of the last strip."""
        total = route_gain(self.graph, path[0])
        for route in path[1:]:
            total = total.then(self.hop(route))
            self.steps += len(total.matrix.entries) // MATRIX_STEPS
        return total

    def cost(self, route: int, start: int) -> float:
        """Loss over a route, dB: from the `in` of the strip it leaves, or from its tap where it leaves `start`.

        A lossless route has cost 0 at any width. In a loop a route with gain costs 0 too: otherwise no path would be
        the cheapest.
        """
        if self.graph.tail[route] == start:
            return self._lost_db(route_gain(self.graph, route))
        if route not in self._costs:
            self._costs[route] = self._lost_db(self.hop(route))
        return self._costs[route]

    def _lost_db(self, found: Gain) -> float:
        lost_db = -decibels(found.matrix.norm / math.sqrt(len(found.matrix[0]))) - found.level_db
        lost_db = min(lost_db, SILENT_COST_DB)
        return max(lost_db, 0.0) if self._loops else lost_db

    def _share_channel(self, one: list[int], other: list[int]) -> bool:
        """Some channel of the first strip reaches some channel of the last by both paths."""
        pairs = zip(self._landing(one), self._landing(other), strict=False)
        return any(first & second for first, second in pairs)

    def _landing(self, path: list[int]) -> list[int]:
        """Per channel at the tap of the first route, bits of the channels it reaches at the `in` of the last strip."""
        found = list(route_gain(self.graph, path[0]).matrix.spread)
        for route in path[1:]:
            onward = self.hop(route).matrix.spread
            found = [reached_channels(bits, onward) for bits in found]
        return found

    def _by_listing(self, region: Region) -> PathPair | None:
        """The same from listed paths, if the cheapest two do not count: the fewest hops first."""
        paths = self._paths(region)
        lost_db = [sum(self.cost(route, region.start) for route in path) for path in paths]
        order = sorted(range(len(paths)), key=lambda at: (lost_db[at], at))
        for one, other in sorted(combinations(range(len(order)), 2), key=sum):
            pair = paths[order[one]], paths[order[other]]
            if self._apart(*pair) and self._share_channel(*pair):
                return pair
        return None

    def _apart(self, one: list[int], other: list[int]) -> bool:
        if one[0] == other[0]:
            return False
        head = self.graph.head
        return {head[route] for route in one[:-1]}.isdisjoint(head[route] for route in other[:-1])

    def _paths(self, region: Region) -> list[list[int]]:
        """Walks through a region that pass no strip twice: at most MOST_PATHS, from at most MOST_HOPS hops."""
        head, joins = self.graph.head, self.joins
        walks: list[list[int]] = []
        waiting = deque([route] for route, _there in region.options[region.start])
        hops = 0
        while waiting and len(walks) < MOST_PATHS and hops < MOST_HOPS:
            path = waiting.popleft()
            at = head[path[-1]]
            if at == region.end:
                walks.append(path)
                continue
            passed = {region.start, *(head[route] for route in path)}
            for route, there in region.options[at]:
                hops += 1
                if there not in passed and joins.is_walk(onward := [*path, route]):
                    waiting.append(onward)
        self.steps += hops
        return walks


def _finding(
    analysis: Analysis, start: int, join: int, one: list[int], other: list[int], *, figures: Figures, cuts: _Cuts
) -> Finding:
    graph = analysis.graph
    ranked = cuts.ranked(one, other)
    between = [graph.head[route] for path in (one, other) for route in path[:-1]]
    ways = [analysis.hops(Path(start, tuple(path))) for path in (one, other)]
    rise_db = figures["rise_db"]
    by_two = f"{analysis.name(start)} reaches {analysis.name(join)} by two paths"
    return Finding(
        code="route.double-path",
        severity="warning",
        message=by_two if rise_db is None else f"{by_two}, {rise_db:+.1f} dB",
        strips=analysis.ids([start, join, *between]),
        routes=analysis.route_ids([*one, *other]),
        figures=figures,
        evidence=tuple(ways),
        cause=analysis.route_ids([route for _rank, route in ranked[:1]] or one[-1:]),
        remedies=cuts.remedies(ranked),
    )


def _figures(analysis: Analysis, search: _LoudestPairs, one: list[int], other: list[int]) -> Figures:
    """Rise of the coherent sum against the louder path alone (Frobenius norms), and the difference of the arrivals."""
    first, second = (_from_post(analysis, search, path) for path in (one, other))
    both = [[a + b for a, b in zip(row, rest, strict=True)] for row, rest in zip(first, second, strict=True)]
    sums = [sum(value * value for row in matrix for value in row) for matrix in (both, first, second)]
    rise_db = 10 * math.log10(sums[0] / max(sums[1:])) if sums[0] > 0 else None
    return {"rise_db": rise_db, "skew_samples": abs(_samples(analysis, one) - _samples(analysis, other))}


def _from_post(analysis: Analysis, search: _LoudestPairs, path: list[int]) -> list[list[float]]:
    """Gains of a path, with their sign, from the `in` of its first strip: shared gains cancel out."""
    graph = analysis.graph
    start = graph.tail[path[0]]
    found = chain_gain(graph.strips[start], graph.stage[path[0]]).then(search.path_gain(path))
    turned = sum(graph.strips[graph.tail[route]].invert for route in path[1:]) % 2
    level = -gain(found.level_db) if turned else gain(found.level_db)
    return [[value * level for value in row] for row in found.matrix]


def _samples(analysis: Analysis, path: list[int]) -> int:
    """The latency of a path from the `in` of its first strip, compensation included."""
    arrivals, graph = analysis.arrivals, analysis.graph
    return sum(
        arrivals.delays.get(route, 0) + (arrivals.chain[graph.tail[route]][1] if graph.stage[route] else 0)
        for route in path
    )


class _Cuts:
    """Which route to cut: none that leaves a bus without a way to an endpoint (docs/reference/causes.md, *Fixes*).

    A cue bus left on the mix comes first, then the route that ends most double paths, then the shortcut past the bus,
    then the quieter route.
    """

    def __init__(self, analysis: Analysis, search: _LoudestPairs, pairs: list[PathPair]) -> None:
        self.analysis, self.graph, self.search = analysis, analysis.graph, search
        self.ends = Counter(route for pair in pairs for path in pair for route in path)
        self._strands: dict[int, bool] = {}
        self._cues: dict[int, bool] = {}

    def ranked(self, one: list[int], other: list[int]) -> list[tuple[CutRank, int]]:
        """Routes of two paths that may be cut, the best first, each with its rank."""
        found = []
        for path in (other, one):
            lost_db = round(sum(self.search.cost(route, self.graph.tail[path[0]]) for route in path), 6)
            for route in path:
                if not self.strands(route):
                    rank = not self._is_cue(route), -self.ends[route], len(path) > 1, -lost_db
                    found.append((rank, route))
        return sorted(found, key=lambda entry: entry[0])[:MOST_CUTS]

    def _is_cue(self, route: int) -> bool:
        """A feed from a bus that also leads to an output of its own."""
        if route not in self._cues:
            tail, is_feed = self.graph.tail[route], self.graph.routes[route].kind == "feed"
            is_bus = is_feed and self.graph.strips[tail].kind in SUMS
            self._cues[route] = is_bus and has_own_output(self.graph, tail, route)
        return self._cues[route]

    def strands(self, route: int) -> bool:
        """Return whether a cut leaves the bus it leaves without a way to an endpoint."""
        tail = self.graph.tail[route]
        if self.graph.strips[tail].kind not in SUMS or self.graph.is_endpoint(tail):
            return False
        if route not in self._strands:
            others = (r for r in self.graph.outs[tail] if r != route and self.graph.routes[r].enabled)
            ends = (at for r in others for at in self.analysis.downstream(self.graph.head[r]))
            self._strands[route] = not any(self.graph.is_endpoint(at) for at in ends)
        return self._strands[route]

    def remedies(self, ranked: list[tuple[CutRank, int]]) -> tuple[Remedy, ...]:
        """The best cut; another one only on request. Two that are equally good are a question."""
        is_tie = len(ranked) > 1 and ranked[0][0] == ranked[1][0]
        return tuple(
            self._cut(route, asks=True if place or is_tie else None) for place, (_rank, route) in enumerate(ranked)
        )

    def _cut(self, route: int, asks: bool | None) -> Remedy:
        piece = self.graph.routes[route]
        if piece.kind == "send":
            return Remedy(f"Disable {route_words(self.analysis, route)}", disabling_steps([piece.id]), asks=asks)
        step = EditStep("remove_routes", {"routes": [piece.id]})
        return Remedy(f"Remove {route_words(self.analysis, route)}", (step,), asks=asks)


explain(
    "route.double-path",
    many="{n} sources reach {place} by two paths",
    found="A source reaches a strip by two paths with no strip in common between, on a channel in common.",
    why=(
        "The sum is up to 6 dB too loud, or it combs if the arrivals differ. A fader on one path moves only part "
        "of the level."
    ),
    how=(
        "Pairs of open paths are searched from each strip to each join. The two loudest paths of a pair are "
        "compared. Two equal paths sum to +6.02 dB (any acoustics handbook)."
    ),
    fix="Remove the unintended path. Usually it is the one that bypasses the bus.",
    decide="Every cut would strand a bus. Reroute the sources on the map.",
    place="map",
)
