"""A graph template and the sweeps over it that checks use, each computed once, on first use."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator
from copy import copy
from functools import cached_property
from itertools import islice
from time import perf_counter
from typing import TypeVar

from msgspec import UNSET

from lattice.deliverables.ledger import Ledger
from lattice.deliverables.taps import Taps
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.shares import sources_of
from lattice.gain_staging.source_response import SourceResponse
from lattice.gain_staging.stated_share import StatedShare
from lattice.graph.destinations import Destinations
from lattice.graph.key_reach import KeyReach
from lattice.graph.loops import LoopGraph
from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.paths import Blockers, LeastBlockedPaths, Path
from lattice.graph.reach import Backward, Forward, Reach, downstream
from lattice.graph.signal_graph import SignalGraph
from lattice.latency.arrivals import Arrivals
from lattice.model.document import Section, Source, Strip, Template, main_outlet
from lattice.model.inventory import Inventory
from lattice.model.names import joined
from lattice.model.quiet import is_quiet
from lattice.model.strip_kinds import FED, NO_START, SUMS

# Parts that are about flow, states and times alone, and know nothing of the template they were read off.
OF_FLOW = (
    "sounds", "could_sound", "could_sound_in_earnest", "heard", "could_be_heard", "sources", "by_taps", "sections",
    "assumed_sources", "assumed_sound",
)  # fmt: skip
Part = TypeVar("Part")
SILENT_DBFS = -math.inf
CREST_DB = 12.0  # of an assumed source: its RMS this far below its peak
BEGUN = 5  # one unrouted strip in so many: the routing has only begun
KEPT_RESPONSES = 256  # as many sources are commonly asked about together; more would only take memory


def standing_on(part: Part, **grounds: object) -> Part:
    """The same part, standing on another graph or other parts that say the same to it."""
    other = copy(part)
    vars(other).update(grounds)
    return other


class OutOfTimeError(Exception):
    """An audit has used the time it has."""


class Analysis:
    """The computations on one template, each done once, on first use.

    Parameters
    ----------
    template
        A validated template.
    inventory
        The contents of a machine, for the checks of plug-ins and channel names; None if unknown.
    before
        The analysis of the version before the edit. If the edit changed levels and texts only, flow, settings and times
        stay valid and are reused.
    """

    def __init__(self, template: Template, inventory: Inventory | None = None, before: Analysis | None = None) -> None:
        self.template, self.inventory = template, inventory
        self._downstream: dict[int, set[int]] = {}
        self._levels_if: dict[float, Levels] = {}
        self._responses: dict[Origin, SourceResponse] = {}
        self.ends_at = math.inf  # when an audit of it has to end, by `time.perf_counter`
        if before is not None and is_quiet(before.template, template):
            self._take_over(before)
        else:
            self.graph = SignalGraph(template)
            self.unblocked = Reach(self.graph, states=True)
            self.ignoring = Reach(self.graph, states=False)

    def _take_over(self, before: Analysis) -> None:
        """The results that stay valid after an edit of levels and texts, as far as they were computed."""
        known = vars(before)
        graph = self.graph = before.graph.with_levels_of(self.template)
        self.unblocked = standing_on(before.unblocked, graph=graph)
        self.ignoring = standing_on(before.ignoring, graph=graph)
        self._downstream = before._downstream
        vars(self).update({name: known[name] for name in OF_FLOW if name in known})
        if "loops" in known:
            loops = self.loops = standing_on(before.loops, graph=graph)
            if "arrivals" in known:
                self.arrivals = standing_on(before.arrivals, graph=graph, loops=loops)
            if "taps" in known:
                self.taps = standing_on(before.taps, graph=graph, loops=loops, reach=self.unblocked)

    def keep_time(self) -> None:
        """Raise OutOfTimeError at the deadline of an audit. Loops over many pairs or sources call it."""
        if perf_counter() > self.ends_at:
            raise OutOfTimeError

    @cached_property
    def sounds(self) -> Forward:
        """Where sound is now."""
        return self.unblocked.from_sources()

    @cached_property
    def could_sound(self) -> Forward:
        """Where sound would be if no state blocked it."""
        return self.ignoring.from_sources()

    @cached_property
    def could_sound_in_earnest(self) -> Forward:
        """The same for all sources but a pop or talkback: alone, those leave an endpoint silent on purpose."""
        graph, minor = self.graph, {"pop", "talkback"}
        strips = [n for n, source in enumerate(graph.is_source) if source and not minor & set(self.strip(n).tags)]
        outlets = [
            number
            for number, (strip, _outlet) in enumerate(graph.outlets)
            if self.ignoring.outlet_sounds(number) and not minor & set(self.strip(strip).tags)
        ]
        return self.ignoring.forward(strips, outlets)

    def downstream(self, strip: int) -> set[int]:
        """Strips that the output of `strip` reaches, settings ignored; includes itself."""
        if strip not in self._downstream:
            self._downstream[strip] = downstream(self.graph, strip)
        return self._downstream[strip]

    @cached_property
    def heard(self) -> Backward:
        """From where sound reaches an endpoint now."""
        return self.unblocked.to_endpoints()

    @cached_property
    def could_be_heard(self) -> Backward:
        """From where sound would reach an endpoint if no state blocked it."""
        return self.ignoring.to_endpoints()

    @cached_property
    def ways(self) -> LeastBlockedPaths:
        """The least blocked paths of all strips."""
        return LeastBlockedPaths(self.graph)

    @cached_property
    def blockers(self) -> Blockers:
        """The blocks of the audio graph, hop by hop."""
        return Blockers(self.graph)

    @cached_property
    def loops(self) -> LoopGraph:
        """Loops, the cut and the order of the flow."""
        return LoopGraph(self.graph)

    @cached_property
    def levels(self) -> Levels:
        """Levels at every stage."""
        return Levels(self.unblocked, self.loops)

    def levels_if_assumed(self, peak_dbfs: float) -> Levels:
        """Levels with every source that states none at another peak, its RMS 12 dB below; SILENT_DBFS for silence."""
        if peak_dbfs not in self._levels_if:
            assumed = Source(peak_dbfs=peak_dbfs, rms_dbfs=peak_dbfs - CREST_DB)
            self._levels_if[peak_dbfs] = Levels(self.unblocked, self.loops, assumed, self.levels)
        return self._levels_if[peak_dbfs]

    @cached_property
    def assumed_sources(self) -> list[Origin]:
        """Sources that state no level."""
        may_be = {n for n, strip in enumerate(self.graph.strips) if strip.source is UNSET or strip.outlets}
        return [origin for origin in self.sources if origin.strip in may_be and self.is_assumed(*origin)]

    @cached_property
    def assumed_sound(self) -> Forward:
        """Where the sound of sources that state no level is now."""
        chains = [strip for strip, outlet in self.assumed_sources if outlet < 0]
        return self.unblocked.forward(chains, [outlet for _strip, outlet in self.assumed_sources if outlet >= 0])

    @cached_property
    def stated_share(self) -> StatedShare:
        """Lower bounds of the share that stated sources have in levels."""
        return StatedShare(self.levels, self.assumed_sound.arrives, self.assumed_sources)

    def rests_on_assumed(self, strip: int) -> bool:
        """Return whether a source without a stated level is in the level at the strip's `in`."""
        return bool(self.assumed_sources) and self.assumed_sound.arrives[strip]

    @cached_property
    def arrivals(self) -> Arrivals:
        """Arrivals at every strip."""
        return Arrivals(self.loops)

    @cached_property
    def working_keys(self) -> list[int]:
        """Key routes that carry a signal to an insert that is on and keyed from outside."""
        keyed = ((route, self.graph.insert_of_key(route)) for route in self.graph.keys if self.carries(route))
        return [route for route, insert in keyed if insert.key == "external" and insert.state == "on"]

    @cached_property
    def key_reach(self) -> KeyReach:
        """The active keys and keyed strips that each source reaches."""
        return KeyReach(self.unblocked, [route for route in self.graph.keys if self.carries(route)])

    @cached_property
    def taps(self) -> Taps:
        """Bit masks of the stems that each source reaches."""
        return Taps(self.unblocked, self.loops)

    @cached_property
    def by_taps(self) -> dict[int, list[Origin]]:
        """Sources grouped by the masks of `taps` they reach. Most sources share their routing, so groups are few."""
        found: dict[int, list[Origin]] = defaultdict(list)
        for origin in self.sources:
            found[self.taps.of(origin)].append(origin)
        return found

    @cached_property
    def ledger(self) -> Ledger:
        """The level of every source in every stem."""
        return Ledger(self.levels, self.taps, self.sources)

    @cached_property
    def sections(self) -> dict[str, Section]:
        """Section id → section."""
        return {section.id: section for section in self.template.sections}

    @cached_property
    def sources(self) -> list[Origin]:
        """Every source in service; closed outlets and spares are none."""
        return list(self._sources())

    @cached_property
    def _all_sources(self) -> frozenset[Origin]:
        return frozenset(self.sources)

    def _sources(self) -> Iterator[Origin]:
        graph, outlets_of = self.graph, self.graph.outlets_of
        left = {*graph.by_tag["spare"], *graph.by_tag["backup"]}
        for number, sounds in enumerate(self.unblocked.sounds):
            if sounds and number not in left:
                yield Origin(number)
            if number in outlets_of and number not in left:
                for outlet in outlets_of[number]:
                    if self.unblocked.outlet_sounds(outlet):
                        yield Origin(number, outlet)

    @cached_property
    def playing(self) -> frozenset[Origin]:
        """Sources that have a level now."""
        return frozenset(sources_of(self.levels))

    def response(self, origin: Origin) -> SourceResponse:
        """One source alone at its expected level; the last few results are cached."""
        self.keep_time()
        found = self._responses.pop(origin, None) or SourceResponse(self.levels, *origin)
        self._responses[origin] = found
        if len(self._responses) > KEPT_RESPONSES:
            del self._responses[next(iter(self._responses))]
        return found

    def outlets_without_route(self) -> Iterator[int]:
        """Unrouted outlets beyond the main one, of strips that should sound."""
        keyed = {self.graph.outlet[route] for route in self.graph.keys}
        for number, (strip, outlet) in enumerate(self.graph.outlets):
            piece = self.strip(strip)
            meant = piece.in_service and not {"spare", "backup"} & set(piece.tags)
            if meant and outlet.open and not self.graph.outlet_outs[number] and number not in keyed:
                yield number

    def is_kept_apart(self, number: int) -> bool:
        """Spare and backup strips, and those out of service: their missing routing is no finding.

        A tag spare means nothing once something reaches the strip.
        """
        piece = self.graph.strips[number]
        if not piece.tags:
            return not piece.in_service
        is_spare = "spare" in piece.tags and not self.could_sound.fed[number]
        return not piece.in_service or is_spare or "backup" in piece.tags

    @cached_property
    def has_ends(self) -> bool:
        """Return whether the template has an output, a print or a stem at all."""
        by_kind = self.graph.by_kind
        return bool(by_kind["output"] or by_kind["print"] or self.template.stems)

    @cached_property
    def unrouted(self) -> frozenset[int]:
        """Sources and sums in service that no route of any kind leaves; triggers are looked at by themselves."""
        graph = self.graph
        left = graph.leaving_strips.union(graph.by_tag["trigger"], graph.stems_at)
        return frozenset(n for n in range(len(graph.strips)) if n not in left and self._is_meant_to_lead(n))

    def _is_meant_to_lead(self, number: int) -> bool:
        """Return whether its sound should go somewhere: of a source, a channel that passes its input, a sum."""
        graph, kind = self.graph, self.graph.strips[number].kind
        sounds = graph.is_source[number] or kind in SUMS or (graph.passes_input[number] and kind == "audio")
        return sounds and not self.is_kept_apart(number)

    @cached_property
    def is_begun(self) -> bool:
        """Return whether the routing has only begun: one strip in five leads nowhere yet."""
        most = BEGUN * len(self.unrouted)
        every = range(len(self.graph.strips)) if most else ()
        return most > 0 and len(list(islice(filter(self._is_meant_to_lead, every), most + 1))) <= most

    @cached_property
    def destinations(self) -> Destinations:
        """The usual destinations of strips that lead nowhere."""
        return Destinations(self.graph)

    def may_feed(self, start: int, end: int, outlet: int = NO_OUTLET) -> bool:
        """Return whether a feed may be made, and is not there yet.

        Parameters
        ----------
        start, end
            Positions of two strips.
        outlet
            Outlet of `start` to feed from, NO_OUTLET for its chain.
        """
        graph = self.graph
        strip, destination = graph.strips[start], graph.strips[end]
        may = strip.kind not in NO_START and destination.kind in FED and start != end
        if not may or graph.machine_of(start) != graph.machine_of(end):
            return False
        routes = graph.outs[start] if outlet < 0 else graph.outlet_outs[outlet]
        return not any(graph.head[known] == end and graph.routes[known].kind == "feed" for known in routes)

    def carries(self, route: int) -> bool:
        """Sound leaves by the route now: it is open, and something is at its tap."""
        graph, outlet = self.graph, self.graph.outlet[route]
        if not self.unblocked.route_ok[route]:
            return False
        return self.unblocked.outlet_sounds(outlet) if outlet >= 0 else self.sounds.leaves[graph.tail[route]]

    def strip(self, number: int) -> Strip:
        """The strip at a position."""
        return self.graph.strips[number]

    def name(self, number: int) -> str:
        """The name of the strip at a position."""
        return self.graph.strips[number].name

    def ids(self, numbers: Iterator[int] | list[int] | tuple[int, ...]) -> tuple[str, ...]:
        """Ids of strips by their positions."""
        return tuple(self.graph.strips[number].id for number in numbers)

    def route_ids(self, numbers: list[int] | tuple[int, ...]) -> tuple[str, ...]:
        """Ids of routes by their positions."""
        return tuple(self.graph.routes[number].id for number in numbers)

    def is_assumed(self, strip: int, outlet: int = NO_OUTLET) -> bool:
        """Return whether the level of a source is not stated, and so the usual one is taken for it."""
        piece = self.graph.outlets[outlet][1] if outlet >= 0 else main_outlet(self.graph.strips[strip])
        stated = piece.source if piece is not None else UNSET
        if stated is UNSET and (piece is None or piece is main_outlet(self.graph.strips[strip])):
            stated = self.graph.strips[strip].source
        return stated is UNSET

    def source_name(self, strip: int, outlet: int = NO_OUTLET) -> str:
        """“Glass sampler”, or “Glass sampler 3-4” for one of several outlets."""
        piece = self.graph.strips[strip]
        if len(piece.outlets) < 2:
            return piece.name
        main = main_outlet(piece)
        shown = main if outlet < 0 else self.graph.outlets[outlet][1]
        return f"{piece.name} {shown.name or shown.id}" if shown else piece.name

    def outlet_id(self, strip: int, outlet: int = NO_OUTLET) -> tuple[str, ...]:
        """The outlet as findings name it; nothing for a strip without outlets."""
        piece = self.graph.strips[strip]
        shown = (main_outlet(piece) if outlet < 0 else self.graph.outlets[outlet][1]) if piece.outlets else None
        return (f"{piece.id}/{shown.id}",) if shown else ()

    def assumed_into(self, strip: int) -> tuple[list[str], int]:
        """Names of the sources that reach a strip and have an assumed level, and how many sources reach it."""
        reached = self.unblocked.origins_into(strip) & self._all_sources
        return [self.source_name(*one) for one in self.assumed_sources if one in reached], len(reached)

    def level_words(self, strip: int) -> tuple[str, ...]:
        """Evidence of a level: how many of its sources are assumed, and the cut of a loop."""
        assumed, every = self.assumed_into(strip) if self.rests_on_assumed(strip) else ((), 0)
        words = (f"{len(assumed)} of {every} source{'s' if every > 1 else ''} at an assumed level",) if assumed else ()
        return words + self.cut_words(strip)

    def cut_words(self, strip: int) -> tuple[str, ...]:
        """Evidence beside figures of strips in or after a loop: the cut that the figure leaves out."""
        return ("feedback routes before it are left out",) if strip in self.levels.loop_strips else ()

    def hops(self, path: Path) -> str:
        """The strips of a path as a line: “Bells → Effects → Show mix”."""
        return " → ".join(self.name(strip) for strip in path.strips(self.graph))

    def evidence(self, path: Path) -> tuple[str, ...]:
        """A path and its blocks, in order."""
        return (self.hops(path), *(f"blocked: {blocker.sentence}" for blocker in path.blockers))

    def names(self, numbers: list[int]) -> str:
        """Names in a row, each once; beyond five, how many more."""
        return joined(dict.fromkeys(self.name(number) for number in numbers))
