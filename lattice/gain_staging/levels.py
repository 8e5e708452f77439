"""Levels of a whole template: worst case, likely peak and expected level at every stage, over unblocked routes.

One sweep in the order of the flow. The figures are sums over sources: a strip passes on three numbers a channel, not a
list of sources. Paths are kept separate, by carriers, only if a source can meet itself again (a crush bus beside the
drum bus, a fold-down of channels that share a source); see signal_levels.py.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from copy import copy
from functools import cached_property

from msgspec.structs import replace

from lattice.gain_staging.alternation import Alternation
from lattice.gain_staging.chain import (
    Carriers,
    ChannelFigures,
    InsertFigures,
    Stage,
    compression_db,
    duck_db,
    entering,
    figures,
    level_of,
    post_stage,
    pushed_db,
    shown_db,
    stages,
)
from lattice.gain_staging.coherence import CoherenceMap
from lattice.gain_staging.gains import insert_layouts, route_matrices
from lattice.gain_staging.plain import MOST_AMPLITUDE, IndependentSource, chain_source, peak_at, play_plain
from lattice.gain_staging.signal_levels import SignalLevels
from lattice.graph.loops import LoopGraph
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import IN, POST, SignalGraph
from lattice.model.document import USUAL_SOURCE, Insert, Source, source_of
from lattice.model.insert_types import OPENING
from lattice.model.layouts import Matrix, channel_count, channel_to_channel
from lattice.model.units import gain

SHUT_DB = -math.inf  # the gain of a gate that nothing opens


class Stages:
    """Per strip its stages from `in` to `pre`: set, or built from its plain source on first use."""

    def __init__(self, graph: SignalGraph, sources: dict[int, IndependentSource], carriers: Carriers) -> None:
        self._graph, self._sources, self._carriers = graph, sources, carriers
        self._made: dict[int, list[Stage]] = {}

    def __getitem__(self, number: int) -> list[Stage]:
        if number not in self._made:
            self._made[number] = self._of_source(number)
        return self._made[number]

    def __setitem__(self, number: int, value: list[Stage]) -> None:
        self._made[number] = value

    def __len__(self) -> int:
        return len(self._graph.strips)

    def __iter__(self) -> Iterator[list[Stage]]:
        return (self[number] for number in range(len(self)))

    def _of_source(self, number: int) -> list[Stage]:
        plain = self._sources.get(number)
        if plain is None:
            return []
        strip = self._graph.strips[number]
        sound = SignalLevels.of_source(channel_count(strip.layout), plain.peak, plain.rms)
        return stages(strip, sound, self._carriers)


class Posts:
    """Per strip the stage behind its fader; None where no sound is or nothing passes."""

    def __init__(self, graph: SignalGraph, before: Stages) -> None:
        self._graph, self._before = graph, before
        self._made: dict[int, Stage | None] = {}

    def __getitem__(self, number: int) -> Stage | None:
        if number not in self._made:
            found, strip = self._before[number], self._graph.strips[number]
            layout = self._graph.chain_layout[number]
            self._made[number] = post_stage(strip, layout, found[-1]) if found else None
        return self._made[number]


class Levels:
    """Worst case, likely peak and expected level at every stage of a template, over unblocked routes.

    Parameters
    ----------
    reach
        Reach over unblocked routes.
    loops
        The order of the flow, and the cut that opens loops: their feedback is left out.
    assumed
        The level of sources that state none.
    like
        Levels of the same graph at another assumed level, whose preparations are shared.

    Attributes
    ----------
    stages : Stages
        By strip, its stages from `in` to `pre`; empty where no sound is.
    post : Posts
        By strip, the stage behind its fader; None where nothing passes.

    Notes
    -----
    Formulas: docs/reference/checks.md, *Levels*. O(strips + routes) if no source meets itself; otherwise also the
    carriers that reach each strip.
    """

    def __init__(
        self, reach: Reach, loops: LoopGraph, assumed: Source = USUAL_SOURCE, like: Levels | None = None
    ) -> None:
        self.assumed = assumed
        self.reach, self.loops, self.order = reach, loops, loops.order
        self.graph: SignalGraph = reach.graph
        self.cut = loops.feedback
        self.carriers: Carriers = {}
        self.coherence_map: CoherenceMap = like.coherence_map if like else CoherenceMap(reach, loops)
        self.alternation: Alternation = like.alternation if like else Alternation(self.graph)
        self.matrices: list[Matrix | None] = like.matrices if like else route_matrices(self.graph)
        count = len(self.graph.strips)
        self.sources: dict[int, IndependentSource] = {}
        self.stages = Stages(self.graph, self.sources, self.carriers)
        self.post = Posts(self.graph, self.stages)
        self.at_key: dict[int, SignalLevels] = {}  # node of a keyed insert → the sum of its keys
        self.outlet_stages: list[Stage | None] = [None] * len(self.graph.outlets)
        self.arriving: list[SignalLevels | None] = [None] * count
        self._keys_of = self.graph.keys_from
        self._run()

    def _run(self) -> None:
        for outlet in range(len(self.graph.outlets)):
            if self.reach.outlet_sounds(outlet):
                self._play_outlet(outlet)
        self.sources.update(play_plain(self, self.coherence_map.plain))
        sounds, arriving, count = self.reach.sounds, self.arriving, len(self.graph.strips)
        for node in self.order:
            if node < count and (arriving[node] is not None or (sounds[node] and node not in self.sources)):
                self._strip(node)
        for sound in self.at_key.values():
            sound.settle(self.carriers)

    def _play_outlet(self, outlet: int) -> None:
        strip_number, outlet_played = self.graph.outlets[outlet]
        source = source_of(self.graph.strips[strip_number], outlet_played, self.assumed)
        if source is None:
            return
        coherent = self.coherence_map.outlet_matters[outlet]
        sound = SignalLevels.silent(channel_count(outlet_played.layout), coherent=coherent)
        sound.add_source(gain(source.peak_dbfs), gain(source.rms_dbfs))
        if coherent:
            sound.carry(len(self.graph.strips) + len(self.loops.insert_strips) + outlet, self.carriers)
        if outlet in self.alternation.of_outlet:
            sound.enter(self.alternation.of_outlet[outlet], self.alternation)
            sound.settle(self.carriers)
        stage = Stage(sound)
        self.outlet_stages[outlet] = stage
        self._send(self.graph.outlet_outs[outlet], [stage], stage)
        for route in self._keys_of.get(strip_number, ()):
            if self.graph.outlet[route] == outlet:
                self._send_key(route, stage)

    def _strip(self, strip_number: int) -> None:
        graph, strip = self.graph, self.graph.strips[strip_number]
        arrived, self.arriving[strip_number] = self.arriving[strip_number], None
        sound = self._with_source(strip_number, arrived)
        if sound is None:
            return
        if strip_number in self.alternation.of_strip:
            sound.enter(self.alternation.of_strip[strip_number], self.alternation)
        if sound.turns is not None:
            sound.settle(self.carriers)
        if max(sound.p) > MOST_AMPLITUDE:
            held = [MOST_AMPLITUDE / max(sound.p)] * len(sound.p)
            sound = sound.scaled((held, held, held))
        if sound.is_coherent:
            sound.settle(self.carriers)
            if strip.invert:
                sound.turn()
            if self.coherence_map.branches[strip_number]:
                sound.carry(strip_number, self.carriers)
        strip_stages = self.stages[strip_number] = stages(strip, sound, self.carriers)
        post = self.post[strip_number]
        if not self.reach.passes_on(strip_number):
            return
        self._send(graph.outs[strip_number], strip_stages, post)
        for route in self._keys_of.get(strip_number, ()) if self._keys_of else ():
            stage = graph.stage[route]
            at = post if stage == POST else strip_stages[0] if stage == IN else strip_stages[-1]
            if at is not None and graph.outlet[route] < 0:
                self._send_key(route, at)

    def _with_source(self, strip_number: int, arrived: SignalLevels | None) -> SignalLevels | None:
        """The strip's own source on top of its inputs."""
        strip, coherent = self.graph.strips[strip_number], self.coherence_map.wanted[strip_number]
        source = chain_source(strip, self.assumed) if self.reach.sounds[strip_number] else None
        if source is None:
            return arrived
        peak, rms, channels = gain(source.peak_dbfs), gain(source.rms_dbfs), channel_count(strip.layout)
        if arrived is None and not coherent:
            return SignalLevels.of_source(channels, peak, rms)
        sound = arrived or SignalLevels.silent(channels, coherent=coherent)
        sound.add_source(peak, rms)
        return sound

    def into(self, route: int) -> SignalLevels:
        """The sum so far at the end of a route."""
        head = self.graph.head[route]
        arrived = self.arriving[head]
        if arrived is None:
            channels = channel_count(self.graph.strips[head].layout)
            arrived = self.arriving[head] = SignalLevels.silent(channels, coherent=self.coherence_map.wanted[head])
        return arrived

    def goes(self, route: int) -> bool:
        """An audio route with signal at its tap."""
        return self.reach.route_ok[route] and route not in self.cut and self.reach.entered[self.graph.head[route]]

    def _send(self, routes: list[int], strip_stages: list[Stage], post: Stage | None) -> None:
        """The contributions of a strip's stages (or an outlet's only one) to the destinations of its routes."""
        graph, stage_of = self.graph, self.graph.stage
        for route in routes:
            if not self.goes(route):
                continue
            stage = stage_of[route]
            at = post if stage == POST else strip_stages[-1] if stage else strip_stages[0]
            gain_db = graph.routes[route].gain_db
            if at is None or gain_db is None:
                continue
            sound, peak_gain, likely_gain, rms_gain = at
            arrived = self.into(route)
            matrix = self.matrices[route]
            if gain_db:
                level = gain(gain_db)
                arrived.add(sound, matrix, peak_gain * level, likely_gain * level, rms_gain * level)
            else:
                arrived.add(sound, matrix, peak_gain, likely_gain, rms_gain)

    def _send_key(self, route: int, stage: Stage) -> None:
        """The signal of a key for its insert, channel n on channel n."""
        graph = self.graph
        if not self.reach.route_ok[route] or route in self.cut:
            return
        node = self.loops.insert_nodes[graph.key_node[route][1]]
        if node not in self.at_key:
            channels = self.key_channels(graph.head[route], self.loops.place[node])
            self.at_key[node] = SignalLevels.silent(channels, coherent=self.coherence_map.wanted[node])
        level = gain(graph.routes[route].gain_db)
        sound, peak_gain, likely_gain, rms_gain = stage
        channels = len(self.at_key[node].p)
        self.at_key[node].add(
            sound, channel_to_channel(channels, len(sound.p)), peak_gain * level, likely_gain * level, rms_gain * level
        )

    def key_channels(self, number: int, place: int) -> int:
        """Channels of the insert at a place of a chain."""
        strip = self.graph.strips[number]
        layout = strip.layout
        for insert in strip.inserts[:place]:
            layout = insert_layouts(insert, layout)[1]
        return channel_count(insert_layouts(strip.inserts[place], layout)[0])

    # requested part

    def sounds(self, number: int) -> bool:
        """Some channel of the strip's `in` carries sound."""
        found = self.stages[number]
        return bool(found) and any(p > 0 for p in found[0].levels.p)

    def at(self, number: int, stage: int) -> Stage | None:
        """The stage of a strip at a tap.

        Parameters
        ----------
        number
            Position of the strip.
        stage
            IN, PRE or POST.

        Returns
        -------
        Stage or None
            None where no sound is.
        """
        found = self.stages[number]
        if not found:
            return None
        return self.post[number] if stage == POST else found[0] if stage == IN else found[-1]

    def at_route(self, route: int) -> Stage | None:
        """Where a route leaves, its own gain not yet taken."""
        outlet = self.graph.outlet[route]
        if outlet >= 0:
            return self.outlet_stages[outlet]
        return self.at(self.graph.tail[route], self.graph.stage[route])

    def outlet_figures(self, outlet: int) -> ChannelFigures | None:
        """Of an outlet beyond the main one; None where it does not play."""
        stage = self.outlet_stages[outlet]
        return figures(stage) if stage is not None else None

    def passes(self, route: int) -> bool:
        """The origin of an open route has signal; automation may have it at off."""
        return self.goes(route) and self.at_route(route) is not None

    def brings(self, route: int) -> bool:
        """Some sound comes by a route, as its gain is now."""
        return self.graph.routes[route].gain_db is not None and self.passes(route)

    def at_end(self, number: int) -> Stage | None:
        """The final stage of a strip: the recorded stage of a print, the post-fader stage of any other."""
        strip, found = self.graph.strips[number], self.stages[number]
        if strip.kind != "print":
            return self.post[number]
        return found[0 if strip.records == "in" else -1] if found else None

    def brought(self, route: int) -> Stage | None:
        """The contribution of a route to its destination: a stage in that strip's layout."""
        stage = self.at_route(route)
        if stage is None or not self.goes(route):
            return None
        sound, peak_gain, likely_gain, rms_gain = stage
        level = gain(self.graph.routes[route].gain_db)
        brought = SignalLevels.silent(channel_count(self.graph.strips[self.graph.head[route]].layout))
        brought.add(sound, self.matrices[route], peak_gain * level, likely_gain * level, rms_gain * level)
        brought.settle(self.carriers)
        return Stage(brought)

    def insert_figures(self, strip_number: int, place: int) -> InsertFigures:
        """An insert's figures; the strip must sound."""
        strip, strip_stages = self.graph.strips[strip_number], self.stages[strip_number]
        insert, before = strip.inserts[place], entering(strip, strip_stages, place, self.carriers)
        ducked, ducked_peak = self.ducking(insert)
        return InsertFigures(
            behind=figures(strip_stages[place + 1]),
            reduction_db=compression_db(insert, level_of(before.levels.e2, before.rms_gain)),
            pushed_db=pushed_db(insert, before),
            duck_db=ducked,
            duck_peak_db=ducked_peak,
        )

    def ducking(self, insert: Insert) -> tuple[float | None, float | None]:
        """(duck_db by the key's E, duck_peak_db by its P) of an insert keyed from outside."""
        key = self._at_working_key(insert)
        expected = level_of(key.e2, 1.0) if key else float("-inf")
        peak = level_of([p * p for p in key.p], 1.0) if key else float("-inf")
        return duck_db(insert, expected), duck_db(insert, peak)

    def key_peak_db(self, insert: Insert) -> float | None:
        """The worst-case peak of all keys of an insert, loudest channel; None for silence."""
        key = self._at_working_key(insert)
        return shown_db(max(p * p for p in key.p)) if key else None

    def key_level_db(self, insert: Insert) -> float | None:
        """The expected level of all keys of an insert, loudest channel; None for silence."""
        key = self._at_working_key(insert)
        return shown_db(max(key.e2)) if key else None

    def _at_working_key(self, insert: Insert) -> SignalLevels | None:
        """The sum of an insert's keys; one that passes a gate that nothing opens is silent."""
        levels = self._with_shut_gates if self.at_key and self.shut_gates else self
        return levels.at_key.get(self.loops.insert_nodes.get(insert.id, -1))

    @cached_property
    def shut_gates(self) -> dict[tuple[int, int], float]:
        """(strip, place in its chain) of gates and expanders that nothing opens → the peak at their input, dBFS."""
        found = {}
        strips = self.graph.strips
        places = list(self.graph.places_of(sorted(OPENING)))
        highest = gain(max((strips[n].inserts[place].threshold_db or 0.0 for n, place in places), default=0.0))
        for strip_number, place in places:
            plain = self.sources.get(strip_number)
            if plain and plain.low_e >= highest and plain.peak >= plain.rms:
                continue  # P is nowhere below E
            insert = strips[strip_number].inserts[place]
            if insert.state != "on" or insert.key == "external" or insert.threshold_db is None:
                continue
            peak = self.peak_entering(strip_number, place)
            if 0.0 < peak < gain(insert.threshold_db):
                found[strip_number, place] = shown_db(peak * peak) or 0.0
        return found

    def peak_entering(self, strip_number: int, place: int) -> float:
        """The worst-case peak at the input of an insert, loudest channel, linear; −1 where no source reaches it."""
        strip, plain = self.graph.strips[strip_number], self.sources.get(strip_number)
        if plain:
            return peak_at(strip, plain, place)
        stages_there = self.stages[strip_number]
        if not stages_there:
            return -1.0
        sound, peak_gain, *_others = entering(strip, stages_there, place, self.carriers)
        return max(sound.p) * peak_gain

    @cached_property
    def _with_shut_gates(self) -> Levels:
        """The levels with gates that nothing opens silent."""
        shut = {self.graph.strips[n].inserts[place].id for n, place in self.shut_gates}
        strips = [
            replace(
                strip,
                inserts=tuple(
                    replace(one, gain_db=SHUT_DB, wet=1.0) if one.id in shut else one for one in strip.inserts
                ),
            )
            if number in {n for n, _place in self.shut_gates}
            else strip
            for number, strip in enumerate(self.graph.strips)
        ]
        reach = copy(self.reach)
        reach.graph = self.graph.with_levels_of(replace(self.graph.template, strips=tuple(strips)))
        return Levels(reach, self.loops, self.assumed, self)

    @cached_property
    def loop_strips(self) -> frozenset[int]:
        """Strips in or after a group that the cut opens: their figures leave its feedback out."""
        graph = self.graph
        if not self.cut:
            return frozenset()
        starts = {graph.head[route] for route in self.cut}
        forward = self.reach.forward(starts)
        return frozenset(n for n in range(len(graph.strips)) if n in starts or forward.fed[n])


def strip_figures(levels: Levels, number: int) -> dict[str, ChannelFigures]:
    """Figures of a strip at `in`, `pre` and `post`; a stage that nothing passes is silent.

    The strip has to sound (`Levels.sounds`).
    """
    found = levels.stages[number]
    post = levels.post[number]
    silent = ChannelFigures(*((None,) * channel_count(levels.graph.chain_layout[number]) for _ in range(3)))
    return {"in": figures(found[0]), "pre": figures(found[-1]), "post": figures(post) if post else silent}
