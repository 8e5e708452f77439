"""Private stays private: fixes that would lead a source where nothing of its section goes are not offered.

For sections marked private, and for those of which a source already reaches an endpoint, no fix lets one of their
sources newly reach an output, print or stem that no other source of the section reaches. It never forbids the missing
path of a section that reaches nothing; strips of no section are free (docs/reference/causes.md, *Fixes*).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any

import msgspec
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.graph.destinations import Destinations
from lattice.graph.masks import spread
from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.reach import Backward, Reach
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Route, Template
from lattice.model.edit_step import EditStep

# Fixes with a wider intention of the user: deliverables, pairs by name, wiring of all that is open.
EXEMPT_EDITS = frozenset(("wire_up", "deliver", "print_stem", "add_stem", "split_return"))
OPENING_FIELDS = frozenset(("enabled", "gain_db", "mute", "in_service", "fader_db", "monitor", "open", "tap"))
CLOSED: dict[str, object] = {"enabled": False, "mute": True, "in_service": False, "monitor": "never", "open": False}
BRINGING_SOUND = frozenset(("feed", "send", "tie"))
Source = tuple[str, str]  # a strip, and an outlet beyond its main one or ""
FEW_SOURCES = 8  # looked at one by one
MOST_TRIALS = 24  # of one audit: fixes beyond it that may lead out are left out


def keep_private(analysis: Analysis, findings: Iterable[Finding]) -> list[Finding]:
    """The findings without fixes that lead a source of a section where none of its section goes.

    Parameters
    ----------
    analysis
        The analysis they were found on.
    findings
        Findings with all of their fixes.
    """
    found = list(findings)
    if not analysis.template.sections:
        return found
    privacy = Privacy(analysis)
    return [privacy.without(finding) if finding.remedies else finding for finding in found]


class Privacy:
    """The endpoints that each source reaches now, and the fixes that keep to those of its section."""

    def __init__(self, analysis: Analysis) -> None:
        self.analysis, self.graph = analysis, analysis.graph
        self.trials = 0

    def without(self, finding: Finding) -> Finding:
        """A finding without the fixes that lead out; where none is left, it says where the strip could go."""
        kept = self.kept(finding.remedies)
        if len(kept) == len(finding.remedies):
            return finding
        left_out = "; ".join(one.label for one in finding.remedies if one not in kept)
        return replace(finding, remedies=kept, evidence=(*finding.evidence, f"leaves its section: {left_out}"))

    def kept(self, remedies: Sequence[Remedy]) -> tuple[Remedy, ...]:
        """The fixes that let no source newly reach an endpoint of others."""
        return tuple(remedy for remedy in remedies if not self._may_open(remedy) or self._keeps(remedy.steps))

    def _may_open(self, remedy: Remedy) -> bool:
        """Return whether a fix may let sound through that does not pass now."""
        if remedy.kind == "stem" or any(step.edit in EXEMPT_EDITS for step in remedy.steps):
            return False
        return any(self._opens(step) for step in remedy.steps)

    def _opens(self, step: EditStep) -> bool:
        if step.edit == "add_route":
            return step.arguments["route"].get("kind", "feed") in BRINGING_SOUND
        stated = step.arguments.get("changes", {}).items()
        changes = {name: value for name, value in stated if name in OPENING_FIELDS and value is not CLOSED.get(name)}
        if not changes:
            return False
        if step.edit == "change_route" and step.arguments["route"] in self.graph.route_index:
            now: object = self.graph.routes[self.graph.route_index[step.arguments["route"]]]
        elif step.edit == "change_strip":
            now = self.graph.strips[self.graph.index[step.arguments["strip"]]]
        else:
            return True
        levels = [name for name in changes if name.endswith("_db")]
        if any(getattr(now, name) is None and changes[name] is not None for name in levels):
            return True
        return any(changes[name] != getattr(now, name) for name in changes if name not in levels)

    def _keeps(self, steps: Sequence[EditStep]) -> bool:
        if self._has_sibling_there(steps):
            return True
        added = [step.arguments["route"] for step in steps if step.edit == "add_route"]
        starts = {(self.graph.index[one["from"]], one.get("from_outlet", "")) for one in added}
        if len(starts) == 1 and all(step.edit in ("add_route", "remove_routes") for step in steps):
            start, outlet = next(iter(starts))
            ends = [self.graph.index[one["to"]] for one in added]
            number = self.graph.outlet_index.get((start, outlet), NO_OUTLET)
            sources = self._sources_into(start, number)
            if sources is not None:
                gained = self._gained(ends) if self.analysis.unblocked.route_may_pass(start, number) else set()
                return all(self._keeps_source(one, gained) for one in sources)
            if len(ends) == 1:
                return not breaks_privacy(self.now, self.now.with_route(start, number, ends[0]))
        opened = [step.arguments for step in steps if step.edit == "change_outlet"]
        if len(opened) == len(steps) == 1:
            host = self.graph.index[opened[0]["strip"]]
            node = self.graph.outlet_index.get((host, opened[0]["outlet"]), NO_OUTLET)
            if node >= 0:
                heads = [self.graph.head[route] for route in self.graph.outlet_outs[node]]
                return self._keeps_source(Origin(host, node), self._gained(heads))
        self.trials += 1
        if self.trials > MOST_TRIALS:
            return False
        return not breaks_privacy(self.now, self._tried(steps))

    def _sources_into(self, start: int, outlet: int) -> list[Origin] | None:
        """The sources that sound at a new route's start; None for more than a few of them."""
        if outlet >= 0:
            return [Origin(start, outlet)]
        reach = self.analysis.unblocked
        into = reach.origins_into(start) if reach.monitors[start] else {Origin(start)}
        found = [one for one in into if (reach.sounds[one.strip] if one.is_chain else reach.outlet_sounds(one.outlet))]
        return found if len(found) <= FEW_SOURCES else None

    def _keeps_source(self, source: Origin, gained: set[int]) -> bool:
        """Return whether endpoints that a source gains are those of its section: a few sweeps, not one for all."""
        section = self.graph.strips[source.strip].section
        if section is None or not gained:
            return True
        reach = self.analysis.unblocked
        inside = [n for n in self.graph.sources_of_section[section] if reach.sounds[n] and n != source.strip]
        hosts = (n for n in self.graph.by_kind["instrument"] if self.graph.strips[n].section == section)
        outlets = [o for n in hosts for o in self.graph.outlets_of.get(n, ()) if reach.outlet_sounds(o)]
        its = [outlet for outlet in outlets if self.graph.outlets[outlet][0] == source.strip]
        others = self._ends_of(inside, set(outlets) - set(its))
        own = self._ends_of(*(([], [source.outlet]) if source.outlet >= 0 else ([source.strip], [])))
        new = gained - own - others
        if new and (others or self._ends_of([source.strip] if reach.sounds[source.strip] else [], its)):
            return False
        cues = {n for n in new if self.graph.strips[n].kind == "output" and self.analysis.destinations.is_cue(n)}
        return not (self.analysis.sections[section].private and new - cues)

    def _gained(self, ends: Iterable[int]) -> set[int]:
        """Endpoints that sound at the `in` of some strips reaches."""
        gained: set[int] = set()
        for end in ends:
            gained |= self._ends_of([end], ()) if self.analysis.unblocked.monitors[end] else {end} & self._ends
        return gained

    @cached_property
    def _ends(self) -> set[int]:
        reach = self.analysis.unblocked
        return {n for n in self.graph.ends if reach.ends_here(n) and reach.enters(n)}

    def _ends_of(self, strips: Iterable[int], outlets: Iterable[int]) -> set[int]:
        """The endpoints where the sound of some chains and outlets is."""
        arrives = self.analysis.unblocked.forward(strips, outlets).arrives
        return {n for n in self._ends if arrives[n]}

    def _tried(self, steps: Sequence[EditStep]) -> dict[Source, int]:
        """What sources reach behind some steps, in the bits of what they reach now."""
        then = Endpoints(_opened(self.analysis.template, steps))
        place = {name: at for at, name in enumerate(self.now.names)}
        for name in then.names:
            place.setdefault(name, len(place))
        bit = [1 << place[name] for name in then.names]
        again: dict[int, int] = {}
        for mask in set(then.of.values()):
            again[mask] = sum(bit[at] for at in range(len(bit)) if mask >> at & 1)
        return {key: again[mask] for key, mask in then.of.items()}

    @cached_property
    def now(self) -> Endpoints:
        """What is reached before any fix."""
        return Endpoints(self.analysis.template, self.graph, self.analysis.unblocked)

    def _has_sibling_there(self, steps: Sequence[EditStep]) -> bool:
        """A lone source fed to where another source of its section, or of none, goes already: the usual case."""
        if any(step.edit not in ("add_route", "remove_routes") for step in steps):
            return False
        added = [step.arguments["route"] for step in steps if step.edit == "add_route"]
        return all(self._is_covered(self.graph.index[one["from"]], self.graph.index[one["to"]]) for one in added)

    def _is_covered(self, start: int, end: int) -> bool:
        graph, section = self.graph, self.graph.strips[start].section
        if graph.ins[start] and self.analysis.unblocked.monitors[start]:
            return False
        if section is None:
            return True
        return any(
            graph.strips[graph.tail[route]].section == section and graph.tail[route] != start
            for route in graph.ins[end]
            if self.analysis.unblocked.route_ok[route] and self.analysis.unblocked.sounds[graph.tail[route]]
        )


