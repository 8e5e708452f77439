"""Rules: promises about paths that the team has written down, each source against each.

Defined in docs/reference/model.md, *Rules*.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding
from lattice.checks.registry import check, explain
from lattice.checks.rule_fixes import rule_fixes
from lattice.graph.origin import Origin
from lattice.graph.paths import Path
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import IN, POST, STAGE_OF_TAP
from lattice.graph.walk import by_ids, first_path
from lattice.model.document import Rule
from lattice.model.layouts import channel_names
from lattice.model.selectors import select, sentence_of

Strips = frozenset[int]
Broken = Iterator[tuple[Origin, str, Path | None]]  # a source, the reason, and a path as evidence
SPOKEN = {
    "passes": "{sources} must reach {to} only through {through}",
    "reaches": "{sources} must reach {to}",
    "lands-on": "{sources} must use only {channels} of {to}",
    "pre-fader": "{sources} must feed {to} pre-fader",
    "ducked-by": "{sources} must be ducked by {through}",
    "not-ducked-by": "{sources} must not be ducked by {through}",
    "avoids": "{sources} must not pass {through}",
    "isolated": "{sources} must not reach {to}",
}


def rule_sentence(analysis: Analysis, rule: Rule) -> str:
    """A rule as people say it."""
    parts = {name: sentence_of(analysis.template, getattr(rule, name)) for name in ("sources", "through", "to")}
    return SPOKEN[rule.kind].format(channels=", ".join(map(str, rule.channels or ())) or "no channel", **parts)


@check("rule.broken")
def broken(analysis: Analysis) -> Iterator[Finding]:
    """One finding for each rule and source that breaks it."""
    for rule in analysis.template.rules:
        for origin, why, path in broken_by(analysis, rule):
            yield Finding(
                code="rule.broken",
                severity="blocker",
                message=f"{analysis.source_name(*origin)} breaks rule {rule.name}: {why}",
                strips=_named(analysis, origin, path),
                outlets=analysis.outlet_id(*origin),
                others=(rule.id,),
                evidence=(rule_sentence(analysis, rule), *((analysis.hops(path),) if path else ())),
                way=analysis.hops(path) if path else "",
                path=analysis.route_ids(path.routes) if path else (),
                remedies=rule_fixes(analysis, rule, origin, path),
            )


def _named(analysis: Analysis, origin: Origin, path: Path | None) -> tuple[str, ...]:
    """The source, then the end of the offending path."""
    ends = [path.strips(analysis.graph)[-1]] if path else []
    return tuple(dict.fromkeys(analysis.ids([origin.strip, *ends])))


def broken_by(analysis: Analysis, rule: Rule) -> Broken:
    """Sources that break a rule, in the order of the document. O(strips + routes), and the paths of those sources."""
    through, to = select(analysis.template, rule.through), select(analysis.template, rule.to)
    yield from KINDS[rule.kind](analysis, rule, through, to)


def _sources(analysis: Analysis, rule: Rule, *, states: bool) -> list[Origin]:
    """The sources a rule is about: strips that play, spares as well; with states, only those in service."""
    wanted, graph, found = select(analysis.template, rule.sources), analysis.graph, []
    reach = analysis.unblocked if states else analysis.ignoring
    for number in sorted(wanted):
        if "backup" in analysis.strip(number).tags or not reach.in_service[number]:
            continue
        if reach.sounds[number] if states else graph.is_source[number]:
            found.append(Origin(number))
        found += [Origin(number, outlet) for outlet in graph.outlets_of.get(number, ()) if reach.outlet_sounds(outlet)]
    return found


# paths that a question allows


class _RuleWays:
    """Paths from sources under one reading of settings, some routes left out, to strips or endpoints."""

    def __init__(
        self, analysis: Analysis, reach: Reach, ends: set[int], allowed: Callable[[int], bool] = lambda _route: True
    ) -> None:
        self.analysis, self.reach, self.graph, self.ends = analysis, reach, analysis.graph, ends
        self._allowed = [
            reach.route_ok[route] and reach.entered[self.graph.head[route]] and allowed(route)
            for route in range(len(self.graph.routes))
        ]
        self.fed = [False] * len(self.graph.strips)
        waiting = [end for end in ends if reach.in_service[end]]
        for end in waiting:
            self.fed[end] = True
        while waiting:
            for route in self.graph.ins[waiting.pop()]:
                tail = self.graph.tail[route]
                onward = self.graph.outlet[route] < 0 and reach.monitors[tail] and reach.in_service[tail]
                if self._allowed[route] and onward and not self.fed[tail]:
                    self.fed[tail] = True
                    waiting.append(tail)

    def way(self, origin: Origin) -> Path | None:
        """A path from a source; None if there is none."""
        strip, outlet = origin
        first = self.graph.outs[strip] if outlet < 0 else self.graph.outlet_outs[outlet]
        if not any(self._allowed[route] and self.fed[self.graph.head[route]] for route in first):
            return None
        return first_path(
            self.graph,
            origin,
            lambda head: head in self.ends and self.fed[head],
            lambda route: self._allowed[route],
            lambda head: self.reach.monitors[head],
        )

    def by(self, origin: Origin, route: int) -> Path | None:
        """A path that begins with one route of the source; None if that reaches no end."""
        head = self.graph.head[route]
        if not self._allowed[route] or not self.fed[head]:
            return None
        rest = None if head in self.ends else self.way(Origin(head))
        return Path(origin.strip, (route, *(rest.routes if rest else ())), origin.outlet)


def _passes(analysis: Analysis, rule: Rule, through: Strips, to: Strips) -> Broken:
    """Every path to `to` goes through `through`."""
    graph = analysis.graph
    ways = _RuleWays(analysis, analysis.unblocked, set(to - through), lambda route: graph.head[route] not in through)
    for origin in _sources(analysis, rule, states=True):
        if origin.strip not in through and (path := ways.way(origin)):
            yield origin, "it uses a different path", path


def _reaches(analysis: Analysis, rule: Rule, _through: Strips, to: Strips) -> Broken:
    """Every source reaches every strip of `to`."""
    ways = {end: _RuleWays(analysis, analysis.unblocked, {end}) for end in sorted(to)}
    for origin in _sources(analysis, rule, states=True):
        for end, its in ways.items():
            if origin.strip != end and its.way(origin) is None:
                yield origin, f"it does not reach {analysis.name(end)}", None
                break


def _lands_on(analysis: Analysis, rule: Rule, _through: Strips, to: Strips) -> Broken:
    """At `to`, it sounds on the listed channels only."""
    for origin in _sources(analysis, rule, states=True):
        response = analysis.response(origin)
        for end in sorted(to & response.at_in.keys()):
            names = channel_names(analysis.strip(end).layout)
            allowed = {_channel(wanted, names) for wanted in rule.channels or ()}
            power = response.at_in[end].power
            others = [names[channel] for channel, level in enumerate(power) if level > 0 and channel not in allowed]
            if others and end != origin.strip:
                path = _RuleWays(analysis, analysis.unblocked, {end}).way(origin)
                yield origin, f"it is also on {', '.join(others)} of {analysis.name(end)}", path
                break


def _channel(wanted: str | int, names: tuple[str, ...]) -> int:
    """The place of a channel by its name or its number from 1; −1 where there is none such."""
    text = str(wanted)
    if text in names:
        return names.index(text)
    return int(text) - 1 if text.isdecimal() else -1


def _pre_fader(analysis: Analysis, rule: Rule, _through: Strips, to: Strips) -> Broken:
    """Every path to `to` leaves the source's own strip before its fader."""
    graph = analysis.graph
    ways = _RuleWays(analysis, analysis.unblocked, set(to))
    for origin in _sources(analysis, rule, states=True):
        if not origin.is_chain:
            continue  # an outlet leaves past the fader
        behind = (route for route in by_ids(graph, graph.outs[origin.strip]) if graph.stage[route] == POST)
        if path := next(filter(None, (ways.by(origin, route) for route in behind)), None):
            yield origin, "it is tapped post-fader", path


