"""Strips whose source can meet itself again, so that its paths need separate treatment."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.gain_staging.gains import mixes_channels
from lattice.graph.loops import LoopGraph
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import IN
from lattice.model.document import Strip
from lattice.model.insert_types import DECORRELATING


class CoherenceMap:
    """Track coherence: where copies of one source may recombine, here or downstream.

    Copies of one source add in amplitude (up to +6 dB), different sources in power (+3 dB). For the former, levels need
    the share of each source. Most strips do not; this finds those that do.

    Parameters
    ----------
    reach
        Reach over unblocked routes.
    loops
        The graph of nodes (strips, then keyed inserts) and its order, walked against the flow.

    Attributes
    ----------
    branches : list of bool
        By strip: its sound leaves by several coherent paths that meet again, so it is a carrier.
    apart : list of bool
        By node: its channels need separate treatment, as a branch, or a route that adds channels up, is there or
        downstream.
    wanted : list of bool
        By node: it is a branch, has a branch as input, or is between a branch and the last place where its paths meet.
    outlet_matters : list of bool
        By outlet beyond the main one, the same as `apart`.
    plain : list of int
        Sources that need none of it: nothing is fed to them and they never meet themselves.

    Notes
    -----
    A path is coherent up to an active, fully wet reverb, delay or modulation. O(strips + routes), with a bit for each
    fed node that coherent sound reaches, and after branches one for each of them.
    """

    def __init__(self, reach: Reach, loops: LoopGraph) -> None:
        self.reach, self.graph, self.loops = reach, reach.graph, loops
        self.count = len(self.graph.strips)
        self.apart = [False] * loops.first_outlet
        self.wanted = [False] * loops.first_outlet
        self.branches = [False] * self.count
        # bits of the fed nodes that its coherent sound reaches, itself included
        self.beyond = [0] * loops.first_outlet
        self._keys = self.graph.keys_from
        self._bits = 0
        fed, reshaped, keyed = self.graph.ins, self.graph.reshaped, self._keys
        leaves: list[int] = []
        for node in reversed(loops.order):
            if node >= self.count:
                self.beyond[node] = self._bit()
            elif fed[node] or node in reshaped or node in keyed:
                self._strip(node)
            else:
                leaves.append(node)
        leaves.reverse()
        self.plain = self._leaves(leaves)
        # An outlet's own routes leave past the chain: it is a source that may meet itself like any other.
        self._outlet_branches: list[list[int]] = []  # the nodes that each of them goes to
        self.outlet_matters = [self._outlet(outlet) for outlet in range(len(self.graph.outlets))]
        if self._outlet_branches or any(self.branches):
            self._between()

    def _bit(self) -> int:
        self._bits += 1
        return 1 << self._bits

    def _heads(self, strip_number: int) -> list[int]:
        """Nodes that coherent sound of a strip goes to, one for each route."""
        graph = self.graph
        stage, head_of, leaving, strips = graph.stage, graph.head, graph.leaving, graph.strips
        route_ok, entered, cut = self.reach.route_ok, self.reach.entered, self.loops.feedback
        wet = bool(graph.ins[strip_number]) and decorrelates(strips[strip_number])
        heads = []
        for route in graph.outs[strip_number]:
            head = head_of[route]
            if route_ok[route] and entered[head] and not (wet and stage[route] != IN) and route not in cut:
                heads.append(head)
                if leaving[route] != strips[head].layout or graph.routes[route].channels is not None:
                    self._mixing(strip_number, head, route)
        for route in self._keys.get(strip_number, ()):
            if graph.outlet[route] < 0 and self._goes(route) and not (wet and stage[route] != IN):
                heads.append(self._node(route))
                self._mixing(strip_number, heads[-1], route)
        return heads

    def _leaves(self, leaves: list[int]) -> list[int]:
        """Decide strips without inputs; returns the plain ones, which reach no node with separate treatment.

        Most have routes that lead to nothing in common and mix no channels: those need no closer look.
        """
        graph, apart, beyond, outs = self.graph, self.apart, self.beyond, self.graph.outs
        head_of, leaving, strips = graph.head, graph.leaving, graph.strips
        odd = {graph.tail[route] for route in graph.listed}
        alike = not odd and not any(apart) and all(one in ("mono", other) for one, other in graph.layout_pairs)
        plain = []
        for strip_number in leaves:
            if alike and len(outs[strip_number]) < 2:
                plain.append(strip_number)
                continue
            bits = 0
            for route in outs[strip_number]:
                head = head_of[route]
                if apart[head] or bits & beyond[head] or leaving[route] not in ("mono", strips[head].layout):
                    bits = -1
                    break
                bits |= beyond[head]
            if bits < 0 or strip_number in odd:
                self._strip(strip_number)
            if not apart[strip_number]:
                plain.append(strip_number)
        return plain

    def _mixing(self, number: int, node: int, route: int) -> None:
        if mixes_channels(self.graph, route):
            self.apart[number] = self.wanted[number] = self.wanted[node] = True

    def _goes(self, route: int) -> bool:
        if not self.reach.route_ok[route] or route in self.loops.feedback:
            return False
        return route in self.graph.key_node or self.reach.enters(self.graph.head[route])

    def _node(self, route: int) -> int:
        key = self.graph.key_node.get(route)
        return self.graph.head[route] if key is None else self.loops.insert_nodes[key[1]]

    def _outlet(self, outlet: int) -> bool:
        """Return whether the sound of an outlet's own routes needs separate treatment."""
        graph = self.graph
        keys = self._keys.get(graph.outlets[outlet][0], ())
        routes = [*graph.outlet_outs[outlet], *(key for key in keys if graph.outlet[key] == outlet)]
        routes = [route for route in routes if self._goes(route)]
        heads = [self._node(route) for route in routes]
        is_branch = self._meet(heads)
        if is_branch:
            self._outlet_branches.append(heads)
        mixed = [node for node, route in zip(heads, routes, strict=True) if mixes_channels(graph, route)]
        for node in mixed:
            self.wanted[node] = True
        return is_branch or bool(mixed) or any(self.apart[node] for node in heads)

    def _meet(self, heads: list[int]) -> bool:
        bits = 0
        for node in heads:
            if bits & self.beyond[node]:
                return True
            bits |= self.beyond[node]
        return False

    def _strip(self, strip_number: int) -> None:
        graph, apart = self.graph, self.apart
        outs = graph.outs[strip_number]
        if strip_number in graph.reshaped:
            apart[strip_number] = True
        if not outs and strip_number not in self._keys:
            if graph.ins[strip_number]:
                self.beyond[strip_number] = self._bit()
            self.wanted[strip_number] = apart[strip_number]
            return
        heads = self._heads(strip_number)
        if len(heads) > 1 and self._meet(heads):
            self.branches[strip_number] = apart[strip_number] = True
        for node in heads:
            if apart[node]:
                apart[strip_number] = True
        if apart[strip_number]:
            self.wanted[strip_number] = True
        if graph.ins[strip_number]:
            self.beyond[strip_number] = self._bit()
            for node in heads:
                self.beyond[strip_number] |= self.beyond[node]

    def _between(self) -> None:
        """Marks the nodes between a branch and the last node where its paths meet; later nodes do not need it."""
        flow = _BranchFlow()
        for number, heads in enumerate(self._outlet_branches):
            flow.send(heads, 1 << number)
        at = len(self._outlet_branches)
        for node in self.loops.order:
            bits = flow.comes.get(node, 0)
            if node >= self.count:
                continue
            if self.branches[node]:
                bits |= 1 << at
                at += 1
            if bits:
                flow.heads_of[node] = self._heads(node)
                flow.send(flow.heads_of[node], bits)
        for node in flow.before_meetings(self.loops.order):
            self.wanted[node] = True


