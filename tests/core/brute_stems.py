"""Stems and rules read off the explicit stage graph of `brute`, source by source: an oracle for small templates."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import networkx as nx

from lattice.model.document import Rule, Stem, Strip, Template
from tests.core.brute import STAGE, Stages

Source = tuple[str, str | None]
KEPT_OUT = {"click", "reference", "guide", "talkback"}


class StemReading:
    """The reach of sources, one search each."""

    def __init__(self, template: Template) -> None:
        self.template, self.stages = template, Stages(template)
        self.open: nx.DiGraph = self.stages.open
        self.sources: list[Source] = self.stages.sources()
        self.tags = {strip.id: set(strip.tags) for strip in template.strips}
        self.feeds_only = self._without_sends()
        self.stems = [stem for stem in template.stems if stem.strip is not None]

    def _without_sends(self) -> nx.DiGraph:
        class Straight(Stages):
            def _route(self, route: Any) -> None:
                if route.kind != "send":
                    super()._route(route)

        return Straight(self.template).open

    def start(self, source: Source) -> tuple[str, str]:
        return (source[0], "source" if source[1] is None else f"source {source[1]}")

    def reached(self, graph: nx.DiGraph, source: Source) -> set:
        start = self.start(source)
        return nx.descendants(graph, start) if start in graph else set()

    def tap(self, stem: Stem) -> set:
        return {(stem.strip, f"{STAGE[stem.tap]} {sound}") for sound in ("fed", "own")}

    def of(
        self, source: Source, role: str = "stem", set_name: str | None = None, graph: nx.DiGraph | None = None
    ) -> list[Stem]:
        there = self.reached(self.open if graph is None else graph, source)
        return [
            stem
            for stem in self.stems
            if stem.role == role and set_name in (None, stem.set) and there & self.tap(stem)
        ]  # fmt: skip

    def sets(self) -> list[str]:
        """Sets with stems."""
        return list(dict.fromkeys(stem.set for stem in self.stems if stem.role == "stem"))

    # one answer a check: the subjects of findings, as comparable values

    def missing(self) -> set:
        return {
            (source, tuple(m.id for m in mixes))
            for name in self.sets()
            for source in self.sources
            if not (KEPT_OUT | {"pop"}) & self.tags[source[0]]
            and (mixes := self.of(source, "mix", name))
            and not self.of(source, "stem", name)
        }  # fmt: skip

    def bypassed(self) -> set:
        found = set()
        for name in self.sets():
            graph = self.open.copy()
            graph.remove_nodes_from(
                {node for stem in self.stems if stem.role == "stem" and stem.set == name for node in self.tap(stem)}
            )
            for source in self.sources:
                mixes = self.of(source, "mix", name, graph)
                if mixes and not (KEPT_OUT | {"pop"}) & self.tags[source[0]]:
                    found.add((source, tuple(mix.id for mix in mixes)))
        return found

    def twice(self) -> set:
        return {
            (source, tuple(stem.id for stem in stems))
            for name in self.sets()
            for source in self.sources
            if "pop" not in self.tags[source[0]]
            and len(stems := self.of(source, "stem", name, self.feeds_only)) > 1
        }  # fmt: skip

    def forbidden(self) -> set:
        found = set()
        for source in self.sources:
            there = {stem.id for role in ("stem", "mix") for stem in self.of(source, role)}
            if KEPT_OUT & self.tags[source[0]] and there:
                found.add((source, tuple(stem.id for stem in self.stems if stem.id in there)))
        return found

    def leaks(self) -> set:
        found = set()
        for strip in self.template.strips:
            arrives = (strip.id, "in fed")
            if strip.kind != "return":
                continue
            onward = nx.descendants(self.open, arrives) | {arrives}
            for stem in self.stems:
                if stem.role != "stem" or stem.returns != "own" or not onward & self.tap(stem):
                    continue
                foreign = {
                    source
                    for source in self.sources
                    if arrives in self.reached(self.open, source)
                    and "pop" not in self.tags[source[0]]
                    and (own := {s.id for s in self.of(source, "stem", stem.set, self.feeds_only)})
                    and stem.id not in own
                }
                if foreign:
                    found.add((strip.id, stem.id, frozenset(source[0] for source in foreign)))
        return found

    def nested(self) -> set:
        found = set()
        everything = set().union(*(self.reached(self.open, source) for source in self.sources), set())
        for at, stem in enumerate(self.stems):
            if stem.role != "stem":
                continue
            here = self.tap(stem) & everything
            onward = set().union(*(nx.descendants(self.open, node) for node in here), set())
            outer = tuple(
                other.id
                for place, other in enumerate(self.stems)
                if other.role == "stem" and other.set == stem.set and place != at
                and (self.tap(other) & onward or (place > at and here & self.tap(other)))
                and not (self.tap(other) == self.tap(stem) and place < at)
            )  # fmt: skip
            if outer:
                found.add((stem.id, outer))
        return found

    def parts(self, composite: Stem) -> set[str]:
        by_id = {stem.id: stem for stem in self.template.stems}
        found, waiting, seen = set(), list(composite.of), {composite.id}
        while waiting:
            part = by_id[waiting.pop()]
            if part.id not in seen:
                seen.add(part.id)
                waiting += part.of if part.role == "composite" else ()
                found |= set() if part.role == "composite" else {part.id}
        return found

    def composites(self) -> set:
        found = set()
        for stem in self.stems:
            if stem.role == "composite" and self._passable(stem):
                parts = [part for part in self.stems if part.id in self.parts(stem)]
                whole = {s for s in self.sources if self.reached(self.open, s) & self.tap(stem)}
                made_of = {s for s in self.sources for part in parts if self.reached(self.open, s) & self.tap(part)}
                if whole != made_of:
                    found.add((stem.id, frozenset(s[0] for s in whole ^ made_of)))
        return found

    def _passable(self, stem: Stem) -> bool:
        """SignalLevels in the strip could reach the tap."""
        strip: Strip = self.stages.by_id[stem.strip or ""]
        return strip.in_service and (stem.tap != "post-fader" or not (strip.mute or strip.fader_db is None))

    def _through(self, nodes: Iterable) -> set:
        there = set(nodes)
        return there.union(*(nx.descendants(self.open, node) for node in there), set())

    def outside_keys(self) -> set:
        """(stem, keyed strips) of those ducked by a strip outside the stem."""
        everything = self._everything()
        found: dict[str, set[str]] = {}
        for strip in self.template.strips:
            for insert in strip.inserts:
                if insert.key != "external" or insert.state != "on" or not strip.in_service:
                    continue
                starts = self._keys_of(insert.id)
                sources = [s for s in self.sources if self.reached(self.open, s) & starts]
                onward = self._through({(strip.id, f"pre {sound}") for sound in ("fed", "own")} & everything)
                for stem in self.template.stems:
                    mine = (
                        [s for s in self.stems if s.id in ({stem.id} | self.parts(stem))]
                        if stem.role == "composite"
                        else [s for s in self.stems if s.id == stem.id]
                    )
                    if stem.role == "mix" or (stem.role == "composite" and not self.parts(stem)):
                        continue
                    taps = set().union(*(self.tap(one) for one in mine), set())
                    outside = [s for s in sources if not self.reached(self.open, s) & taps]
                    if outside and onward & taps:
                        found.setdefault(stem.id, set()).add(strip.id)
        return {(stem, frozenset(strips)) for stem, strips in found.items()}

    def _everything(self) -> set:
        return set().union(*(self.reached(self.open, source) for source in self.sources), set())

    def _keys_of(self, insert: str) -> set:
        """Nodes at which open keys of an insert leave."""
        found = set()
        for route in self.template.routes:
            tail = self.stages.by_id[route.from_strip]
            is_open = route.enabled and (route.gain_db is not None or route.automated)
            if (
                route.kind != "key"
                or route.to_insert != insert
                or not (is_open and self.stages.by_id[route.to].in_service)
            ):
                continue
            if route.from_outlet in {outlet.id for outlet in self.stages.side_outlets(tail)}:
                found.add((tail.id, f"outlet {route.from_outlet}"))
            else:
                found |= {(tail.id, f"{STAGE[route.tap]} own")}
                found |= {(tail.id, f"{STAGE[route.tap]} fed")} if self.stages.monitors(tail) else set()
        return found

    def bent(self) -> set:
        found = set()
        bending = {"compressor", "limiter", "clipper", "gate", "expander", "saturator"}
        everything = self._everything()
        for mix in (stem for stem in self.stems if stem.role == "mix" and stem.set in self.sets()):
            taps = set().union(*(self.tap(s) for s in self.stems if s.role == "stem" and s.set == mix.set), set())
            behind = self._through(taps)
            strips = {
                strip.id
                for strip in self.template.strips
                for sound in ("fed", "own")
                if any(i.state == "on" and i.type in bending for i in strip.inserts)
                and (strip.id, f"in {sound}") in behind & everything
                and self._through({(strip.id, f"pre {sound}")}) & self.tap(mix)
                and self.open.has_edge((strip.id, f"in {sound}"), (strip.id, f"pre {sound}"))
            }
            if strips:
                found.add((mix.id, frozenset(strips)))
        return found


class RuleReading(StemReading):
    """Sources that break a rule, by a search of the stage graph for an offending path."""

    def strips(self, selectors: Iterable[str]) -> set[str]:
        parents = {section.id: section.parent for section in self.template.sections}

        def is_in(strip: Strip, section: str) -> bool:
            at = strip.section
            while at is not None and at != section:
                at = parents[at]
            return at == section

        found: set[str] = set()
        for selector in selectors:
            head, _, value = selector.partition(":")
            for strip in self.template.strips:
                if (
                    head == "*"
                    or (head == "strip" and strip.id == value)
                    or (head == "tag" and value in strip.tags)
                    or (head == "kind" and strip.kind == value)
                    or (head == "section" and is_in(strip, value))
                ):
                    found.add(strip.id)
        return found

    def about(self, rule: Rule, graph: nx.DiGraph) -> list[Source]:
        states = graph is self.open
        found: list[Source] = []
        for strip in self.template.strips:
            if strip.id not in self.strips(rule.sources) or "backup" in strip.tags or (states and not strip.in_service):
                continue
            if graph.has_edge((strip.id, "source"), (strip.id, "in own")):
                found.append((strip.id, None))
            found += [
                (strip.id, outlet.id)
                for outlet in self.stages.side_outlets(strip)
                if graph.has_edge((strip.id, f"source {outlet.id}"), (strip.id, f"outlet {outlet.id}"))
            ]
        return found

    def broken(self, rule: Rule) -> set[Source]:
        through, to = self.strips(rule.through), self.strips(rule.to)
        graph = self.stages.all if rule.kind in ("avoids", "isolated") else self.open
        return {source for source in self.about(rule, graph) if self.offends(rule.kind, source, through, to, graph)}

    def offends(self, kind: str, source: Source, through: set[str], to: set[str], graph: nx.DiGraph) -> bool:
        there, own = self.reached(graph, source), source[0]
        if kind in ("avoids", "isolated"):
            wanted = through if kind == "avoids" else to
            return own not in wanted and any((strip, "in fed") in there for strip in wanted)
        if kind == "reaches":
            return any((strip, "in fed") not in there for strip in to - {own})
        if kind == "passes":
            cut = graph.copy()
            cut.remove_nodes_from([node for node in graph if node[0] in through and node[0] != own])
            left = self.reached(cut, source)
            mine = {own} if source[1] is None else set()  # a loop back to itself is no path to a destination
            return own not in through and any((strip, "in fed") in left for strip in to - through - mine)
        if kind == "pre-fader":
            after = (own, "post own")
            onward = nx.descendants(graph, after) if after in there else set()
            return source[1] is None and any((strip, "in fed") in onward for strip in to)
        ducked = self._ducking(through)
        if kind == "ducked-by":
            cut = graph.copy()
            cut.remove_edges_from([((s, f"in {x}"), (s, f"pre {x}")) for s in ducked for x in ("fed", "own")])
            return any(node[0] == "end" for node in self.reached(cut, source))
        return any(
            (strip, f"pre {x}") in there and any(n[0] == "end" for n in nx.descendants(graph, (strip, f"pre {x}")))
            for strip in ducked
            for x in ("fed", "own")
        )

    def _ducking(self, through: set[str]) -> set[str]:
        starts = {(s, "in own") for s in through if self.stages.by_id[s].in_service}
        for strip in through:
            piece = self.stages.by_id[strip]
            starts |= {
                (strip, f"outlet {o.id}")
                for o in self.stages.side_outlets(piece)
                if o.open and piece.in_service and self.stages.outlet_plays(piece, o)
            }
        there = self._through(starts & set(self.open))
        return {
            strip.id
            for strip in self.template.strips
            for insert in strip.inserts
            if insert.key == "external" and insert.state == "on" and there & self._keys_of(insert.id)
        }