def _ducking(analysis: Analysis, through: Strips) -> dict[int, tuple[int, int]]:
    """Strip → places of the first and last insert that is on and keyed by sound of `through`."""
    graph, reach = analysis.graph, analysis.unblocked
    playing = [strip_number for strip_number in through if reach.in_service[strip_number]]
    outlets = [outlet for strip_number in playing for outlet in graph.outlets_of.get(strip_number, ())]
    leaves = reach.forward(playing, [outlet for outlet in outlets if reach.outlet_sounds(outlet)]).leaves
    came_by: dict[int, tuple[int, int]] = {}
    for route in graph.keys:
        insert, outlet = graph.insert_of_key(route), graph.outlet[route]
        comes = outlet in outlets if outlet >= 0 else leaves[graph.tail[route]]
        if reach.route_ok[route] and comes and insert.state == "on" and insert.key == "external":
            place, head = graph.place_of_key(route), graph.head[route]
            first, last = came_by.get(head, (place, place))
            came_by[head] = min(first, place), max(last, place)
    return came_by


def _ends_behind(analysis: Analysis, strip: int, *, keyed: bool) -> bool:
    """Sound that reaches a strip ends there; with `keyed`, only if a route takes it before any insert."""
    graph, reach = analysis.graph, analysis.unblocked
    if not reach.ends_here(strip):
        return False
    if not keyed:
        return True
    last = graph.strips[strip]
    if last.kind == "print" and last.records == "in":
        return True
    stems = (graph.template.stems[stem] for stem in graph.stems_at.get(strip, ()))
    return any(STAGE_OF_TAP[stem.tap] == IN for stem in stems)


