"""The monitoring latency of live inputs: as the player feels it, without compensation."""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from dataclasses import dataclass

from lattice.gain_staging.levels import Levels
from lattice.graph.signal_graph import IN, SignalGraph
from lattice.latency.arrivals import Arrivals, chain_samples
from lattice.model.units import samples_to_ms


@dataclass(frozen=True)
class MonitorPath:
    """A live input at an output; samples by their cause."""

    source: int
    output: int
    input_samples: int
    chain_samples: int  # the slowest chain of inserts on the path
    output_samples: int
    rate_hz: int

    def ms(self, buffer_samples: int) -> float:
        """Input latency + 2 buffers + slowest chain + output latency (docs/reference/checks.md, time.monitor)."""
        samples = self.input_samples + 2 * buffer_samples + self.chain_samples + self.output_samples
        return samples_to_ms(samples, self.rate_hz)


def monitored(arrivals: Arrivals, levels: Levels) -> Iterator[MonitorPath]:
    """Every live input and every output it reaches; not those that an outboard machine plays into.

    Parameters
    ----------
    arrivals, levels
        Of one template.

    Yields
    ------
    MonitorPath
        The latency of the path without compensation, as a player feels it.
    """
    template, graph = arrivals.graph.template, arrivals.graph
    machines = {machine.id: machine for machine in template.machines}
    for strip_number in graph.by_kind["input"]:
        if strip_number in graph.tied_in or not levels.stages[strip_number]:
            continue
        if not levels.reach.sounds[strip_number]:
            continue
        slowest = _slowest(graph, levels, strip_number)
        for output, samples in sorted(slowest.items()):
            heard_at = graph.strips[output]
            if heard_at.kind == "output" and output not in graph.tied_out and levels.post[output] is not None:
                yield MonitorPath(
                    source=strip_number,
                    output=output,
                    input_samples=machines[graph.machine_of(strip_number)].input_latency_samples,
                    chain_samples=samples + chain_samples(heard_at.inserts)[1],
                    output_samples=machines[graph.machine_of(output)].output_latency_samples,
                    rate_hz=template.sample_rate_hz,
                )


def _slowest(graph: SignalGraph, levels: Levels, start: int) -> dict[int, int]:
    """Strip → samples of the slowest chain of inserts from a strip's `in` to it; no compensation, no ties."""
    slowest = {start: 0}
    waiting = [(levels.loops.position[start], start)]
    while waiting:
        strip = heapq.heappop(waiting)[1]
        if not levels.reach.passes_on(strip):
            continue
        behind = chain_samples(graph.strips[strip].inserts)[1]
        for route in graph.outs[strip]:
            if levels.passes(route):
                head = graph.head[route]
                samples = slowest[strip] + (0 if graph.stage[route] == IN else behind)
                if head not in slowest:
                    heapq.heappush(waiting, (levels.loops.position[head], head))
                slowest[head] = max(slowest.get(head, 0), samples)
    return slowest
