"""The keys, and the keyed strips, that each source reaches: one sweep for all checks of keys."""

from __future__ import annotations

from collections import defaultdict

from lattice.graph.masks import masks
from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.reach import Reach


class KeyReach:
    """Keys and keyed strips reached by sources, as bits; sources that reach the same are kept together.

    Parameters
    ----------
    reach
        Reach over unblocked routes.
    keys
        The key routes that carry a signal.

    Attributes
    ----------
    key_bit, strip_bit : dict of int to int
        Key route, and keyed strip → its bit.
    sources : dict of int to list of Origin
        Mask → the sources that reach exactly this.
    """

    def __init__(self, reach: Reach, keys: list[int]) -> None:
        graph = reach.graph
        self.key_bit = {route: 1 << at for at, route in enumerate(keys)}
        keyed = sorted({graph.head[route] for route in keys})
        self.strip_bit = {strip: 1 << (len(keys) + at) for at, strip in enumerate(keyed)}
        self.sources: dict[int, list[Origin]] = defaultdict(list)
        if not keys:
            return
        places = [(n, NO_OUTLET) for n, sounds in enumerate(reach.sounds) if sounds]
        places += [(strip, at) for at, (strip, _piece) in enumerate(graph.outlets) if reach.outlet_sounds(at)]
        for place, mask in zip(places, masks(reach, self.strip_bit, self.key_bit), strict=True):
            if mask:  # of few sources
                self.sources[mask].append(Origin(*place))