class Endpoints:
    """The endpoints that every source of a template reaches over open routes, as bits.

    Attributes
    ----------
    names : list of str
        Ids of the strips where sound ends, by place of their bit.
    of : dict
        (strip, outlet) → the endpoints of a source.
    """

    def __init__(self, template: Template, graph: SignalGraph | None = None, reach: Reach | None = None) -> None:
        self.template = template
        self.graph = graph or SignalGraph(template)
        self.reach = reach or Reach(self.graph, states=True)
        ends = [n for n in self.graph.ends if self.reach.ends_here(n)]
        self.names = [self.graph.strips[n].id for n in ends]
        self.bits = {n: 1 << at for at, n in enumerate(ends)}
        self.leaving, self.fed, self.outlet = spread(self.reach, self.bits, {})
        strips = self.graph.strips
        self.of = {
            (strips[n].id, ""): self.leaving[n] | self.bits.get(n, 0)
            for n, sounds in enumerate(self.reach.sounds)
            if sounds and "spare" not in strips[n].tags
        } | {
            (strips[n].id, piece.id): self.outlet[at]
            for at, (n, piece) in enumerate(self.graph.outlets)
            if self.reach.outlet_sounds(at)
        }

    def with_route(self, start: int, outlet: int, end: int) -> dict[Source, int]:
        """What sources reach with one more open route: those upstream of it reach what its end reaches."""
        gained = self.fed[end] if self.reach.route_may_pass(start, outlet) else 0
        strips = self.graph.strips
        if outlet >= 0:
            upstream = {(strips[start].id, self.graph.outlets[outlet][1].id)}
        else:
            into = self.reach.to_strips([start]) if self.graph.ins[start] and self.reach.monitors[start] else None
            upstream = {(strips[start].id, "")}
            upstream |= {key for key in self.of if into is not None and self._arrives(into, key)}
        return {key: self.of[key] | gained for key in upstream if key in self.of}

    def _arrives(self, into: Backward, key: Source) -> bool:
        number = self.graph.index[key[0]]
        return into.from_source(number, self.graph.outlet_index.get((number, key[1]), NO_OUTLET) if key[1] else -1)

    @cached_property
    def cues(self) -> int:
        """Outputs for headphones and cues."""
        ends = Destinations(self.graph)
        return sum(bit for n, bit in self.bits.items() if self.graph.strips[n].kind == "output" and ends.is_cue(n))

    @cached_property
    def by_section(self) -> dict[str, dict[Source, int]]:
        """Section → its sources, each with its endpoints."""
        found: dict[str, dict[Source, int]] = defaultdict(dict)
        for key, mask in self.of.items():
            section = self.graph.strips[self.graph.index[key[0]]].section
            if section is not None:
                found[section][key] = mask
        return found


