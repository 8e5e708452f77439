"""Levels of a whole template: worst case, likely peak and expected level at every stage, over unblocked routes.

One sweep in the order of the flow. The figures are sums over sources, and sums of sums: a strip passes on three
numbers a channel, not a list of what is in it. Only where a source can meet itself again (a crush bus beside the
drum bus, a fold-down of channels that share a source) are its ways told apart, by carriers (see sound.py).
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

from lattice.graph.compiled import IN, POST, Compiled
from lattice.graph.loops import LoopGraph
from lattice.graph.reach import Reach
from lattice.levels.chain import (
    Carriers,
    Figures,
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
from lattice.levels.coherence import Meetings
from lattice.levels.gains import insert_layouts, route_matrices
from lattice.levels.plain import MOST_AMPLITUDE, PlainSource, chain_source, play_plain
from lattice.levels.sound import Sound
from lattice.model.document import Insert, source_of
from lattice.model.layouts import channel_count, channel_to_channel
from lattice.model.units import gain


class Stages:
    """Per strip its stages from `in` to `pre`: set, or made from its plain source when first asked for."""

    def __init__(self, compiled: Compiled, sources: dict[int, PlainSource], carriers: Carriers) -> None:
        self._compiled, self._sources, self._carriers = compiled, sources, carriers
        self._made: dict[int, list[Stage]] = {}

    def __getitem__(self, number: int) -> list[Stage]:
        if number not in self._made:
            self._made[number] = self._of_source(number)
        return self._made[number]

    def __setitem__(self, number: int, value: list[Stage]) -> None:
        self._made[number] = value

    def __len__(self) -> int:
        return len(self._compiled.strips)

    def __iter__(self) -> Iterator[list[Stage]]:
        return (self[number] for number in range(len(self)))

    def _of_source(self, number: int) -> list[Stage]:
        plain = self._sources.get(number)
        if plain is None:
            return []
        strip = self._compiled.strips[number]
        sound = Sound.of_source(channel_count(strip.layout), plain.peak, plain.rms)
        return stages(strip, sound, self._carriers)


class Posts:
    """Per strip the stage behind its fader; None where no sound is or nothing passes."""

    def __init__(self, compiled: Compiled, before: Stages) -> None:
        self._compiled, self._before = compiled, before
        self._made: dict[int, Stage | None] = {}

    def __getitem__(self, number: int) -> Stage | None:
        if number not in self._made:
            found, strip = self._before[number], self._compiled.strips[number]
            layout = self._compiled.chain_layout[number]
            self._made[number] = post_stage(strip, layout, found[-1]) if found else None
        return self._made[number]


class Levels:
    """Levels by strip number, computed in the order of the flow.

    `stages[strip]`: stages from `in` to `pre`, empty where no sound is; `post[strip]`: None where nothing passes.
    O(strips + routes) where no source meets itself; beyond that, for each strip what carriers reach it.
    """

    def __init__(self, reach: Reach, loops: LoopGraph) -> None:
        self.reach, self.loops, self.order = reach, loops, loops.order
        self.compiled: Compiled = reach.compiled
        self.cut = loops.feedback
        self.carriers: Carriers = {}
        self.meetings = Meetings(reach, loops)
        self.matrices = route_matrices(self.compiled)
        count = len(self.compiled.strips)
        self.sources: dict[int, PlainSource] = {}
        self.stages = Stages(self.compiled, self.sources, self.carriers)
        self.post = Posts(self.compiled, self.stages)
        self.at_key: dict[int, Sound] = {}  # node of a keyed insert → what its keys bring
        self.outlet_stages: list[Stage | None] = [None] * len(self.compiled.outlets)
        self.arriving: list[Sound | None] = [None] * count
        self._keys_of = self.compiled.keys_from
        self._run()

    def _run(self) -> None:
        for outlet in range(len(self.compiled.outlets)):
            if self.reach.outlet_sounds(outlet):
                self._play_outlet(outlet)
        self.sources.update(play_plain(self, self.meetings.plain))
        sounds, arriving, count = self.reach.sounds, self.arriving, len(self.compiled.strips)
        for node in self.order:
            if node < count and (arriving[node] is not None or (sounds[node] and node not in self.sources)):
                self._strip(node)
        for sound in self.at_key.values():
            sound.settle(self.carriers)

    def _play_outlet(self, outlet: int) -> None:
        number, piece = self.compiled.outlets[outlet]
        source = source_of(self.compiled.strips[number], piece)
        if source is None:
            return
        coherent = self.meetings.outlet_matters[outlet]
        sound = Sound.silent(channel_count(piece.layout), coherent=coherent)
        sound.add_source(gain(source.peak_dbfs), gain(source.rms_dbfs))
        if coherent:
            sound.carry(len(self.compiled.strips) + len(self.loops.insert_strips) + outlet, self.carriers)
        stage = (sound, 1.0, 1.0, 1.0)
        self.outlet_stages[outlet] = stage
        self._send(self.compiled.outlet_outs[outlet], [stage], stage)
        for route in self._keys_of.get(number, ()):
            if self.compiled.outlet[route] == outlet:
                self._send_key(route, stage)

    def _strip(self, number: int) -> None:
        compiled, strip = self.compiled, self.compiled.strips[number]
        sound, self.arriving[number] = self.arriving[number], None
        if self.reach.sounds[number]:
            source = chain_source(strip)
            if source is not None:
                peak, rms = gain(source.peak_dbfs), gain(source.rms_dbfs)
                if sound is None and not self.meetings.wanted[number]:
                    sound = Sound.of_source(channel_count(strip.layout), peak, rms)
                else:
                    sound = sound or Sound.silent(channel_count(strip.layout), coherent=self.meetings.wanted[number])
                    sound.add_source(peak, rms)
        if sound is None:
            return
        if max(sound.p) > MOST_AMPLITUDE:
            held = [MOST_AMPLITUDE / max(sound.p)] * len(sound.p)
            sound = sound.scaled((held, held, held))
        if sound.coherence is not None:
            sound.settle(self.carriers)
            if strip.invert:
                sound.turn()
            if self.meetings.branches[number]:
                sound.carry(number, self.carriers)
        found = self.stages[number] = stages(strip, sound, self.carriers)
        post = self.post[number]
        if not self.reach.passes_on(number):
            return
        self._send(compiled.outs[number], found, post)
        for route in self._keys_of.get(number, ()) if self._keys_of else ():
            stage = compiled.stage[route]
            at = post if stage == POST else found[0] if stage == IN else found[-1]
            if at is not None and compiled.outlet[route] < 0:
                self._send_key(route, at)

    def into(self, route: int) -> Sound:
        """What has arrived so far where a route ends."""
        head = self.compiled.head[route]
        arrived = self.arriving[head]
        if arrived is None:
            channels = channel_count(self.compiled.strips[head].layout)
            arrived = self.arriving[head] = Sound.silent(channels, coherent=self.meetings.wanted[head])
        return arrived

    def goes(self, route: int) -> bool:
        """An audio route that brings what is at its tap."""
        return self.reach.route_ok[route] and route not in self.cut and self.reach.entered[self.compiled.head[route]]

    def _send(self, routes: list[int], found: list[Stage], post: Stage | None) -> None:
        """What routes bring from a strip's stages (or an outlet's only one) to the strips they end at."""
        compiled, stage_of = self.compiled, self.compiled.stage
        for route in routes:
            if not self.goes(route):
                continue
            stage = stage_of[route]
            at = post if stage == POST else found[-1] if stage else found[0]
            gain_db = compiled.routes[route].gain_db
            if at is None or gain_db is None:
                continue
            sound, by_p, by_q, by_e = at
            arrived = self.into(route)
            matrix = self.matrices[route]
            if gain_db:
                level = gain(gain_db)
                arrived.add(sound, matrix, by_p * level, by_q * level, by_e * level)
            else:
                arrived.add(sound, matrix, by_p, by_q, by_e)

    def _send_key(self, route: int, stage: Stage) -> None:
        """What a key brings to its insert, channel n on channel n."""
        compiled = self.compiled
        if not self.reach.route_ok[route] or route in self.cut:
            return
        node = self.loops.insert_nodes[compiled.key_node[route][1]]
        if node not in self.at_key:
            channels = self.key_channels(compiled.head[route], self.loops.place[node])
            self.at_key[node] = Sound.silent(channels, coherent=self.meetings.wanted[node])
        level = gain(compiled.routes[route].gain_db)
        sound, by_p, by_q, by_e = stage
        channels = len(self.at_key[node].p)
        self.at_key[node].add(
            sound, channel_to_channel(channels, len(sound.p)), by_p * level, by_q * level, by_e * level
        )

    def key_channels(self, number: int, place: int) -> int:
        """Channels of the insert at a place of a chain."""
        strip = self.compiled.strips[number]
        layout = strip.layout
        for insert in strip.inserts[:place]:
            layout = insert_layouts(insert, layout)[1]
        return channel_count(insert_layouts(strip.inserts[place], layout)[0])

    # what is asked for

    def sounds(self, number: int) -> bool:
        """Some channel of the strip's `in` carries sound."""
        found = self.stages[number]
        return bool(found) and any(p > 0 for p in found[0][0].p)

    def at(self, number: int, stage: int) -> Stage | None:
        """The stage of a tap: IN, PRE or POST; None where no sound is."""
        found = self.stages[number]
        if not found:
            return None
        return self.post[number] if stage == POST else found[0] if stage == IN else found[-1]

    def at_route(self, route: int) -> Stage | None:
        """Where a route leaves, its own gain not yet taken."""
        outlet = self.compiled.outlet[route]
        if outlet >= 0:
            return self.outlet_stages[outlet]
        return self.at(self.compiled.tail[route], self.compiled.stage[route])

    def outlet_figures(self, outlet: int) -> Figures | None:
        """Of an outlet beyond the main one; None where it does not play."""
        stage = self.outlet_stages[outlet]
        return figures(stage) if stage is not None else None

    def passes(self, route: int) -> bool:
        """Some sound stands where an open route leaves; one that is ridden may rest at off."""
        return self.goes(route) and self.at_route(route) is not None

    def brings(self, route: int) -> bool:
        """Some sound comes by a route, as its gain is now."""
        return self.compiled.routes[route].gain_db is not None and self.passes(route)

    def at_end(self, number: int) -> Stage | None:
        """What a strip gives in the end: a print the stage it records, any other what is behind its fader."""
        strip, found = self.compiled.strips[number], self.stages[number]
        if strip.kind != "print":
            return self.post[number]
        return found[0 if strip.records == "in" else -1] if found else None

    def brought(self, route: int) -> Stage | None:
        """What a route brings to the strip it ends at: a stage in that strip's layout."""
        stage = self.at_route(route)
        if stage is None or not self.goes(route):
            return None
        sound, by_p, by_q, by_e = stage
        level = gain(self.compiled.routes[route].gain_db)
        brought = Sound.silent(channel_count(self.compiled.strips[self.compiled.head[route]].layout))
        brought.add(sound, self.matrices[route], by_p * level, by_q * level, by_e * level)
        return brought, 1.0, 1.0, 1.0

    def insert_figures(self, number: int, place: int) -> InsertFigures:
        """An insert's figures; the strip must sound."""
        strip, found = self.compiled.strips[number], self.stages[number]
        insert, before = strip.inserts[place], entering(strip, found, place, self.carriers)
        ducked, ducked_peak = self.ducking(insert)
        return InsertFigures(
            behind=figures(found[place + 1]),
            reduction_db=compression_db(insert, level_of(before[0].e2, before[3])),
            pushed_db=pushed_db(insert, before),
            duck_db=ducked,
            duck_peak_db=ducked_peak,
        )

    def ducking(self, insert: Insert) -> tuple[float | None, float | None]:
        """(duck_db by the key's E, duck_peak_db by its P) of an insert keyed from outside."""
        key = self.at_key.get(self.loops.insert_nodes.get(insert.id, -1))
        expected = level_of(key.e2, 1.0) if key else float("-inf")
        peak = level_of([p * p for p in key.p], 1.0) if key else float("-inf")
        return duck_db(insert, expected), duck_db(insert, peak)

    def key_peak_db(self, insert: Insert) -> float | None:
        """The worst-case peak of what the keys of an insert bring, loudest channel; None for silence."""
        key = self.at_key.get(self.loops.insert_nodes.get(insert.id, -1))
        return shown_db(max(p * p for p in key.p)) if key else None

    @cached_property
    def loop_strips(self) -> frozenset[int]:
        """Strips in or after a group that the cut opens: their figures leave its feedback out."""
        compiled = self.compiled
        if not self.cut:
            return frozenset()
        starts = {compiled.head[route] for route in self.cut}
        forward = self.reach.forward(starts)
        return frozenset(n for n in range(len(compiled.strips)) if n in starts or forward.fed[n])


def strip_figures(levels: Levels, number: int) -> dict[str, Figures]:
    """Figures at in, pre and post; a stage that nothing passes is silent."""
    found = levels.stages[number]
    post = levels.post[number]
    silent = Figures(*((None,) * channel_count(levels.compiled.chain_layout[number]) for _ in range(3)))
    return {"in": figures(found[0]), "pre": figures(found[-1]), "post": figures(post) if post else silent}
