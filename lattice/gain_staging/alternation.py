"""Choices by turn: members that never sound all at once, and the sums in which only the loudest of them count."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from lattice.graph.origin import Origin
from lattice.graph.signal_graph import SignalGraph
from lattice.model.choices import SECTION, in_turn, strips_of_member
from lattice.model.document import Choice

STEADY = -1  # the label of what belongs to no member


@dataclass(frozen=True)
class Round:
    """A choice by turn: the labels of its members, how many sound, and the member around it (or STEADY)."""

    labels: tuple[int, ...]
    sounding: int
    parent: int


class Alternation:
    """Labels of a template's members: a signal that passes a strip of a member belongs to that member from there on.

    A choice whose strips all lie in one member of another is inside it. A strip in members of choices that cross each
    other belongs to the first one in the document; a strip in two members of one choice belongs to neither.

    Parameters
    ----------
    graph
        The graph of the template.

    Attributes
    ----------
    of_strip : dict of int to int
        Strip → label.
    of_outlet : dict of int to int
        Outlet beyond the main one → label.
    rounds : tuple of Round
        Innermost first.
    """

    def __init__(self, graph: SignalGraph) -> None:
        self.of_strip: dict[int, int] = {}
        self.of_outlet: dict[int, int] = {}
        self.parent: dict[int, int] = {}
        self.rounds: tuple[Round, ...] = ()
        wanted = [choice for choice in graph.template.choices if in_turn(choice)]
        if wanted:
            self._label(graph, wanted)

    def __bool__(self) -> bool:
        return bool(self.rounds)

    def _label(self, graph: SignalGraph, choices: list[Choice]) -> None:
        members = [_nodes_of_members(graph, choice) for choice in choices]
        whole = [frozenset().union(*sets) for sets in members]
        count, rounds = len(graph.strips), []
        for number in _outer_first(whole, members):
            labels = []
            parent = self._around(whole[number], count)
            for nodes in members[number]:
                label = len(self.parent)
                self.parent[label] = parent
                labels.append(label)
                for node in nodes:
                    self._put(node, label, count)
            rounds.append(Round(tuple(labels), choices[number].sounding, parent))
        self.rounds = tuple(reversed(rounds))

    def _around(self, nodes: Collection[int], count: int) -> int:
        """The one label that all nodes have so far; else STEADY."""
        known = {self._label_of(node, count) for node in nodes}
        return known.pop() if len(known) == 1 else STEADY

    def label_of(self, origin: Origin) -> int:
        """The label of a source."""
        found = self.of_strip.get(origin.strip) if origin.is_chain else self.of_outlet.get(origin.outlet)
        return STEADY if found is None else found

    def _label_of(self, node: int, count: int) -> int:
        return self.of_strip.get(node, STEADY) if node < count else self.of_outlet.get(node - count, STEADY)

    def _put(self, node: int, label: int, count: int) -> None:
        if not self.is_inside(label, self._label_of(node, count)):
            return
        if node < count:
            self.of_strip[node] = label
        else:
            self.of_outlet[node - count] = label

    def is_inside(self, label: int, other: int) -> bool:
        """Return whether a label is another one, or inside it; everything is inside STEADY."""
        while label not in (other, STEADY):
            label = self.parent[label]
        return label == other

    def totals(self, parts: Mapping[int, list[float]]) -> list[float]:
        """By channel: what is steady, and of each choice the loudest members, as many as sound."""
        whole = {label: list(values) for label, values in parts.items()}
        for one in self.rounds:
            here = [whole[label] for label in one.labels if label in whole]
            if not here:
                continue
            into = whole.setdefault(one.parent, [0.0] * len(here[0]))
            for channel in range(len(into)):
                into[channel] += sum(_largest((values[channel] for values in here), one.sounding))
        return whole[STEADY]


def _outer_first(whole: list[frozenset[int]], members: list[list[frozenset[int]]]) -> list[int]:
    """Choices in the order of the document, but one inside a member of another behind that one."""
    order: list[int] = []
    left = list(range(len(whole)))
    while left:
        free = (n for n in left if not any(whole[n] <= nodes for m in left if m != n for nodes in members[m]))
        order.append(next(free, left[0]))
        left.remove(order[-1])
    return order


def _largest(values: Iterable[float], count: int) -> list[float]:
    return sorted(values, reverse=True)[:count]


def _nodes_of_members(graph: SignalGraph, choice: Choice) -> list[frozenset[int]]:
    """By member its strips, and its outlets behind them; those of two members are of none."""
    sets = [_nodes(graph, member) for member in choice.members]
    seen: set[int] = set()
    twice: set[int] = set()
    for nodes in sets:
        twice |= seen & nodes
        seen |= nodes
    return [frozenset(nodes - twice) for nodes in sets]


def _nodes(graph: SignalGraph, member: str) -> set[int]:
    count = len(graph.strips)
    strip_id, _slash, outlet = member.partition("/")
    if outlet and not member.startswith(SECTION):
        number = graph.index[strip_id]
        at = graph.outlet_index.get((number, outlet), -1)
        return {count + at} if at >= 0 else {number}  # the main outlet enters the strip's own chain
    strips = {graph.index[strip] for strip in strips_of_member(graph.template, member)}
    return strips | {count + at for at, (strip, _outlet) in enumerate(graph.outlets) if strip in strips}
