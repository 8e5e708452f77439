"""The boxes of the drawing: strips, and collapsed sections in place of theirs; with column and band."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, field

from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Section, Strip

INSTRUMENTS, SOURCES, BUSES, RETURNS, SUBMIXES, MIX, ENDS = range(7)
ROLE_NAMES = ("Instruments", "Sources", "Section buses", "Returns", "Submixes", "Mix", "Prints, outputs")
IN_BANDS = frozenset({INSTRUMENTS, SOURCES, BUSES})
FOLDS = IN_BANDS | {RETURNS, SUBMIXES}  # a mix and the ends of a section stay in sight when it is folded
NO_SECTION = ""


@dataclass
class Node:
    """One box of the drawing: a strip, or a collapsed section (`fold:` and its id)."""

    id: str
    name: str
    role: int
    band: str | None  # section id for instruments, sources and section buses; None is free
    rows: int = 1
    strip: int = -1  # number of the strip; −1 for a folded section
    members: list[int] = field(default_factory=list)
    rank: int = 0  # sub-column inside its role
    column: int = 0
    row: float = 0.0


@dataclass(frozen=True)
class Link:
    """A drawn connection: one route, or all routes of a kind between two nodes where one is folded."""

    kind: str
    start: str
    end: str
    outlet_row: int  # row of the start box the line leaves at
    routes: tuple[int, ...]
    feedback: bool


class NodeSet:
    """Nodes and links of a template with some sections folded. O(strips + routes)."""

    def __init__(self, graph: SignalGraph, feedback: Collection[int], folded: Collection[str]) -> None:
        self.graph = graph
        self.sections = {section.id: section for section in graph.template.sections}
        self.buses = {section.bus for section in graph.template.sections if section.bus}
        self.folded = {section for section in folded if section in self.sections}
        self.fold_of = {section: self._outermost(section) for section in self.sections}
        self.nodes: dict[str, Node] = {}
        self.node_of: list[str] = []
        roles = self._roles()
        for strip_number, strip in enumerate(graph.strips):
            self._place(strip_number, strip, roles[strip_number])
        self.links = self._links(feedback)
        self._ranks()
        self.bands = self._bands()

    def _outermost(self, section: str) -> str | None:
        """The outermost folded section around (or being) this one."""
        found, at = None, self.sections.get(section)
        while at is not None:
            found = at.id if at.id in self.folded else found
            at = self.sections.get(at.parent or "")
        return found

    def _roles(self) -> list[int]:
        graph = self.graph
        main = graph.template.machines[0].id
        roles = []
        for strip_number, strip in enumerate(graph.strips):
            if graph.machine_of(strip_number) != main:
                roles.append(INSTRUMENTS)
            else:
                roles.append(self._role(strip))
        for strip_number, strip in enumerate(graph.strips):  # an audio strip that records a sum is right of it
            if strip.kind == "audio" and any(BUSES <= roles[graph.tail[r]] <= MIX for r in graph.ins[strip_number]):
                roles[strip_number] = SUBMIXES
        return roles

    def _role(self, strip: Strip) -> int:
        if strip.kind == "bus":
            return BUSES if strip.id in self.buses or strip.section else SUBMIXES
        return {
            "instrument": INSTRUMENTS, "return": RETURNS, "master": MIX, "print": ENDS, "output": ENDS,
        }.get(strip.kind, SOURCES)  # fmt: skip

    def _place(self, strip_number: int, strip: Strip, role: int) -> None:
        section = self._band_section(strip) if role in IN_BANDS else None
        fold = self.fold_of.get((section or strip.section or "") if role in FOLDS else "")
        if fold is None:
            rows = max(1, len(strip.outlets)) if strip.kind == "instrument" else 1
            self.nodes[strip.id] = Node(strip.id, strip.name, role, section, rows, strip_number, [strip_number])
            self.node_of.append(strip.id)
            return
        name = f"fold:{fold}"
        if name not in self.nodes:
            self.nodes[name] = Node(name, self.sections[fold].name, SOURCES, fold)
        node = self.nodes[name]
        node.members.append(strip_number)
        node.role = BUSES if strip.id == self.sections[fold].bus else node.role
        self.node_of.append(name)

    def _band_section(self, strip: Strip) -> str:
        """A section's bus is in its band even if the strip itself is in another section."""
        if strip.section is None and strip.id in self.buses:
            return next(section.id for section in self.sections.values() if section.bus == strip.id)
        return strip.section or NO_SECTION

    def _links(self, feedback: Collection[int]) -> list[Link]:
        graph = self.graph
        grouped: dict[tuple[str, str, str, int, int], list[int]] = defaultdict(list)
        for route_number, route in enumerate(graph.routes):
            start, end = self.node_of[graph.tail[route_number]], self.node_of[graph.head[route_number]]
            if start == end and start.startswith("fold:"):
                continue
            is_folded = start.startswith("fold:") or end.startswith("fold:")
            row = 0 if start.startswith("fold:") else self._outlet_row(route_number)
            single = -1 if is_folded and route_number not in feedback else route_number
            grouped[route.kind, start, end, row, single].append(route_number)
        return [
            Link(kind, start, end, row, tuple(routes), routes[0] in feedback)
            for (kind, start, end, row, _single), routes in grouped.items()
        ]

    def _outlet_row(self, route: int) -> int:
        wanted = self.graph.routes[route].from_outlet
        outlets = self.graph.strips[self.graph.tail[route]].outlets
        if wanted is None:
            return next((row for row, outlet in enumerate(outlets) if outlet.main), 0)
        return next((row for row, outlet in enumerate(outlets) if outlet.id == wanted), 0)

    def _ranks(self) -> None:
        """Longest path inside one role, so that a sub-bus is left of the bus it feeds."""
        ins: dict[str, list[str]] = defaultdict(list)
        for link in self.links:
            start, end = self.nodes[link.start], self.nodes[link.end]
            ranks = link.kind in ("feed", "tie") and not link.feedback and start.role == end.role
            if ranks and start is not end and start.role != ENDS:
                ins[end.id].append(start.id)
        done: dict[str, int] = {}
        for name in self.nodes:
            self._rank(name, ins, done)
        for name, node in self.nodes.items():
            node.rank = min(done[name], 5)
        used = sorted({(node.role, node.rank) for node in self.nodes.values()})
        for node in self.nodes.values():
            node.column = used.index((node.role, node.rank))
        self.columns = used

    @staticmethod
    def _rank(root: str, ins: dict[str, list[str]], done: dict[str, int]) -> None:
        stack, inside = [root], {root}
        while stack:
            name = stack[-1]
            before = next((b for b in ins[name] if b not in done and b not in inside), None)
            if before is not None:
                stack.append(before)
                inside.add(before)
            else:
                done[name] = max((done.get(b, -1) + 1 for b in ins[name]), default=0)
                inside.discard(stack.pop())

    def _bands(self) -> list[str]:
        """Sections with something to show, in session order: each with its inner ones behind it."""
        used = {node.band for node in self.nodes.values() if node.band is not None}
        children: dict[str | None, list[Section]] = defaultdict(list)
        for section in self.sections.values():
            children[section.parent].append(section)
        order: list[str] = []

        def walk(parent: str | None) -> None:
            for section in children[parent]:
                order.append(section.id)
                walk(section.id)

        walk(None)
        return [band for band in [*order, NO_SECTION] if band in used]
