"""Rules: promises about paths that the team has written down, each source against each (model.md, *Rules*)."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lattice.checks.finding import Finding
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.graph.compiled import IN, POST, STAGE_OF_TAP
from lattice.graph.paths import Path
from lattice.graph.reach import Reach
from lattice.graph.walk import by_ids, first_way
from lattice.model.document import Rule
from lattice.model.layouts import channel_names
from lattice.model.selectors import select, sentence_of

Origin = tuple[int, int]
Strips = frozenset[int]
Broken = Iterator[tuple[Origin, str, Path | None]]  # a source, why, and a way that shows it
SPOKEN = {
    "passes": "{sources} goes to {to} only through {through}",
    "reaches": "{sources} reaches {to}",
    "lands-on": "{sources} lands on {channels} of {to} only",
    "pre-fader": "{sources} leaves for {to} before the fader",
    "ducked-by": "{sources} is ducked by {through}",
    "not-ducked-by": "{sources} is not ducked by {through}",
    "avoids": "{sources} never passes through {through}",
    "isolated": "{sources} never reaches {to}",
}


def rule_sentence(scene: Scene, rule: Rule) -> str:
    """A rule as people say it."""
    parts = {name: sentence_of(scene.template, getattr(rule, name)) for name in ("sources", "through", "to")}
    return SPOKEN[rule.kind].format(channels=", ".join(map(str, rule.channels or ())) or "no channel", **parts)


@check("rule.broken")
def broken(scene: Scene) -> Iterator[Finding]:
    """One finding for each rule and source that breaks it."""
    for rule in scene.template.rules:
        for origin, why, path in broken_by(scene, rule):
            yield Finding(
                code="rule.broken",
                severity="blocker",
                message=f"{scene.source_name(*origin)} breaks the rule {rule.name}: {why}",
                strips=_named(scene, origin, path),
                outlets=scene.outlet_id(*origin),
                others=(rule.id,),
                evidence=(rule_sentence(scene, rule), *((scene.hops(path),) if path else ())),
                path=scene.route_ids(path.routes) if path else (),
                cause=f"rule: {rule.name}",
            )


def _named(scene: Scene, origin: Origin, path: Path | None) -> tuple[str, ...]:
    """The source, then where the offending way ends."""
    ends = [path.strips(scene.compiled)[-1]] if path else []
    return tuple(dict.fromkeys(scene.ids([origin[0], *ends])))


def broken_by(scene: Scene, rule: Rule) -> Broken:
    """Sources that break a rule, in the order of the document. O(strips + routes), and the ways of those that do."""
    through, to = select(scene.template, rule.through), select(scene.template, rule.to)
    yield from KINDS[rule.kind](scene, rule, through, to)


def _sources(scene: Scene, rule: Rule, *, states: bool) -> list[Origin]:
    """The sources a rule is about: strips that play, spares as well; with states, only those in service."""
    wanted, compiled, found = select(scene.template, rule.sources), scene.compiled, []
    reach = scene.unblocked if states else scene.ignoring
    for number in sorted(wanted):
        if "backup" in scene.strip(number).tags or not reach.in_service[number]:
            continue
        if reach.sounds[number] if states else compiled.is_source[number]:
            found.append((number, -1))
        found += [(number, outlet) for outlet in compiled.outlets_of.get(number, ()) if reach.outlet_sounds(outlet)]
    return found


# ways that a question allows


class _Ways:
    """Ways from sources under one reading of states, some routes left out, to strips or endpoints."""

    def __init__(
        self, scene: Scene, reach: Reach, ends: set[int], allowed: Callable[[int], bool] = lambda _route: True
    ) -> None:
        self.scene, self.reach, self.compiled, self.ends = scene, reach, scene.compiled, ends
        self._allowed = [
            reach.route_ok[route] and reach.entered[self.compiled.head[route]] and allowed(route)
            for route in range(len(self.compiled.routes))
        ]
        self.fed = [False] * len(self.compiled.strips)
        waiting = [end for end in ends if reach.in_service[end]]
        for end in waiting:
            self.fed[end] = True
        while waiting:
            for route in self.compiled.ins[waiting.pop()]:
                tail = self.compiled.tail[route]
                onward = self.compiled.outlet[route] < 0 and reach.monitors[tail] and reach.in_service[tail]
                if self._allowed[route] and onward and not self.fed[tail]:
                    self.fed[tail] = True
                    waiting.append(tail)

    def way(self, origin: Origin) -> Path | None:
        """A way from a source; None where there is none."""
        strip, outlet = origin
        first = self.compiled.outs[strip] if outlet < 0 else self.compiled.outlet_outs[outlet]
        if not any(self._allowed[route] and self.fed[self.compiled.head[route]] for route in first):
            return None
        return first_way(
            self.compiled,
            origin,
            lambda head: head in self.ends and self.fed[head],
            lambda route: self._allowed[route],
            lambda head: self.reach.monitors[head],
        )

    def by(self, origin: Origin, route: int) -> Path | None:
        """A way that begins with one route of the source; None where that leads to no end."""
        head = self.compiled.head[route]
        if not self._allowed[route] or not self.fed[head]:
            return None
        rest = None if head in self.ends else self.way((head, -1))
        return Path(origin[0], (route, *(rest.routes if rest else ())), origin[1])


def _passes(scene: Scene, rule: Rule, through: Strips, to: Strips) -> Broken:
    """Every way to `to` goes through `through`."""
    compiled = scene.compiled
    ways = _Ways(scene, scene.unblocked, set(to - through), lambda route: compiled.head[route] not in through)
    for origin in _sources(scene, rule, states=True):
        if origin[0] not in through and (path := ways.way(origin)):
            yield origin, "it goes another way", path


def _reaches(scene: Scene, rule: Rule, _through: Strips, to: Strips) -> Broken:
    """Every source comes to every strip of `to`."""
    ways = {end: _Ways(scene, scene.unblocked, {end}) for end in sorted(to)}
    for origin in _sources(scene, rule, states=True):
        for end, its in ways.items():
            if origin[0] != end and its.way(origin) is None:
                yield origin, f"it does not reach {scene.name(end)}", None
                break


def _lands_on(scene: Scene, rule: Rule, _through: Strips, to: Strips) -> Broken:
    """At `to`, it sounds on the listed channels only."""
    for origin in _sources(scene, rule, states=True):
        single = scene.single(origin)
        for end in sorted(to & single.at_in.keys()):
            names = channel_names(scene.strip(end).layout)
            allowed = {_channel(wanted, names) for wanted in rule.channels or ()}
            power = single.at_in[end].power
            others = [names[channel] for channel, level in enumerate(power) if level > 0 and channel not in allowed]
            if others and end != origin[0]:
                path = _Ways(scene, scene.unblocked, {end}).way(origin)
                yield origin, f"it is on {', '.join(others)} of {scene.name(end)} too", path
                break


def _channel(wanted: str | int, names: tuple[str, ...]) -> int:
    """The place of a channel by its name or its number from 1; −1 where there is none such."""
    text = str(wanted)
    if text in names:
        return names.index(text)
    return int(text) - 1 if text.isdecimal() else -1


def _pre_fader(scene: Scene, rule: Rule, _through: Strips, to: Strips) -> Broken:
    """On every way to `to`, the source's own strip is left before its fader."""
    compiled = scene.compiled
    ways = _Ways(scene, scene.unblocked, set(to))
    for origin in _sources(scene, rule, states=True):
        if origin[1] >= 0:
            continue  # an outlet leaves past the fader
        behind = (route for route in by_ids(compiled, compiled.outs[origin[0]]) if compiled.stage[route] == POST)
        if path := next(filter(None, (ways.by(origin, route) for route in behind)), None):
            yield origin, "it is left behind its fader", path


