"""A template graph for computing: ids to numbers, routes by end, one place for every state.

The graph is contracted: one node a strip (its `in`), one a keyed insert, one an outlet beyond the main one. Stages
inside a strip are in sequence, so a route's tap shows whether it is after a node.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from copy import copy
from functools import cached_property

from lattice.graph.origin import NO_OUTLET
from lattice.model.document import (
    Insert,
    Outlet,
    Route,
    Strip,
    Template,
    machine_id,
    main_outlet,
    plays,
)
from lattice.model.insert_types import (
    ACTING,
    AT_OPERATING_LEVEL,
    COMPRESSING,
    EXTERNAL,
    INSERT_TYPES,
    LIMITING,
    OPENING,
    REPEATING,
)
from lattice.model.route_kinds import BRINGING_SOUND
from lattice.model.strip_kinds import LOOP_RANK, PLAYING

IN, PRE, POST = 0, 1, 2
STAGE_OF_TAP = {"pre-insert": IN, "pre-fader": PRE, "post-fader": POST}
DIGIT_OF_TYPE = {traits.name: digit for digit, traits in enumerate(INSERT_TYPES, 1)}
DIGITS = len(INSERT_TYPES) + 1
NO_LATENCY = (0, 0)
INDEXED_TYPES = EXTERNAL | REPEATING | OPENING | LIMITING | frozenset(AT_OPERATING_LEVEL)  # indexes for checks, by type


def acts(insert: Insert) -> bool:
    """Return whether an active insert may change levels beyond its gain: a saturator without a ceiling does not."""
    kind = insert.type
    if kind not in ACTING:
        return False
    if kind in LIMITING:
        return insert.ceiling_db is not None
    return kind not in COMPRESSING or insert.threshold_db is not None


class Inserts:
    """Frequently used properties of inserts, found in one pass. Places are (strip, position in its chain)."""

    def __init__(self, strips: tuple[Strip, ...]) -> None:  # noqa: C901 - one pass over all inserts, without calls
        self.by_type: dict[str, list[tuple[int, int]]] = defaultdict(list)
        self.listening: list[tuple[int, int]] = []  # keyed from outside
        self.measured: list[tuple[int, int]] = []
        self.reshaped: set[int] = set()  # strips with an insert that states a layout or positions
        self.acting: set[int] = set()  # strips with an insert that changes levels now
        self.raised: set[int] = set()  # strips with an insert that may make louder
        self.high_cuts: set[int] = set()  # strips with an insert that states a high cut
        # strip → (reported, actual) samples of its chain, where it has any
        self.latency: dict[int, tuple[int, int]] = {}
        # strip → types of its inserts, where it has several, as digits of one number: made and compared fastest
        self.orders: dict[int, int] = {}
        by_type, latency, acting = self.by_type, self.latency, self.acting
        for strip_number, strip in enumerate(strips):
            inserts = strip.inserts
            if not inserts:
                continue
            order = 0
            for place, insert in enumerate(inserts):
                kind, gain_db, state = insert.type, insert.gain_db, insert.state
                order = order * DIGITS + DIGIT_OF_TYPE.get(kind, 0)
                if kind in INDEXED_TYPES:
                    by_type[kind].append((strip_number, place))
                if insert.key == "external":
                    self.listening.append((strip_number, place))
                reported, measured = insert.latency_samples, insert.measured_latency_samples
                if measured is not None:
                    self.measured.append((strip_number, place))
                if (reported or measured is not None) and state != "unloaded":
                    before = latency.get(strip_number, NO_LATENCY)
                    took = reported if measured is None else measured
                    latency[strip_number] = before[0] + (reported or 0), before[1] + (took or 0)
                if insert.has_channels:
                    self.reshaped.add(strip_number)
                if state == "on" and (gain_db or (kind in ACTING and acts(insert))):
                    acting.add(strip_number)
                if gain_db > 0 or insert.feedback:
                    self.raised.add(strip_number)
                if insert.high_cut_hz:
                    self.high_cuts.add(strip_number)
            if len(inserts) > 1:
                self.orders[strip_number] = order

    def with_levels_of(self, before: tuple[Strip, ...], after: tuple[Strip, ...]) -> Inserts:
        """The same of strips that differ in levels and words alone, from those it was found in."""
        other = copy(self)
        other.acting, other.raised, other.high_cuts = set(self.acting), set(self.raised), set(self.high_cuts)
        for number, (was, now) in enumerate(zip(before, after, strict=True)):
            if was is not now:
                changed = Inserts((now,))
                other.acting = other.acting - {number} | {number for _ in changed.acting}
                other.raised = other.raised - {number} | {number for _ in changed.raised}
                other.high_cuts = other.high_cuts - {number} | {number for _ in changed.high_cuts}
        return other


class SignalGraph:
    """A template as numbers for computing: positions of strips, routes, outlets and keyed inserts.

    Parameters
    ----------
    template
        A validated template. Building is O(strips + routes); results computed from it are cached.

    Attributes
    ----------
    tail, head : list of int
        By route, the strip it leaves and the strip it ends at.
    stage : list of int
        By route, where it is taken: IN, PRE or POST.
    outs, ins : list of list of int
        By strip, the audio routes that leave its chain and those that end at it. An outlet's own routes are in
        `outlet_outs`.

    Notes
    -----
    Order is that of the document everywhere, so that results are the same every time.
    """

    def __init__(self, template: Template) -> None:
        self.template = template
        self.strips: tuple[Strip, ...] = template.strips
        self.routes: tuple[Route, ...] = template.routes
        self.index: dict[str, int] = {strip.id: number for number, strip in enumerate(self.strips)}
        self._number_outlets()
        self._number_routes()

    def with_levels_of(self, template: Template) -> SignalGraph:
        """The graph of a template that is another in levels and words alone (`lattice.model.quiet`), in O(1)."""
        graph = copy(self)
        graph.template, graph.strips, graph.routes = template, template.strips, template.routes
        if "inserts" in vars(self):
            graph.inserts = self.inserts.with_levels_of(self.strips, template.strips)
        return graph

    def _number_outlets(self) -> None:
        self.outlets: list[tuple[int, Outlet]] = []  # beyond the main one: (strip, outlet)
        self.outlet_index: dict[tuple[int, str], int] = {}
        self.outlets_of: dict[int, list[int]] = {}
        for strip_number, strip in enumerate(self.strips):
            if len(strip.outlets) > 1:
                main = main_outlet(strip)
                for outlet in strip.outlets:
                    if outlet is not main:
                        self.outlet_index[strip_number, outlet.id] = len(self.outlets)
                        self.outlets_of.setdefault(strip_number, []).append(len(self.outlets))
                        self.outlets.append((strip_number, outlet))

    def _number_routes(self) -> None:
        count = len(self.strips)
        index = self.index
        outlet_index = self.outlet_index
        self.tail: list[int] = [index[route.from_strip] for route in self.routes]
        self.head: list[int] = [index[route.to] for route in self.routes]
        self.stage: list[int] = [STAGE_OF_TAP[route.tap] for route in self.routes]
        self.outlet: list[int] = [
            NO_OUTLET if route.from_outlet is None else outlet_index.get((tail, route.from_outlet), NO_OUTLET)
            for route, tail in zip(self.routes, self.tail, strict=True)
        ]
        self.outs: list[list[int]] = [[] for _ in range(count)]
        self.ins: list[list[int]] = [[] for _ in range(count)]
        self.outlet_outs: list[list[int]] = [[] for _ in self.outlets]
        self.keys: list[int] = []
        self.midis: list[int] = []
        self.key_node: dict[int, tuple[int, str]] = {}  # key route → the insert it works
        self.tied_in: set[int] = set()
        self.tied_out: set[int] = set()
        outs, ins = self.outs, self.ins
        ends = zip(self.routes, self.tail, self.head, self.outlet, strict=True)
        for route_number, (route, tail, head, outlet) in enumerate(ends):
            kind = route.kind
            if kind in BRINGING_SOUND:
                if outlet < 0:
                    outs[tail].append(route_number)
                else:
                    self.outlet_outs[outlet].append(route_number)
                ins[head].append(route_number)
                if kind == "tie":
                    self.tied_out.add(tail)
                    self.tied_in.add(head)
            elif kind == "key":
                self.keys.append(route_number)
                self.key_node[route_number] = (head, route.to_insert or "")
            else:
                self.midis.append(route_number)

    # states

    @cached_property
    def post_open(self) -> list[bool]:
        """Per strip: sound passes from `pre` to `post` (not muted, fader not off)."""
        return [not strip.mute and strip.fader_db is not None for strip in self.strips]

    @cached_property
    def monitors(self) -> list[bool]:
        """Per strip: its inputs pass through it. Only audio and print strips require monitoring."""
        return [
            strip.kind not in ("audio", "print")
            or strip.monitor == "always"
            or (strip.monitor == "when-armed" and strip.armed)
            for strip in self.strips
        ]

    @cached_property
    def route_open(self) -> list[bool]:
        """Per route: nothing between its tap and the strip it ends at stops sound.

        Mute and fader of the strip it leaves count where its tap is post-fader; an outlet's routes depend
        on the outlet and on the strip being in service only.
        """
        is_open_by_route = [route.enabled and (route.gain_db is not None or route.automated) for route in self.routes]
        for strip, is_open in enumerate(self.post_open):  # few strips and outlets stop anything
            if not is_open:
                for route in self._leaving.get(strip, ()):
                    is_open_by_route[route] = is_open_by_route[route] and (
                        self.stage[route] != POST or self.outlet[route] >= 0
                    )
        out = {strip_number for strip_number, strip in enumerate(self.strips) if not strip.in_service}
        shut = {outlet_number for outlet_number, (_strip, outlet) in enumerate(self.outlets) if not outlet.open}
        if out or shut:
            for route, (tail, head, outlet) in enumerate(zip(self.tail, self.head, self.outlet, strict=True)):
                if tail in out or head in out or outlet in shut:
                    is_open_by_route[route] = False
        return is_open_by_route

    @cached_property
    def _leaving(self) -> dict[int, list[int]]:
        """Strip → every route that leaves it, of any kind, by its chain or an outlet."""
        found: dict[int, list[int]] = {}
        for route, tail in enumerate(self.tail):
            found.setdefault(tail, []).append(route)
        return found

    @cached_property
    def passes_input(self) -> list[bool]:
        """Per strip: an audio strip that is fed and monitors; it does not add its own source."""
        return [
            strip.kind == "audio" and bool(self.ins[number]) and self.monitors[number]
            for number, strip in enumerate(self.strips)
        ]

    @cached_property
    def is_source(self) -> list[bool]:
        """Per strip: its chain has a source of its own, whatever states say. Spares count, for reach."""
        return [
            (strip.source is not None if strip.kind == "audio" else strip.kind in PLAYING and plays(strip))
            and number not in self.tied_in
            if not strip.tags
            else (plays(strip) and number not in self.tied_in) or ("spare" in strip.tags and strip.kind != "midi")
            for number, strip in enumerate(self.strips)
        ]

    @cached_property
    def sources_of_section(self) -> dict[str | None, list[int]]:
        """Section → its strips that are sources, in document order."""
        found: dict[str | None, list[int]] = defaultdict(list)
        for number, is_source in enumerate(self.is_source):
            if is_source:
                found[self.strips[number].section].append(number)
        return found

    @cached_property
    def main_open(self) -> list[bool]:
        """Per strip: its main outlet is open (strips without outlets: yes)."""
        found = [True] * len(self.strips)
        for number in self.by_kind["instrument"]:
            main = main_outlet(self.strips[number])
            found[number] = main is None or main.open
        return found

    # frequently used by checks, each found in one pass

    @cached_property
    def keys_from(self) -> dict[int, list[int]]:
        """Strip → its outgoing key routes, by its chain or an outlet."""
        found: dict[int, list[int]] = {}
        for route in self.keys:
            found.setdefault(self.tail[route], []).append(route)
        return found

    def routes_of(self, strips: Iterable[int]) -> Iterator[int]:
        """Audio routes that leave some strips, by the chain or an outlet."""
        for strip in strips:
            yield from self.outs[strip]
            for outlet in self.outlets_of.get(strip, ()):
                yield from self.outlet_outs[outlet]

    @cached_property
    def leaving_strips(self) -> frozenset[int]:
        """Strips that a route of any kind leaves, by the chain or an outlet, whatever its state."""
        return frozenset(self.tail)

    @cached_property
    def by_kind(self) -> dict[str, list[int]]:
        """Kind → strips, in document order."""
        found: dict[str, list[int]] = defaultdict(list)
        for number, strip in enumerate(self.strips):
            found[strip.kind].append(number)
        return found

    @cached_property
    def by_tag(self) -> dict[str, list[int]]:
        """Tag → strips; sources that only key others count as triggers."""
        found: dict[str, list[int]] = defaultdict(list)
        for number, strip in enumerate(self.strips):
            if strip.tags:
                for tag in strip.tags:
                    found[tag].append(number)
        if self.untagged_triggers:
            found["trigger"] = sorted({*found["trigger"], *self.untagged_triggers})
        return found

    @cached_property
    def untagged_triggers(self) -> list[int]:
        """Sources that only key routes leave and that are not tagged trigger: they count as tagged."""
        keying = sorted({self.tail[route] for route in self.keys})
        return [
            n
            for n in keying
            if all(self.routes[route].kind == "tie" for route in self.routes_of((n,)))
            and self.strips[n].kind in PLAYING
            and self.is_source[n]
            and "trigger" not in self.strips[n].tags
        ]

    @cached_property
    def inserts(self) -> Inserts:
        """Frequently used properties of inserts, found in one pass."""
        return Inserts(self.strips)

    def places_of(self, types: Iterable[str]) -> Iterator[tuple[int, int]]:
        """(strip, place in its chain) of every insert of some of INDEXED_TYPES, type by type."""
        for kind in types:
            yield from self.inserts.by_type[kind]

    @cached_property
    def listed(self) -> list[int]:
        """Routes with a channel list of their own."""
        return [number for number, route in enumerate(self.routes) if route.channels is not None]

    @cached_property
    def layout_pairs(self) -> set[tuple[str, str]]:
        """Layouts that routes leave and end at."""
        strips = self.strips
        return set(zip(self.leaving, [strips[head].layout for head in self.head], strict=True))

    @property
    def reshaped(self) -> set[int]:
        """Strips with an insert that states a layout or positions of its own."""
        return self.inserts.reshaped

    @cached_property
    def chain_layout(self) -> list[str]:
        """Per strip: the layout after its inserts, that is of its output."""
        found = [strip.layout for strip in self.strips]
        for number in self.reshaped:
            for insert in self.strips[number].inserts:
                found[number] = insert.layout_out or insert.layout_in or found[number]
        return found

    @cached_property
    def leaving(self) -> list[str]:
        """Per route: the layout at its tap or outlet."""
        strips, chain, outlets = self.strips, self.chain_layout, self.outlets
        return [
            outlets[outlet][1].layout if outlet >= 0 else strips[tail].layout if stage == IN else chain[tail]
            for tail, stage, outlet in zip(self.tail, self.stage, self.outlet, strict=True)
        ]

    def layout_leaving(self, route: int) -> str:
        """The layout at a route's tap or outlet."""
        return self.leaving[route]

    @cached_property
    def stems_at(self) -> dict[int, list[int]]:
        """Strip → numbers of the stems taken at it."""
        found: dict[int, list[int]] = {}
        for number, stem in enumerate(self.template.stems):
            if stem.strip is not None:
                found.setdefault(self.index[stem.strip], []).append(number)
        return found

    @cached_property
    def route_index(self) -> dict[str, int]:
        """Route id → position."""
        return {route.id: number for number, route in enumerate(self.routes)}

    @cached_property
    def insert_at(self) -> dict[str, tuple[int, int]]:
        """Insert id → (strip, position in its chain)."""
        return {
            insert.id: (number, position)
            for number, strip in enumerate(self.strips)
            for position, insert in enumerate(strip.inserts)
        }

    def insert_of_key(self, route: int) -> Insert:
        """The insert that a key works."""
        return self.strips[self.head[route]].inserts[self.place_of_key(route)]

    def place_of_key(self, route: int) -> int:
        """The position in its chain of the insert that a key works."""
        insert = self.key_node[route][1]
        return next(place for place, piece in enumerate(self.strips[self.head[route]].inserts) if piece.id == insert)

    @cached_property
    def ends(self) -> list[int]:
        """Strips that may be endpoints: outputs, prints, strips of stems."""
        return sorted({*self.by_kind["output"], *self.by_kind["print"], *self.stems_at})

    def is_endpoint(self, strip: int) -> bool:
        """An output no tie leaves, a print, or the strip of a stem."""
        kind = self.strips[strip].kind
        return kind == "print" or (kind == "output" and strip not in self.tied_out) or strip in self.stems_at

    def machine_of(self, strip: int) -> str:
        """Id of the machine that a strip runs on."""
        return machine_id(self.template, self.strips[strip])

    def order_key(self, strip: int) -> tuple[int, int]:
        """The order inside a loop: by kind, then as in the document."""
        return LOOP_RANK[self.strips[strip].kind], strip
