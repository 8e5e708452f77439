"""Sums where the same or other sound arrives at different times."""

from __future__ import annotations

import math
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Severity
from lattice.checks.registry import check, explain
from lattice.gain_staging.coherence import decorrelates
from lattice.gain_staging.shares import sources_of
from lattice.gain_staging.source_response import SourceResponse, size
from lattice.graph.origin import Origin
from lattice.latency.arrivals import Span
from lattice.latency.comb import Comb
from lattice.latency.paths import SourceArrival
from lattice.model.units import decibels, samples_to_ms

RIPPLE_DB = -24.8  # a copy this far down makes 1 dB of ripple: 20·log10((1 + r)/(1 − r)) = 1 dB at r = 0.0575


@check("time.misaligned")
def misaligned(analysis: Analysis) -> Iterator[Finding]:
    """Where sound comes apart: the arrivals of a sum's routes differ by more than any one of them spreads."""
    look = _Look(analysis)
    for number in sorted(analysis.arrivals.apart):
        routes = analysis.graph.ins[number]
        spans = {route: span for route in routes if (span := analysis.arrivals.brought(route)) is not None}
        yield _finding(analysis, look, number, spans, analysis.arrivals.apart[number])


def worst_comb(analysis: Analysis, number: int) -> Comb | None:
    """The comb of a sum whose routes arrive apart.

    Parameters
    ----------
    analysis
        The analysis of the template.
    number
        Position of the sum.

    Returns
    -------
    Comb or None
        The one with the deepest notch; None where nothing arrives there twice.
    """
    routes = [route for route in analysis.graph.ins[number] if analysis.arrivals.brought(route) is not None]
    return _Look(analysis).worst_comb(routes)


class _Look:
    """Sources that reach a sum by several routes; computed only if arrivals at the sum differ."""

    def __init__(self, analysis: Analysis) -> None:
        self.analysis = analysis
        self.travel: dict[Origin, SourceArrival] = {}
        self._origins: list[Origin] = []
        self._behind: dict[int, int] = {}  # route → bits of its sources

    def sources_behind(self) -> dict[int, int]:
        if not self._behind:
            self._sweep()
        return self._behind

    def _sweep(self) -> None:
        levels, graph = self.analysis.levels, self.analysis.graph
        self._origins = list(sources_of(levels))
        at = {origin: 1 << bit for bit, origin in enumerate(self._origins)}
        bits = [at.get(Origin(n), 0) for n in range(len(graph.strips))]
        for outlet, routes in enumerate(graph.outlet_outs):
            for route in routes:
                if levels.goes(route):
                    self._behind[route] = at.get(Origin(graph.outlets[outlet][0], outlet), 0)
                    bits[graph.head[route]] |= self._behind[route]
        for strip in levels.order:
            if strip < len(bits) and levels.reach.passes_on(strip):
                for route in graph.outs[strip]:
                    if levels.passes(route):
                        self._behind[route] = bits[strip]
                        bits[graph.head[route]] |= bits[strip]

    def twice(self, routes: list[int]) -> Iterator[tuple[Origin, list[int]]]:
        """Sources that come by two or more of these routes, with those routes."""
        behind = self.sources_behind()
        seen = several = 0
        for route in routes:
            several |= seen & behind.get(route, 0)
            seen |= behind.get(route, 0)
        while several:
            low = several & -several
            yield self._origins[low.bit_length() - 1], [route for route in routes if behind.get(route, 0) & low]
            several ^= low

    def worst_comb(self, routes: list[int]) -> Comb | None:
        """Of all coherent arrivals of one source at different times, the two nearest in level, then in time apart."""
        worst: Comb | None = None
        for origin, its in self.twice(routes):
            if origin not in self.travel:
                self.travel[origin] = SourceArrival(self.analysis.arrivals, self.analysis.levels, *origin)
            for comb in self._combs(origin, its, worst):
                if worst is None or (comb.beside_db, comb.skew) > (worst.beside_db, worst.skew):
                    worst = comb
        return worst

    def _combs(self, origin: Origin, routes: list[int], worst: Comb | None) -> Iterator[Comb]:
        """Pairs from the loudest down; pairs with a larger level difference than the worst so far are skipped."""
        response, travel = self.analysis.response(origin), self.travel[origin]
        loud = sorted(
            (
                (size(response.brought[route].c), -place)
                for place, route in enumerate(routes)
                if route in response.brought
            ),
            reverse=True,
        )
        least_db = -math.inf if worst is None else worst.beside_db
        for at, (level, place) in enumerate(loud):
            for quieter, other in loud[at + 1 :]:
                if not quieter or decibels(quieter / level) < least_db:
                    break
                comb = _comb(origin, response, travel, routes[-place], routes[-other])
                if comb is not None:
                    least_db = max(least_db, comb.beside_db)
                    yield comb


