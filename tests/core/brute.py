"""An obvious, slow reading of docs/reference/model.md and docs/reference/checks.md on an explicit stage graph, as an oracle for small templates.

It shares no code with the core: nodes are (strip, stage), edges are steps of sound, blocked or not.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import networkx as nx

from lattice.model.document import Route, Strip, Template

STAGE = {"pre-insert": "in", "pre-fader": "pre", "post-fader": "post"}
SOURCES = ("audio", "instrument", "input")


@dataclass
class Stages:
    """`open` holds unblocked steps, `all` every step. Fed and own sound differ by stage names."""

    template: Template
    all: nx.DiGraph = field(default_factory=nx.DiGraph)
    open: nx.DiGraph = field(default_factory=nx.DiGraph)

    def __post_init__(self) -> None:
        self.by_id = {strip.id: strip for strip in self.template.strips}
        self.audio = [route for route in self.template.routes if route.kind in ("feed", "send", "tie")]
        self.fed = {route.to for route in self.audio}
        self.tied_in = {route.to for route in self.audio if route.kind == "tie"}
        self.tied_out = {route.from_strip for route in self.audio if route.kind == "tie"}
        for strip in self.template.strips:
            self._chain(strip)
        for route in self.audio:
            self._route(route)
        self._ends()

    def step(self, start: object, end: object, is_open: bool) -> None:
        self.all.add_edge(start, end)
        self.open.add_nodes_from([start, end])
        if is_open:
            self.open.add_edge(start, end)

    def monitors(self, strip: Strip) -> bool:
        is_on = strip.monitor == "always" or (strip.monitor == "when-armed" and strip.armed)
        return strip.kind not in ("audio", "print") or is_on

    def _chain(self, strip: Strip) -> None:
        """`arrive` is behind the routes that end here; `in` sums it with the own source."""
        here, name = strip.in_service, strip.id
        records = here and (strip.kind == "print" or self.monitors(strip))
        self.step((name, "arrive"), (name, "in fed"), records)
        for sound in ("fed", "own"):
            self.step((name, f"in {sound}"), (name, f"pre {sound}"), here)
            lets_on = here and not strip.mute and strip.fader_db is not None
            self.step((name, f"pre {sound}"), (name, f"post {sound}"), lets_on)
        if self.is_source(strip):
            main = next((o for o in strip.outlets if o.main), strip.outlets[0] if strip.outlets else None)
            replaced = strip.kind == "audio" and strip.id in self.fed and self.monitors(strip)
            self.step((name, "source"), (name, "in own"), here and (main is None or main.open) and not replaced)
        for outlet in self.side_outlets(strip):
            if self.outlet_plays(strip, outlet):
                self.step((name, f"source {outlet.id}"), (name, f"outlet {outlet.id}"), here and outlet.open)

    def side_outlets(self, strip: Strip) -> list:
        main = next((o for o in strip.outlets if o.main), strip.outlets[0] if strip.outlets else None)
        return [outlet for outlet in strip.outlets if outlet is not main]

    def outlet_plays(self, strip: Strip, outlet: object) -> bool:
        if "spare" in strip.tags:
            return True
        if "backup" in strip.tags or strip.kind not in SOURCES:
            return False
        return outlet.source is not None and strip.source is not None  # type: ignore[attr-defined]

    def is_source(self, strip: Strip) -> bool:
        if "spare" in strip.tags:
            return strip.kind != "midi"
        plays = strip.kind in SOURCES and strip.source is not None and "backup" not in strip.tags
        return plays and strip.id not in self.tied_in

    def _route(self, route: Route) -> None:
        tail = self.by_id[route.from_strip]
        is_open = route.enabled and (route.gain_db is not None or route.automated) and self.by_id[route.to].in_service
        if route.from_outlet in {outlet.id for outlet in self.side_outlets(tail)}:
            self.step((tail.id, f"outlet {route.from_outlet}"), (route.to, "arrive"), is_open)
            return
        stage = STAGE[route.tap]
        self.step((tail.id, f"{stage} own"), (route.to, "arrive"), is_open)
        self.step((tail.id, f"{stage} fed"), (route.to, "arrive"), is_open and self.monitors(tail))

    def _ends(self) -> None:
        for strip in self.template.strips:
            name = strip.id
            for sound in ("fed", "own"):
                if strip.kind == "print":
                    self.step((name, f"in {sound}"), ("end", name), strip.in_service)
                if strip.kind == "output" and name not in self.tied_out:
                    self.step((name, f"post {sound}"), ("end", name), True)
        for stem in self.template.stems:
            for sound in ("fed", "own"):
                self.step((stem.strip, f"{STAGE[stem.tap]} {sound}"), ("end", stem.strip), True)

    def sources(self) -> list[tuple[str, str | None]]:
        """(strip, outlet) of the sources in the check; the strip's own chain is None."""
        found: list[tuple[str, str | None]] = []
        for strip in self.template.strips:
            if not strip.in_service or {"spare", "backup"} & set(strip.tags):
                continue
            if (strip.id, "source") in self.open and self.open.has_edge((strip.id, "source"), (strip.id, "in own")):
                found.append((strip.id, None))
            for outlet in self.side_outlets(strip):
                if outlet.open and self.outlet_plays(strip, outlet):
                    found.append((strip.id, outlet.id))
        return found

    def reaches_end(self, graph: nx.DiGraph, source: tuple[str, str | None]) -> bool:
        start = (source[0], "source" if source[1] is None else f"source {source[1]}")
        return any(node[0] == "end" for node in nx.descendants(graph, start))

    def reached_from_sources(self, graph: nx.DiGraph) -> set:
        starts = [node for node in graph if str(node[1]).startswith("source")]
        return set().union(*(nx.descendants(graph, start) for start in starts)) if starts else set()