def _ducking(scene: Scene, through: Strips) -> dict[int, tuple[int, int]]:
    """Strip → places of the first and last insert that is on and keyed by sound of `through`."""
    compiled, reach = scene.compiled, scene.unblocked
    playing = [number for number in through if reach.in_service[number]]
    outlets = [outlet for number in playing for outlet in compiled.outlets_of.get(number, ())]
    leaves = reach.forward(playing, [outlet for outlet in outlets if reach.outlet_sounds(outlet)]).leaves
    found: dict[int, tuple[int, int]] = {}
    for route in compiled.keys:
        insert, outlet = compiled.insert_of_key(route), compiled.outlet[route]
        comes = outlet in outlets if outlet >= 0 else leaves[compiled.tail[route]]
        if reach.route_ok[route] and comes and insert.state == "on" and insert.key == "external":
            place, head = compiled.place_of_key(route), compiled.head[route]
            first, last = found.get(head, (place, place))
            found[head] = min(first, place), max(last, place)
    return found


def _ends_behind(scene: Scene, strip: int, *, keyed: bool) -> bool:
    """Sound that comes to a strip ends there; with `keyed`, only where it is taken before any insert."""
    compiled, reach = scene.compiled, scene.unblocked
    if not reach.ends_here(strip):
        return False
    if not keyed:
        return True
    piece = compiled.strips[strip]
    if piece.kind == "print" and piece.records == "in":
        return True
    stems = (compiled.template.stems[stem] for stem in compiled.stems_at.get(strip, ()))
    return any(STAGE_OF_TAP[stem.tap] == IN for stem in stems)