class _BranchFlow:
    """Whose sound comes where, with a bit for each branch, and where sound of one comes by two routes."""

    def __init__(self) -> None:
        self.comes: dict[int, int] = {}  # node → bits of the branches whose sound comes there
        self.meets: dict[int, int] = {}  # node → bits of those whose sound comes by two routes
        self.heads_of: dict[int, list[int]] = {}

    def send(self, heads: list[int], bits: int) -> None:
        """The signals of routes to `heads`."""
        for node in heads:
            here = self.comes.get(node, 0)
            if here & bits:
                self.meets[node] = self.meets.get(node, 0) | (here & bits)
            self.comes[node] = here | bits

    def before_meetings(self, order: list[int]) -> Iterator[int]:
        """Nodes at which sound of a branch meets itself, or from which it reaches such a node."""
        will_meet: dict[int, int] = {}
        for node in reversed(order):
            if node in self.comes:
                bits = self.meets.get(node, 0)
                for head in self.heads_of.get(node, ()):
                    bits |= will_meet[head]
                will_meet[node] = bits & self.comes[node]
                if will_meet[node]:
                    yield node


def decorrelates(strip: Strip) -> bool:
    """The output of its chain is not coherent."""
    return any(i.type in DECORRELATING and i.state == "on" and i.wet >= 1 for i in strip.inserts)
