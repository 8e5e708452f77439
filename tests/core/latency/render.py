"""A block renderer of linear templates in NumPy: real samples through delay lines, faders, pans and mappings.

Independent of the core's formulas: nothing is summed in decibels or counted ahead; the output is measured. The host's
compensation is its own too: longest paths of reported latencies, by networkx. Layouts and pans are in
tests/core/layouts_by_hand.py.
"""

from __future__ import annotations

from collections.abc import Callable

import networkx as nx
import numpy as np

from lattice.model.document import Route, Strip, Template
from tests.core.layouts_by_hand import by_numbers, count_of, mapped, panned

BLOCK = 64


class Line:
    """A delay line that is fed block by block."""

    def __init__(self, samples: int) -> None:
        self.samples, self.kept = samples, None

    def __call__(self, block: np.ndarray) -> np.ndarray:
        if not self.samples:
            return block
        if self.kept is None:
            self.kept = np.zeros((*block.shape[:-1], self.samples))
        whole = np.concatenate([self.kept, block], axis=-1)
        self.kept = whole[..., block.shape[-1] :]
        return whole[..., : block.shape[-1]]


class Renderer:
    """Renders one unit impulse for every channel of every source; arrays are channels × signals × samples."""

    def __init__(self, template: Template, graph: nx.DiGraph, plays: Callable[[Template, Strip], bool]) -> None:
        self.template, self.plays = template, plays
        reached = nx.descendants(graph, "start") | {"start"}
        order = list(nx.topological_sort(graph.subgraph(reached)))
        self.reported = {"start": 0}
        for node in order[1:]:
            came = [
                self.reported[there] + graph.edges[there, node]["weight"]
                for there in graph.predecessors(node)
                if there in reached
            ]
            self.reported[node] = max(came)
        self.signals = [
            (strip.id, outlet, channel)
            for strip in template.strips
            for outlet, layout in self._sources(strip)
            for channel in range(count_of(layout))
        ]
        self.lines: dict[object, Line] = {}

    def _sources(self, strip: Strip) -> list[tuple[str | None, str]]:
        found: list[tuple[str | None, str]] = [(None, strip.layout)] if self.plays(self.template, strip) else []
        return found + [(outlet.id, outlet.layout) for outlet in strip.outlets[1:]]

    def run(self, samples: int) -> dict[tuple[str, str], np.ndarray]:
        """(strip, "in" | "pre" | "post") → the signal there."""
        taken: dict[tuple[str, str], list[np.ndarray]] = {}
        for first in range(0, samples, BLOCK):
            for key, block in self._block(first).items():
                taken.setdefault(key, []).append(block)
        return {key: np.concatenate(blocks, axis=-1) for key, blocks in taken.items()}

    def _line(self, key: object, samples: int, block: np.ndarray) -> np.ndarray:
        return self.lines.setdefault(key, Line(samples))(block)

    def _impulse(self, strip: Strip, outlet: str | None, layout: str, first: int) -> np.ndarray:
        block = np.zeros((count_of(layout), len(self.signals), BLOCK))
        if first == 0:
            for number, (one, its, channel) in enumerate(self.signals):
                if (one, its) == (strip.id, outlet):
                    block[channel, number, 0] = 1.0
        late = 32 + 64 if strip.kind == "input" else strip.latency_samples
        return self._line(("source", strip.id, outlet), late, block)

    def _block(self, first: int) -> dict[tuple[str, str], np.ndarray]:
        at: dict[tuple[str, str], np.ndarray] = {}
        for strip in self.template.strips:
            whole = np.zeros((count_of(strip.layout), len(self.signals), BLOCK))
            if self.plays(self.template, strip):
                held = self.reported[strip.id, "in"] - (0 if strip.kind == "input" else strip.latency_samples)
                whole += self._line(("own", strip.id), held, self._impulse(strip, None, strip.layout, first))
            for route in self.template.routes:
                if route.to == strip.id and route.kind != "key" and route.enabled and route.gain_db is not None:
                    whole += self._route(route, strip, at, first)
            if strip.invert:
                whole = -whole
            at[strip.id, "in"] = whole
            for place, insert in enumerate(strip.inserts):
                whole = whole * 10 ** (insert.gain_db / 20)
                whole = self._line((strip.id, place), insert.latency_samples, whole)
            at[strip.id, "pre"] = whole
            if strip.mute or strip.fader_db is None:
                whole = whole * 0.0
            else:
                whole = whole * 10 ** (strip.fader_db / 20)
                if strip.layout == "stereo":
                    whole = whole * np.array([min(1, 1 - strip.pan), min(1, 1 + strip.pan)])[:, None, None]
            at[strip.id, "post"] = whole
        return at

    def _route(
        self, route: Route, head: Strip, at: dict[tuple[str, str], np.ndarray], first: int
    ) -> np.ndarray | float:
        tail = next(strip for strip in self.template.strips if strip.id == route.from_strip)
        stops = (tail.kind == "print" and tail.monitor != "always") or (
            head.kind == "audio" and head.monitor != "always"
        )
        if route.from_outlet == "b":
            layout = tail.outlets[1].layout
            left = self._line(("b", route.id), 0, self._impulse_at(tail, layout, first, route.id))
            node = (tail.id, "b")
        else:
            layout, stage = tail.layout, {"pre-insert": "in", "pre-fader": "pre"}.get(route.tap, "post")
            left, node = at[tail.id, stage], (tail.id, "in" if stage == "in" else "pre")
        if stops or node not in self.reported:
            return 0.0
        own = route.kind == "feed" and route.tap == "post-fader" and route.from_outlet is None
        pans = panned(tail.pan if own else route.pan, self.template.pan_law_db)
        matrix = (
            mapped(layout, head.layout, *pans)
            if route.channels is None
            else by_numbers(layout, head.layout, route.channels)
        )
        come = np.einsum("ij,jkn->ikn", np.array(matrix), left) * 10 ** (route.gain_db / 20)  # type: ignore[operator]
        return self._line(("route", route.id), self.reported[head.id, "in"] - self.reported[node], come)

    def _impulse_at(self, strip: Strip, layout: str, first: int, route: str) -> np.ndarray:
        block = np.zeros((count_of(layout), len(self.signals), BLOCK))
        if first == 0:
            for number, (one, its, channel) in enumerate(self.signals):
                if (one, its) == (strip.id, "b"):
                    block[channel, number, 0] = 1.0
        return self._line(("source b", route), strip.latency_samples, block)
