"""Reachability, over unblocked routes or with every setting ignored.

Each sweep is one walk over the routes, O(strips + routes), and works on graphs with loops.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import source_of

Flags = list[bool]


@dataclass
class Backward:
    """Where sound must be to arrive at the targets of a sweep."""

    fed: Flags  # per strip: its inputs reach it
    own: Flags  # per strip: its own source reaches its stages
    outlet: Flags  # per outlet beyond the main one

    def from_source(self, strip: int, outlet: int = NO_OUTLET) -> bool:
        """Return whether a source arrives: the chain of a strip, or an outlet beyond the main one."""
        return self.own[strip] if outlet < 0 else self.outlet[outlet]


@dataclass
class Forward:
    """Where the sound of some sources is."""

    arrives: Flags  # per strip: something arrives at its `in`, by a route or from its own source
    fed: Flags  # per strip: something is fed to it
    leaves: Flags  # per strip: something goes on from its chain


class Reach:
    """Reachability, under one reading of settings.

    Parameters
    ----------
    graph
        The signal graph.
    states
        True: over unblocked paths only. False: every state (mute, fader, monitoring …) is ignored.

    Notes
    -----
    Each sweep is O(strips + routes), breadth first.
    """

    def __init__(self, graph: SignalGraph, *, states: bool) -> None:
        self.graph = graph
        self.states = states
        count = len(graph.strips)
        if states:
            self.route_ok: Flags = graph.route_open
            self.in_service: Flags = [strip.in_service for strip in graph.strips]
            self.post_ok: Flags = graph.post_open
            self.monitors: Flags = graph.monitors
            self.sounds: Flags = [
                graph.is_source[n] and self.in_service[n] and graph.main_open[n] and not graph.passes_input[n]
                for n in range(count)
            ]
        else:
            self.route_ok = [True] * len(graph.routes)
            self.in_service = self.post_ok = self.monitors = [True] * count
            self.sounds = graph.is_source

    @cached_property
    def entered(self) -> Flags:
        """Per strip: its inputs reach its `in`. A print records them whatever its monitoring."""
        strips = self.graph.strips
        return [passes or strips[number].kind == "print" for number, passes in enumerate(self.monitors)]

    def passes_on(self, strip: int) -> bool:
        """The signal of its stages leaves by its routes; a print without monitoring passes on nothing it records."""
        return self.monitors[strip] or self.graph.strips[strip].kind != "print"

    def enters(self, strip: int) -> bool:
        """The strip's inputs reach its `in`."""
        return self.entered[strip]

    def ends_here(self, strip: int, *, prints: bool = True) -> bool:
        """Sound at the strip's `in` is at an endpoint: an output's `post`, a print, a stem's tap.

        Parameters
        ----------
        strip
            Position of the strip.
        prints
            Whether prints count as endpoints.
        """
        graph = self.graph
        if not self.in_service[strip]:
            return False
        kind = graph.strips[strip].kind
        if kind == "print" and prints:
            return True
        if kind == "output" and strip not in graph.tied_out and self.post_ok[strip]:
            return True
        return any(self.stem_open(stem, strip) for stem in graph.stems_at.get(strip, ()))

    def route_may_pass(self, strip: int, outlet: int = NO_OUTLET) -> bool:
        """A post-fader feed of a strip's chain, or of an outlet, would be open."""
        if outlet >= 0:
            return self.outlet_sounds(outlet)
        return self.in_service[strip] and self.post_ok[strip]

    def stem_open(self, stem: int, strip: int) -> bool:
        """Sound at the `in` of the stem's strip reaches the stem's tap."""
        return self.in_service[strip] and (self.post_ok[strip] or self.graph.template.stems[stem].tap != "post-fader")

    def to_endpoints(self, *, prints: bool = True) -> Backward:
        """Which strips and outlets reach an endpoint; `prints=False` leaves print strips out."""
        ends = [False] * len(self.graph.strips)
        for strip in self.graph.ends:
            ends[strip] = self.ends_here(strip, prints=prints)
        return self.backward(ends, ())

    def to_strips(self, targets: Iterable[int]) -> Backward:
        """Which strips and outlets reach the `in` of one of the targets."""
        ends = [False] * len(self.graph.strips)
        for strip in targets:
            ends[strip] = self.in_service[strip]
        return self.backward(ends, ())

    def backward(self, ends: Flags, last_routes: Iterable[int]) -> Backward:
        """The place at which sound reaches a target.

        Parameters
        ----------
        ends
            Per strip, whether arriving at its `in` is enough.
        last_routes
            Routes that are themselves the wanted last step.

        Returns
        -------
        Backward
            Flags per strip and per outlet. O(strips + routes).
        """
        graph, route_ok = self.graph, self.route_ok
        count = len(graph.strips)
        leaves = [False] * count
        fed = [False] * count
        outlet = [False] * len(graph.outlets)
        waiting = []
        for strip in range(count):
            if ends[strip] and self.enters(strip):
                fed[strip] = True
                waiting.append(strip)

        tail_of, outlet_of, ins = graph.tail, graph.outlet, graph.ins
        monitors, in_service = self.monitors, self.in_service
        routes = list(last_routes)
        while routes or waiting:
            for route in routes or ins[waiting.pop()]:
                tail = tail_of[route]
                if not route_ok[route]:
                    continue
                if outlet_of[route] >= 0:
                    outlet[outlet_of[route]] = True
                elif not leaves[tail]:
                    leaves[tail] = True
                    if monitors[tail] and not fed[tail] and in_service[tail]:
                        fed[tail] = True
                        if ins[tail]:
                            waiting.append(tail)
            routes = []
        own = [(leaves[n] or ends[n]) for n in range(count)]
        return Backward(fed, own, outlet)

    def origins_into(self, strip: int) -> set[Origin]:
        """Chains and outlets that arrive at the `in` of a strip, its own chain among them. O(routes upstream)."""
        if not self.in_service[strip]:
            return set()
        graph, leaves, outlets = self.graph, {strip}, set()
        waiting = [strip] if self.enters(strip) else []
        while waiting:
            for route in graph.ins[waiting.pop()]:
                tail, outlet = graph.tail[route], graph.outlet[route]
                if not self.route_ok[route]:
                    continue
                if outlet >= 0:
                    outlets.add(Origin(tail, outlet))
                elif tail not in leaves:
                    leaves.add(tail)
                    if self.monitors[tail] and self.in_service[tail]:
                        waiting.append(tail)
        return outlets | {Origin(tail) for tail in leaves}

    def from_sources(self) -> Forward:
        """Where the sound of all sources is (open outlets and spares among them)."""
        outlets = [number for number in range(len(self.graph.outlets)) if self.outlet_sounds(number)]
        return self.forward([n for n, sounds in enumerate(self.sounds) if sounds], outlets)

    def outlet_sounds(self, outlet: int) -> bool:
        """An outlet plays: it has a source, and (where states count) it is open on a strip in service."""
        strip, piece = self.graph.outlets[outlet]
        has_source = source_of(self.graph.strips[strip], piece) is not None or "spare" in self.graph.strips[strip].tags
        return has_source and (not self.states or (piece.open and self.in_service[strip]))

    def forward(self, strips: Iterable[int], outlets: Iterable[int] = ()) -> Forward:
        """Where the sound of some sources is.

        Parameters
        ----------
        strips
            Strips whose chains play.
        outlets
            Outlets that play.

        Returns
        -------
        Forward
            Flags per strip. O(strips + routes).
        """
        graph, route_ok = self.graph, self.route_ok
        count = len(graph.strips)
        fed = [False] * count
        own = [False] * count
        leaves = [False] * count
        head_of, outs, monitors = graph.head, graph.outs, self.monitors
        waiting: list[list[int]] = [graph.outlet_outs[outlet] for outlet in outlets]
        for strip in strips:
            own[strip] = True
            if not leaves[strip]:
                leaves[strip] = True
                waiting.append(outs[strip])
        while waiting:
            for route in waiting.pop():
                head = head_of[route]
                if route_ok[route] and not fed[head]:
                    fed[head] = True
                    if monitors[head] and not leaves[head]:
                        leaves[head] = True
                        waiting.append(outs[head])
        arrives = [own[n] or (fed[n] and self.enters(n)) for n in range(count)]
        return Forward(arrives, fed, leaves)


def downstream(graph: SignalGraph, strip: int) -> set[int]:
    """Strips that the output of a strip reaches, settings ignored.

    Parameters
    ----------
    graph
        The signal graph.
    strip
        Position of the strip.

    Returns
    -------
    set of int
        Positions, its own among them. O(strips and routes behind it): most strips have few behind them.
    """
    return _closure(strip, graph.outs, graph.head)


def upstream(graph: SignalGraph, strip: int) -> set[int]:
    """Strips whose output, by chain or outlet, reaches a strip, settings ignored; includes itself."""
    return _closure(strip, graph.ins, graph.tail)


def _closure(strip: int, routes_at: list[list[int]], far_end: list[int]) -> set[int]:
    found, waiting = {strip}, [strip]
    while waiting:
        for route in routes_at[waiting.pop()]:
            end = far_end[route]
            if end not in found:
                found.add(end)
                waiting.append(end)
    return found