def _ducked_by(analysis: Analysis, rule: Rule, through: Strips, _to: Strips) -> Broken:
    """Every path to an endpoint passes an insert keyed by `through`."""
    ducking, graph = _ducking(analysis, through), analysis.graph
    ends = {n for n in graph.ends if _ends_behind(analysis, n, keyed=n in ducking)}

    def unducked(route: int) -> bool:
        return graph.outlet[route] >= 0 or graph.tail[route] not in ducking or graph.stage[route] == IN

    ways = _RuleWays(analysis, analysis.unblocked, ends, unducked)
    for origin in _sources(analysis, rule, states=True):
        here = Path(origin.strip, ()) if origin.strip in ends and origin.is_chain else None
        if path := here or ways.way(origin):
            yield origin, "it bypasses every ducker", path


def _not_ducked_by(analysis: Analysis, rule: Rule, through: Strips, _to: Strips) -> Broken:
    """No path to an endpoint passes an insert keyed by `through`."""
    ducking, graph, reach = _ducking(analysis, through), analysis.graph, analysis.unblocked
    heard = analysis.heard
    behind = {
        strip
        for strip in ducking
        if _ends_behind_insert(analysis, strip)
        or any(
            reach.route_ok[route] and graph.stage[route] != IN and heard.fed[graph.head[route]]
            for route in graph.outs[strip]
        )
    }
    ways = _RuleWays(analysis, reach, behind)
    for origin in _sources(analysis, rule, states=True):
        own = origin.strip in behind and origin.is_chain
        path = Path(origin.strip, ()) if own else ways.way(origin)
        if path:
            ducked = analysis.name(path.strips(graph)[-1])
            yield origin, f"it is ducked at {ducked}", path


def _ends_behind_insert(analysis: Analysis, strip: int) -> bool:
    """Sound that has passed the strip's inserts ends there."""
    graph, reach = analysis.graph, analysis.unblocked
    piece = graph.strips[strip]
    if piece.kind == "print" or (piece.kind == "output" and strip not in graph.tied_out):
        return reach.ends_here(strip) and not (piece.kind == "print" and piece.records == "in")
    stems = graph.stems_at.get(strip, ())
    return any(reach.stem_open(stem, strip) and STAGE_OF_TAP[graph.template.stems[stem].tap] != IN for stem in stems)


def _avoids(analysis: Analysis, rule: Rule, through: Strips, _to: Strips) -> Broken:
    """No path goes through `through`, with settings ignored."""
    ways = _RuleWays(analysis, analysis.ignoring, set(through))
    for origin in _sources(analysis, rule, states=False):
        if origin.strip not in through and (path := ways.way(origin)):
            yield origin, f"it passes {analysis.name(path.strips(analysis.graph)[-1])}", path


def _isolated(analysis: Analysis, rule: Rule, _through: Strips, to: Strips) -> Broken:
    """None reaches any of `to`, whatever states say."""
    ways = _RuleWays(analysis, analysis.ignoring, set(to))
    for origin in _sources(analysis, rule, states=False):
        if origin.strip not in to and (path := ways.way(origin)):
            yield origin, f"it reaches {analysis.name(path.strips(analysis.graph)[-1])}", path


KINDS: dict[str, Callable[[Analysis, Rule, Strips, Strips], Broken]] = {
    "passes": _passes,
    "reaches": _reaches,
    "lands-on": _lands_on,
    "pre-fader": _pre_fader,
    "ducked-by": _ducked_by,
    "not-ducked-by": _not_ducked_by,
    "avoids": _avoids,
    "isolated": _isolated,
}


explain(
    "rule.broken",
    many="{n} sources break a rule",
    found="A source breaks a rule about paths.",
    why="The agreed routing has changed.",
    how="Each rule is checked for each of its sources. One violating path is shown as evidence.",
    fix="Change the route of the violating path, or change the rule.",
    decide="Only you know whether the routing or the rule is right. Change one of them.",
    place="stems",
)
