"""Which channels carry sound: at each strip's `in`, and at the taps of its routes."""

from __future__ import annotations

from lattice.graph.compiled import IN
from lattice.graph.reach import Reach
from lattice.levels.gains import chain_gain, route_gain
from lattice.model.layouts import Matrix, channel_count

Channels = frozenset[int]


class Activity:
    """`at_in[strip]`: channels that sound. Found by walking on from sources until nothing new sounds."""

    def __init__(self, reach: Reach) -> None:
        self.reach = reach
        self.compiled = reach.compiled
        self._chains: dict[tuple[int, int], Matrix] = {}
        count = len(self.compiled.strips)
        self.at_in: list[Channels] = [frozenset()] * count
        waiting = []
        for strip, sounds in enumerate(reach.sounds):
            if sounds:
                self.at_in[strip] = frozenset(range(channel_count(self.compiled.strips[strip].layout)))
                waiting.append(strip)
        for outlet, routes in enumerate(self.compiled.outlet_outs):
            if reach.outlet_sounds(outlet):
                waiting += [self.compiled.head[route] for route in routes if self._arrive(route)]
        while waiting:
            waiting += [self.compiled.head[route] for route in self.compiled.outs[waiting.pop()] if self._arrive(route)]

    def _arrive(self, route: int) -> bool:
        """Takes what a route brings; True where something new sounds and goes on."""
        head = self.compiled.head[route]
        if not self.reach.route_ok[route] or not self.reach.enters(head):
            return False
        new = self.at_in[head] | _through(route_gain(self.compiled, route).matrix, self.at_tap(route))
        if new == self.at_in[head]:
            return False
        self.at_in[head] = new
        return self.reach.monitors[head]

    def at_tap(self, route: int) -> Channels:
        """Channels that sound where a route leaves."""
        outlet, tail = self.compiled.outlet[route], self.compiled.tail[route]
        if outlet >= 0:
            return frozenset(range(channel_count(self.compiled.outlets[outlet][1].layout)))
        stage = self.compiled.stage[route]
        return self.at_in[tail] if stage == IN else _through(self._chain(tail, stage), self.at_in[tail])

    def _chain(self, strip: int, stage: int) -> Matrix:
        if (strip, stage) not in self._chains:
            self._chains[strip, stage] = chain_gain(self.compiled.strips[strip], stage).matrix
        return self._chains[strip, stage]


def _through(matrix: Matrix, channels: Channels) -> Channels:
    return frozenset(row for row, gains in enumerate(matrix) if any(gains[channel] for channel in channels))


def active_channels(reach: Reach) -> Activity:
    return Activity(reach)