def unheard(template: Template) -> dict[tuple[str, str | None], str]:
    """(strip, outlet) → the code it gets, triggers and outlets without a route left aside."""
    stages = Stages(template)
    found = {}
    for source in stages.sources():
        if not stages.reaches_end(stages.open, source):
            found[source] = "route.blocked" if stages.reaches_end(stages.all, source) else "route.unheard"
    return found


def key_only(template: Template) -> set[str]:
    """Strips whose every route is a key: they work as triggers, tagged or not."""
    kinds: dict[str, set[str]] = {}
    for route in template.routes:
        kinds.setdefault(route.from_strip, set()).add(route.kind)
    return {strip for strip, found in kinds.items() if found == {"key"}}


def starved(template: Template) -> set[str]:
    """Strips that are endpoints, reached with states ignored and silent now."""
    stages = Stages(template)
    could, now = stages.reached_from_sources(stages.all), stages.reached_from_sources(stages.open)
    found = set()
    for strip in template.strips:
        ends = [
            (strip.id, f"{STAGE[stem.tap]} {s}")
            for stem in template.stems
            if stem.strip == strip.id
            for s in ("fed", "own")
        ]
        groups = [ends[at : at + 2] for at in range(0, len(ends), 2)]
        if strip.kind == "print":
            groups.append([(strip.id, "in fed"), (strip.id, "in own")])
        if strip.kind == "output":
            groups.append([(strip.id, "post fed"), (strip.id, "post own")])
        if any(could & set(group) and not now & set(group) for group in groups):
            found.add(strip.id)
    return found


def unfed(template: Template) -> set[str]:
    could = Stages(template)
    reached = could.reached_from_sources(could.all)
    return {
        strip.id
        for strip in template.strips
        if strip.kind in ("bus", "return", "master", "print", "output")
        and "spare" not in strip.tags
        and not {(strip.id, "in fed"), (strip.id, "in own")} & reached
    }


def dead_ends(template: Template) -> set[str]:
    stages = Stages(template)
    graph = stages.all.copy()
    for route in template.routes:
        if route.kind == "key":
            tail = stages.by_id[route.from_strip]
            side = {outlet.id for outlet in stages.side_outlets(tail)}
            names = (
                [f"outlet {route.from_outlet}"]
                if route.from_outlet in side
                else [f"{STAGE[route.tap]} {s}" for s in ("fed", "own")]
            )
            for name in names:
                graph.add_edge((tail.id, name), ("end", "key"))
    reached = stages.reached_from_sources(stages.all)
    found = set()
    for strip in template.strips:
        start = (strip.id, "in fed")
        is_reached_sum = strip.kind in ("bus", "return", "master") and start in reached
        if is_reached_sum and not any(node[0] == "end" for node in nx.descendants(graph, start)):
            found.add(strip.id)
    return found