def _comb(origin: Origin, response: SourceResponse, travel: SourceArrival, one: int, other: int) -> Comb | None:
    if not {one, other} <= response.brought.keys() & travel.brought.keys():
        return None
    times = travel.brought[one], travel.brought[other]
    skew = max(abs(times[0][1] - times[1][0]), abs(times[1][1] - times[0][0]))
    if not skew:
        return None
    parts = response.brought[one], response.brought[other]
    levels = sorted(size(part.c) for part in parts)
    dot = sum(
        x * rest.get(signal, 0.0) for row, rest in zip(parts[0].c, parts[1].c, strict=True) for signal, x in row.items()
    )
    return Comb(origin, skew, decibels(levels[0] / levels[1]), dot < 0) if levels[0] and dot else None


def _finding(analysis: Analysis, look: _Look, strip_number: int, spans: dict[int, Span], skew: int) -> Finding:
    rate = analysis.template.sample_rate_hz
    worst = look.worst_comb(list(spans))
    figures: dict[str, float | None] = {"skew_samples": skew, "skew_ms": samples_to_ms(skew, rate)}
    evidence = [
        f"{analysis.name(analysis.graph.tail[route])} arrives at {span.words} samples" for route, span in spans.items()
    ]
    if worst is not None:
        figures["notch_hz"] = worst.notch_hz(rate)
        evidence.append(
            f"{analysis.source_name(*worst.origin)} arrives twice, {worst.skew} samples and "
            f"{-worst.beside_db:.1f} dB apart: first notch at {figures['notch_hz']:.0f} Hz"
        )
    early = min(span.earliest for span in spans.values())
    routes = sorted(spans, key=lambda route: -spans[route].latest)
    late = analysis.name(analysis.graph.tail[routes[0]])
    tails = list(dict.fromkeys(analysis.graph.tail[route] for route in spans))
    return Finding(
        code="time.misaligned",
        severity=_severity(analysis, spans, worst, early),
        message=f"{late} arrives {skew} samples late at {analysis.name(strip_number)}",
        strips=analysis.ids([strip_number, *(tail for tail in tails if tail != strip_number)]),
        routes=analysis.route_ids(list(spans)),
        figures=figures,
        evidence=(*evidence[:12], *analysis.cut_words(strip_number)),
    )


def _severity(analysis: Analysis, spans: dict[int, Span], worst: Comb | None, early: int) -> Severity:
    """A blocker where one source combs audibly; a note where all that is late is reverb, delay or modulation."""
    if worst is not None and worst.beside_db > RIPPLE_DB:
        return "blocker"
    late = [route for route, span in spans.items() if span.latest > early]
    return "note" if late and all(_only_wet(analysis, route) for route in late) else "warning"


def _only_wet(analysis: Analysis, route: int) -> bool:
    """Nothing coherent comes by a route: the strip it leaves is fully wet up to its tap, or so is all before it."""
    graph, levels = analysis.graph, analysis.levels
    seen: set[int] = set()
    waiting = [route]
    while waiting:
        at = waiting.pop()
        strip = graph.tail[at]
        if graph.outlet[at] >= 0:
            return False
        if graph.stage[at] and decorrelates(graph.strips[strip]):
            continue
        if levels.reach.sounds[strip]:
            return False
        if strip not in seen:
            seen.add(strip)
            waiting += [r for r in graph.ins[strip] if levels.passes(r)]
    return True


explain(
    "time.misaligned",
    many="{n} buses receive misaligned copies",
    found="Routes into a bus arrive further apart than the spread of each route alone.",
    why="Two copies of one source comb. The first notch is at f = 1/(2τ), with τ the time difference.",
    how="The earliest and latest actual arrival of every route are compared, compensation included.",
    fix="Enter the measured latency, or remove the late insert from one path.",
    decide="Only you know whether the delay is intended. Measure the latencies, or waive the finding.",
    place="timing",
)
