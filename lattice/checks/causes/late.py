"""Which insert or tie line makes sound late: the one whose latency is the difference, where one is."""

from __future__ import annotations

from lattice.analysis import Analysis
from lattice.checks.finding import Finding
from lattice.timing.arrivals import actual_samples
from lattice.timing.paths import PathStep, way_in


def misaligned(analysis: Analysis, finding: Finding) -> tuple[str, ...]:
    """What makes the latest route into the sum late; the sum itself where nothing by itself does."""
    number_of = {route.id: number for number, route in enumerate(analysis.graph.routes)}
    spans = {
        route: span for name in finding.routes if (span := analysis.arrivals.brought(route := number_of[name]))
    }  # fmt: skip
    if not spans:
        return finding.strips[:1]
    latest = max(spans, key=lambda route: spans[route].latest)
    return _culprit(analysis, way_in(analysis.arrivals, latest), finding) or finding.strips[:1]


def key_late(analysis: Analysis, finding: Finding) -> tuple[str, ...]:
    """What makes the key late; the keyed insert where nothing by itself does."""
    number = next(number for number, route in enumerate(analysis.graph.routes) if route.id == finding.routes[0])
    return _culprit(analysis, way_in(analysis.arrivals, number), finding) or finding.inserts[:1]


def prints_skewed(analysis: Analysis, finding: Finding) -> tuple[str, ...]:
    """What makes the latest print late; that print where nothing by itself does."""
    late = analysis.graph.index[finding.strips[0]]
    spans = {
        route: span for route in analysis.graph.ins[late] if (span := analysis.arrivals.brought(route)) is not None
    }
    if not spans:
        return finding.strips[:1]
    latest = max(spans, key=lambda route: spans[route].latest)
    return _culprit(analysis, way_in(analysis.arrivals, latest), finding) or finding.strips[:1]


def _culprit(analysis: Analysis, steps: list[PathStep], finding: Finding) -> tuple[str, ...]:
    """The insert or tie on the way that the compensation does not know of, the largest; nothing where there is none.

    Without compensation every latency is one it does not know of: then it has to be as large as the difference.
    """
    wanted = finding.figures.get("skew_samples") or 0.0
    found: list[tuple[int, str]] = []
    for step in steps:
        unknown = _unknown_samples(analysis, step)
        if unknown > 0 and (analysis.template.compensation.mode == "full" or unknown >= wanted):
            found.append((unknown, step.id))
    return (max(found)[1],) if found else ()


def _unknown_samples(analysis: Analysis, step: PathStep) -> int:
    rule = analysis.template.compensation
    if step.what == "tie":
        return 0 if rule.mode == "full" and rule.covers_ties else step.samples
    if step.what != "insert":
        return 0
    insert = next(insert for insert in analysis.strip(step.strip).inserts if insert.id == step.id)
    return actual_samples(insert) - (insert.latency_samples if rule.mode == "full" else 0)