def _ducked_by(scene: Scene, rule: Rule, through: Strips, _to: Strips) -> Broken:
    """Every way to an endpoint passes an insert keyed by `through`."""
    ducking, compiled = _ducking(scene, through), scene.compiled
    ends = {n for n in compiled.ends if _ends_behind(scene, n, keyed=n in ducking)}

    def unducked(route: int) -> bool:
        return compiled.outlet[route] >= 0 or compiled.tail[route] not in ducking or compiled.stage[route] == IN

    ways = _Ways(scene, scene.unblocked, ends, unducked)
    for origin in _sources(scene, rule, states=True):
        here = Path(origin[0], ()) if origin[0] in ends and origin[1] < 0 else None
        if path := here or ways.way(origin):
            yield origin, "it comes out past every insert keyed so", path


def _not_ducked_by(scene: Scene, rule: Rule, through: Strips, _to: Strips) -> Broken:
    """No way to an endpoint passes an insert keyed by `through`."""
    ducking, compiled, reach = _ducking(scene, through), scene.compiled, scene.unblocked
    heard = scene.heard
    behind = {
        strip
        for strip in ducking
        if _ends_behind_insert(scene, strip)
        or any(
            reach.route_ok[route] and compiled.stage[route] != IN and heard.fed[compiled.head[route]]
            for route in compiled.outs[strip]
        )
    }
    ways = _Ways(scene, reach, behind)
    for origin in _sources(scene, rule, states=True):
        own = origin[0] in behind and origin[1] < 0
        path = Path(origin[0], ()) if own else ways.way(origin)
        if path:
            ducked = scene.name(path.strips(compiled)[-1])
            yield origin, f"it is ducked at {ducked}", path


def _ends_behind_insert(scene: Scene, strip: int) -> bool:
    """Sound that has passed the strip's inserts ends there."""
    compiled, reach = scene.compiled, scene.unblocked
    piece = compiled.strips[strip]
    if piece.kind == "print" or (piece.kind == "output" and strip not in compiled.tied_out):
        return reach.ends_here(strip) and not (piece.kind == "print" and piece.records == "in")
    stems = compiled.stems_at.get(strip, ())
    return any(reach.stem_open(stem, strip) and STAGE_OF_TAP[compiled.template.stems[stem].tap] != IN for stem in stems)


def _avoids(scene: Scene, rule: Rule, through: Strips, _to: Strips) -> Broken:
    """No way goes through `through`, whatever states say."""
    ways = _Ways(scene, scene.ignoring, set(through))
    for origin in _sources(scene, rule, states=False):
        if origin[0] not in through and (path := ways.way(origin)):
            yield origin, f"it passes through {scene.name(path.strips(scene.compiled)[-1])}", path


def _isolated(scene: Scene, rule: Rule, _through: Strips, to: Strips) -> Broken:
    """None reaches any of `to`, whatever states say."""
    ways = _Ways(scene, scene.ignoring, set(to))
    for origin in _sources(scene, rule, states=False):
        if origin[0] not in to and (path := ways.way(origin)):
            yield origin, f"it reaches {scene.name(path.strips(scene.compiled)[-1])}", path


KINDS: dict[str, Callable[[Scene, Rule, Strips, Strips], Broken]] = {
    "passes": _passes,
    "reaches": _reaches,
    "lands-on": _lands_on,
    "pre-fader": _pre_fader,
    "ducked-by": _ducked_by,
    "not-ducked-by": _not_ducked_by,
    "avoids": _avoids,
    "isolated": _isolated,
}
