"""Which insert or tie line makes sound late: the one whose latency is the difference, where one is."""

from __future__ import annotations

from lattice.analysis import Analysis
from lattice.checks.finding import Finding
from lattice.latency.arrivals import actual_samples
from lattice.latency.paths import PathStep, path_to


def at_strip(analysis: Analysis, finding: Finding) -> tuple[str, ...]:
    """The largest delay on the latest route into the strip of a finding; that strip if none stands out."""
    number, arrivals = analysis.graph.index[finding.strips[0]], analysis.arrivals
    spans = {route: span for route in analysis.graph.ins[number] if (span := arrivals.brought(route)) is not None}
    if not spans:
        return finding.strips[:1]
    latest = max(spans, key=lambda route: spans[route].latest)
    return _culprit(analysis, latest, finding) or finding.strips[:1]


def key_late(analysis: Analysis, finding: Finding) -> tuple[str, ...]:
    """The largest delay of the key; the keyed insert if none stands out."""
    return _culprit(analysis, analysis.graph.route_index[finding.routes[0]], finding) or finding.inserts[:1]


def _culprit(analysis: Analysis, route: int, finding: Finding) -> tuple[str, ...]:
    """The largest uncompensated insert or tie on the path into a route, if any.

    Without compensation every latency is one it does not know of: then it has to be as large as the difference.
    """
    wanted = finding.figures.get("skew_samples") or 0.0
    found: list[tuple[int, str]] = []
    for step in path_to(analysis.arrivals, route):
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
    strip, place = analysis.graph.insert_at[step.id]
    insert = analysis.strip(strip).inserts[place]
    return actual_samples(insert) - (insert.reported_samples if rule.mode == "full" else 0)
