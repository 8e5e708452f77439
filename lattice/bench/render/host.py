"""Delay compensation of a host: the longest path counts, as plug-ins report it.

Computed here once more and not taken from `lattice.latency`: rendered arrivals are compared with it.
"""

from __future__ import annotations

from lattice.graph.loops import LoopGraph
from lattice.graph.signal_graph import IN, SignalGraph
from lattice.model.document import Strip, actual_latency_samples, source_of


class HostDelays:
    """Compensation of a whole template, in samples (docs/reference/checks.md, *Compensation*).

    Parameters
    ----------
    loops
        The order of the flow; its feedback routes are not waited for.

    Attributes
    ----------
    routes : dict
        Audio or key route → its delay.
    own : dict
        Strip → delay of its own source, where something is fed to it too.
    waits : dict
        (strip, position of an insert) → the delay of the sound there for its key.
    prints : dict
        Print → the delay of the recorded stage, so that all prints begin together.
    reported : dict
        Strip → the latency at its `in` as the host counts it; strips without sources are missing.
    """

    def __init__(self, loops: LoopGraph) -> None:
        self._loops, self._graph = loops, loops.graph
        template = loops.graph.template
        self._rule = template.compensation
        self.routes: dict[int, int] = {}
        self.own: dict[int, int] = {}
        self.waits: dict[tuple[int, int], int] = {}
        self.reported: dict[int, int] = {}
        self._chain = [_latency_of(strip) for strip in loops.graph.strips]
        keys: dict[int, list[int]] = {}
        for route in loops.graph.keys:
            keys.setdefault(loops.insert_nodes[loops.graph.key_node[route][1]], []).append(route)
        for node in loops.order:
            if node < len(loops.graph.strips):
                self._strip(node)
            else:
                self._insert(node, keys.get(node, []))
        self.prints = self._padded()

    def held(self, samples: int) -> int:
        """As much of a delay as the host can add."""
        if self._rule.mode == "off":
            return 0
        return samples if self._rule.limit_samples is None else min(samples, self._rule.limit_samples)

    def at_tap(self, route: int) -> int | None:
        """The latency at the origin of a route as the host counts it; None if it has no source."""
        return self.at_tap_of(self._graph, route)

    def at_tap_of(self, graph: SignalGraph, route: int) -> int | None:
        """The same for a route of a graph that has the same strips, and routes beyond those that are known here."""
        tail, outlet = graph.tail[route], graph.outlet[route]
        strip = graph.strips[tail]
        if not graph.routes[route].enabled or route in self._loops.feedback or not strip.in_service:
            return None
        if outlet >= 0:
            piece = graph.outlets[outlet][1]
            plays = source_of(strip, piece) is not None or "spare" in strip.tags
            return _source(strip) if piece.open and plays else None
        if tail not in self.reported:
            return None
        return self.reported[tail] + (self._chain[tail] if graph.stage[route] != IN else 0)

    def _strip(self, number: int) -> None:
        graph = self._graph
        if not graph.strips[number].in_service:
            return
        coming = {route: at for route in graph.ins[number] if (at := self.at_tap(route)) is not None}
        if self._rule.covers_ties:
            coming = {route: at + tie_samples(graph, route) for route, at in coming.items()}
        plays = graph.is_source[number] and graph.main_open[number] and not graph.passes_input[number]
        own = [_source(graph.strips[number])] if plays else []
        if not coming and not own:
            return
        latest = self.reported[number] = max([*coming.values(), *own])
        self.routes.update({route: self.held(latest - at) for route, at in coming.items()})
        if own:
            self.own[number] = self.held(latest - own[0])

    def _insert(self, node: int, keys: list[int]) -> None:
        """A keyed insert and its keys wait for each other, where the host covers keys."""
        number, place = self._loops.insert_strips[node - len(self._graph.strips)], self._loops.place[node]
        insert = self._graph.strips[number].inserts[place]
        coming = {route: at for route in keys if (at := self.at_tap(route)) is not None}
        if number not in self.reported or not coming:
            return
        if not self._rule.covers_keys or insert.key != "external" or insert.state == "unloaded":
            self.routes.update(dict.fromkeys(coming, 0))
            return
        before = sum(
            piece.reported_samples for piece in self._graph.strips[number].inserts[:place] if piece.state != "unloaded"
        )
        before += sum(self.waits.get((number, at), 0) for at in range(place))
        sound = self.reported[number] + before
        latest = max(sound, *coming.values())
        self.routes.update({route: self.held(latest - at) for route, at in coming.items()})
        wait = self.held(latest - sound)
        self.waits[number, place] = wait
        self._chain[number] += wait

    def _padded(self) -> dict[int, int]:
        graph, found = self._graph, {}
        for number in graph.by_kind["print"]:
            strip = graph.strips[number]
            if strip.in_service and number in self.reported:
                found[number] = self.reported[number] + (self._chain[number] if strip.records == "pre" else 0)
        covered = self._rule.covers_prints and self._rule.mode == "full"
        latest = max(found.values(), default=0)
        return {number: latest - at if covered else 0 for number, at in found.items()}


def _latency_of(strip: Strip) -> int:
    return sum(insert.reported_samples for insert in strip.inserts if insert.state != "unloaded")


def _source(strip: Strip) -> int:
    """The latency of a source as the host counts it: a live input is at 0, as it cannot be played earlier."""
    return 0 if strip.kind == "input" else strip.latency_samples


def tie_samples(graph: SignalGraph, route: int) -> int:
    """The latency of a tie line; 0 for other routes."""
    if graph.routes[route].kind != "tie":
        return 0
    sends = graph.machine_of(graph.tail[route])
    return next(one.tie_latency_samples for one in graph.template.machines if one.id == sends)


def source_samples(graph: SignalGraph, number: int) -> int:
    """When a source really sounds: its latency, measured where it was; live, its machine's inputs and one buffer."""
    strip = graph.strips[number]
    if strip.kind == "input":
        machines = {machine.id: machine for machine in graph.template.machines}
        return machines[graph.machine_of(number)].input_latency_samples + graph.template.buffer_samples
    return actual_latency_samples(strip)