def breaks_privacy(before: Endpoints, after: Mapping[Source, int]) -> bool:
    """Return whether a source of a section newly reaches an endpoint that no other source of the section reached.

    Parameters
    ----------
    before
        The endpoints without a change.
    after
        The endpoints of sources with it, in the bits of `before`; an endpoint that was none has a bit of its own.
    """
    sections = {section.id: section for section in before.template.sections}
    strips, index = before.graph.strips, before.graph.index
    for source, mask in after.items():
        if source[0] not in index:
            continue
        section = strips[index[source[0]]].section
        new = mask & ~before.of.get(source, 0)
        if not new or section is None:
            continue
        known = before.by_section[section]
        others = whole = 0
        for one, theirs in known.items():
            whole |= theirs
            others |= theirs if one[0] != source[0] else 0
        if whole and new & ~others:
            return True
        if sections[section].private and new & ~others & ~before.cues:
            return True
    return False


def _opened(template: Template, steps: Iterable[EditStep]) -> Template:
    """The template with the changes of some steps to strips, outlets and routes; other edits open nothing."""
    strips = {strip.id: strip for strip in template.strips}
    routes = {route.id: route for route in template.routes}
    for number, step in enumerate(steps):
        arguments: dict[str, Any] = step.arguments
        if step.edit == "change_strip":
            strips[arguments["strip"]] = replace(strips[arguments["strip"]], **_plain(arguments["changes"]))
        elif step.edit == "change_route" and arguments["route"] in routes:
            routes[arguments["route"]] = replace(routes[arguments["route"]], **_plain(arguments["changes"]))
        elif step.edit == "change_outlet":
            host = strips[arguments["strip"]]
            outlets = (
                replace(one, **_plain(arguments["changes"])) if one.id == arguments["outlet"] else one
                for one in host.outlets
            )
            strips[host.id] = replace(host, outlets=tuple(outlets))
        elif step.edit == "add_route":
            new = f"new-{number}"
            routes[new] = msgspec.convert({"id": new, **arguments["route"]}, Route)
        elif step.edit == "remove_routes":
            routes = {one: route for one, route in routes.items() if one not in arguments["routes"]}
    return replace(template, strips=tuple(strips.values()), routes=tuple(routes.values()))


def _plain(changes: dict[str, Any]) -> dict[str, Any]:
    """The fields that decide whether sound passes."""
    return {field: tuple(v) if isinstance(v, list) else v for field, v in changes.items() if field in OPENING_FIELDS}
