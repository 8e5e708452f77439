"""Which channels carry sound: at each strip's `in`, and at the taps of its routes. Channels are bits."""

from __future__ import annotations

from lattice.gain_staging.gains import chain_gain, reached_channels, route_matrix
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import IN
from lattice.model.layouts import channel_count


class Activity:
    """Which channels carry sound, at each strip's `in` and at the taps of its routes.

    Parameters
    ----------
    reach
        Reach over unblocked routes.

    Attributes
    ----------
    at_in : list of int
        By strip, its sounding channels as bits from channel 1 up.

    Notes
    -----
    Found by walking on from sources until nothing new sounds: O(routes · channels), as a strip is looked at again only
    where a channel more sounds at it.
    """

    def __init__(self, reach: Reach) -> None:
        self.reach = reach
        self.graph = reach.graph
        self._chains: dict[tuple[int, int], tuple[int, ...] | None] = {}
        self._routes: dict[int, tuple[int, ...] | None] = {}
        count = len(self.graph.strips)
        self.at_in = [0] * count
        waiting = []
        for strip, sounds in enumerate(reach.sounds):
            if sounds:
                self.at_in[strip] = _all(self.graph.strips[strip].layout)
                waiting.append(strip)
        for outlet, routes in enumerate(self.graph.outlet_outs):
            if reach.outlet_sounds(outlet):
                waiting += [self.graph.head[route] for route in routes if self._arrive(route)]
        while waiting:
            waiting += [self.graph.head[route] for route in self.graph.outs[waiting.pop()] if self._arrive(route)]

    def _arrive(self, route: int) -> bool:
        """Add the signal of a route; True if it is new and continues."""
        head = self.graph.head[route]
        if not self.reach.route_ok[route] or not self.reach.enters(head):
            return False
        spreads = self.spread(route)
        come = self.at_tap(route) if spreads is None else reached_channels(self.at_tap(route), spreads)
        new = self.at_in[head] | come
        if new == self.at_in[head]:
            return False
        self.at_in[head] = new
        return self.reach.monitors[head]

    def at_tap(self, route: int) -> int:
        """Channels that sound where a route leaves."""
        outlet, tail = self.graph.outlet[route], self.graph.tail[route]
        if outlet >= 0:
            return _all(self.graph.outlets[outlet][1].layout)
        chain = self._chain(tail, self.graph.stage[route])
        return self.at_in[tail] if chain is None else reached_channels(self.at_in[tail], chain)

    def lost(self, route: int) -> list[int]:
        """Channels that sound where a route leaves and that it takes nowhere."""
        spreads, sounding = self.spread(route), self.at_tap(route)
        return [] if spreads is None else [n for n, taken in enumerate(spreads) if sounding >> n & 1 and not taken]

    def spread(self, route: int) -> tuple[int, ...] | None:
        """The destination channels of each channel of a route; None for one to one."""
        if route not in self._routes:
            matrix = route_matrix(self.graph, route)
            self._routes[route] = None if matrix is None else matrix.spread
        return self._routes[route]

    def _chain(self, strip: int, stage: int) -> tuple[int, ...] | None:
        """The same for the stages between a strip's `in` and a tap."""
        if stage == IN or (strip not in self.graph.reshaped and not self.graph.strips[strip].pan):
            return None
        if (strip, stage) not in self._chains:
            self._chains[strip, stage] = chain_gain(self.graph.strips[strip], stage).matrix.spread
        return self._chains[strip, stage]


def _all(layout: str) -> int:
    return (1 << channel_count(layout)) - 1


def active_channels(reach: Reach) -> Activity:
    """The channels that carry sound under a reach."""
    return Activity(reach)
