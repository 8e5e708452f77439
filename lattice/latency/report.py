"""The figures behind the timing checks, as `lattice timing` gives them (docs/reference/command-line.md)."""

from __future__ import annotations

from typing import Any

from lattice.latency.arrivals import Arrivals, Span
from lattice.latency.paths import critical_path
from lattice.model.units import samples_to_ms


def as_json(arrivals: Arrivals) -> dict[str, Any]:
    """The form of `lattice timing --json`: arrivals of strips that carry a source, compensation, outputs; samples."""
    graph, rate = arrivals.graph, arrivals.graph.template.sample_rate_hz
    strips = {}
    for strip_number, strip in enumerate(graph.strips):
        span, pre = arrivals.span(strip_number), arrivals.at_pre(strip_number)
        if span is not None and pre is not None:
            strips[strip.id] = {"in": _plain(span), "pre": _plain(pre), "post": _plain(pre)}
            if strip_number in arrivals.prints:
                strips[strip.id]["recorded"] = _plain(arrivals.prints[strip_number])
    outputs = {
        graph.strips[strip_number].id: {"samples": samples, "ms": samples_to_ms(samples, rate)}
        for strip_number, samples in arrivals.outputs.items()
    }
    return {
        "format": "intact-lattice.timing",
        "version": 1,
        "strips": strips,
        "routes": {
            graph.routes[route].id: {"compensation_samples": samples}
            for route, samples in sorted(arrivals.delays.items())
        },
        "outputs": outputs,
        "total_samples": arrivals.total_samples,
        "critical_path": _path(arrivals),
        "cut": [graph.routes[route].id for route in sorted(arrivals.loops.feedback)],
    }


def _plain(span: Span) -> dict[str, int]:
    return {"earliest": span.earliest, "latest": span.latest}


def _path(arrivals: Arrivals) -> list[str]:
    """Ids of strips and inserts on the path that sets the latency."""
    output = arrivals.latest_output
    if output is None:
        return []
    steps = critical_path(arrivals, output)
    names: list[str] = []
    for step in steps:
        strip = arrivals.graph.strips[step.strip].id
        if strip not in names:
            names.append(strip)
        if step.what == "insert":
            names.append(step.id)
    return names


def as_lines(arrivals: Arrivals) -> list[str]:
    """A table for people: arrivals at `in` and `post`, and the path that sets the latency."""
    graph, rate = arrivals.graph, arrivals.graph.template.sample_rate_hz
    lines = [f"{'strip':32} {'in, samples':>17}   {'post, samples':>17}"]
    for strip_number, strip in enumerate(graph.strips):
        span, pre = arrivals.span(strip_number), arrivals.at_pre(strip_number)
        if span is not None and pre is not None:
            lines.append(f"{strip.name[:32]:32} {span.words:>17}   {pre.words:>17}")
    for strip_number, samples in arrivals.outputs.items():
        lines.append(f"{graph.strips[strip_number].name}: {samples} samples, {samples_to_ms(samples, rate):.3f} ms")
    if arrivals.outputs:
        lines.append("critical path: " + " → ".join(_path(arrivals)))
    return lines
