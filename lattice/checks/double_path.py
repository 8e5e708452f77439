"""Double paths: the same sound by two ways that join again."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator
from itertools import combinations

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.graph.compiled import IN
from lattice.graph.paths import Path
from lattice.levels.gains import TRANSPARENT, Gain, chain_gain, route_gain
from lattice.model.document import Strip
from lattice.model.units import gain

MOST_PATHS = 64  # looked at for one pair of strips; the loudest of so many are the loudest that matter


def _transparent(strip: Strip) -> bool:
    return all(insert.state != "on" or insert.type in TRANSPARENT for insert in strip.inserts)


class _Ways:
    """Unblocked feeds, and sends that no insert changes on their way, as a graph to walk from one strip.

    A walk is in one of two states: feeds so far, or behind a send. Behind a send it goes on from a
    strip only where that strip's inserts leave the sound as it is (or the tap lies before them).
    """

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        compiled = scene.compiled
        # only what is fed can be passed behind a send
        self.clear = [bool(compiled.ins[n]) and _transparent(strip) for n, strip in enumerate(compiled.strips)]
        ok, ties = scene.unblocked.route_ok, bool(compiled.tied_in)
        self.outs: list[list[int]] = (
            compiled.outs
            if not ties and all(ok)
            else [
                [route for route in routes if ok[route] and compiled.routes[route].kind != "tie"]
                for routes in compiled.outs
            ]
        )
        self.first_hops: dict[tuple[tuple[int, bool], ...], tuple[int, ...]] = {}
        self._known: dict[tuple[int, bool], frozenset[int]] = {}
        self.may_meet = None if scene.loops.feedback else self._meetings()

    def _meetings(self) -> list[bool]:
        """Per strip: two of its routes lead to some strip in common. One sweep against the flow, bits for strips."""
        compiled, monitors, clear = self.scene.compiled, self.scene.unblocked.monitors, self.clear
        count = len(compiled.strips)
        head, stage, routes = compiled.head, compiled.stage, compiled.routes
        feeding, sent = [0] * count, [0] * count  # bits of strips that a walk that has come here goes on to
        found, bit = [False] * count, 1
        for number in reversed(self.scene.loops.order):
            if number >= count or not (compiled.ins[number] or len(self.outs[number]) > 1):
                continue
            whole = behind_send = 0
            onward = monitors[number]
            clear_here = clear[number]
            for route in self.outs[number]:
                there = sent[head[route]]
                bits = there if routes[route].kind == "send" else feeding[head[route]]
                if whole & bits:
                    found[number] = True
                whole |= bits
                if clear_here or stage[route] == IN:
                    behind_send |= there
            if compiled.ins[number]:
                feeding[number] = bit | (whole if onward else 0)
                sent[number] = bit | (behind_send if onward else 0)
                bit <<= 1
        return found

    def onward(self, strip: int, *, sent: bool) -> Iterator[tuple[int, bool]]:
        """(route, behind a send) of every route that leads on from a strip the walk has entered."""
        if not self.scene.unblocked.monitors[strip]:
            return
        for route in self.outs[strip]:
            if not sent or self.clear[strip] or self.scene.compiled.stage[route] == IN:
                yield route, sent or self.scene.compiled.routes[route].kind == "send"

    def joins(self, start: int) -> tuple[int, ...]:
        """Strips that two ways from `start` might share, beyond those that one hop leads to only once.

        It depends on where the first hops lead, so strips that are routed alike are looked at once.
        """
        compiled = self.scene.compiled
        hops = tuple(sorted((compiled.head[r], compiled.routes[r].kind == "send") for r in self.outs[start]))
        if hops not in self.first_hops:
            self.first_hops[hops] = self._meeting(hops)
        return tuple(join for join in self.first_hops[hops] if join != start and self._entered_twice(start, join))

    def _entered_twice(self, start: int, join: int) -> bool:
        """Two ways end by two routes; most strips behind a join are entered by one."""
        compiled, route_ok = self.scene.compiled, self.scene.unblocked.route_ok
        reached = {start}.union(
            *(self._reached(compiled.head[r], compiled.routes[r].kind == "send") for r in self.outs[start])
        )
        return sum(route_ok[route] and compiled.tail[route] in reached for route in compiled.ins[join]) > 1

    def _meeting(self, hops: tuple[tuple[int, bool], ...]) -> tuple[int, ...]:
        times: dict[int, int] = defaultdict(int)
        for head, sent in hops:
            for strip in self._reached(head, sent):
                times[strip] += 1
        return tuple(sorted(strip for strip, count in times.items() if count > 1))

    def _reached(self, head: int, sent: bool) -> frozenset[int]:
        if (head, sent) not in self._known:
            self._known[head, sent] = self._walked(head, sent)
        return self._known[head, sent]

    def _walked(self, head: int, sent: bool) -> frozenset[int]:
        seen = {(head, sent)}
        waiting = [(head, sent)]
        while waiting:
            at, behind = waiting.pop()
            for route, after in self.onward(at, sent=behind):
                state = self.scene.compiled.head[route], after
                if state not in seen:
                    seen.add(state)
                    waiting.append(state)
        return frozenset(strip for strip, _sent in seen)

    def paths(self, start: int, end: int) -> list[list[int]]:
        """Ways from `start` to `end` that pass no strip twice, at most MOST_PATHS."""
        compiled = self.scene.compiled
        found: list[list[int]] = []
        towards = self._towards(end)

        def walk(at: int, sent: bool, routes: list[int], passed: set[int]) -> None:
            options = (
                self.onward(at, sent=sent)
                if routes
                else ((r, compiled.routes[r].kind == "send") for r in self.outs[at])
            )
            for route, after in options:
                head = compiled.head[route]
                if len(found) == MOST_PATHS or head in passed or head not in towards:
                    continue
                if head == end:
                    found.append([*routes, route])
                else:
                    walk(head, after, [*routes, route], passed | {head})

        walk(start, False, [], {start})
        return found

    def _towards(self, end: int) -> frozenset[int]:
        """Strips from which some unblocked route leads on to `end`."""
        seen, waiting = {end}, [end]
        while waiting:
            for route in self.scene.compiled.ins[waiting.pop()]:
                tail = self.scene.compiled.tail[route]
                if self.scene.unblocked.route_ok[route] and tail not in seen:
                    seen.add(tail)
                    waiting.append(tail)
        return frozenset(seen)


@check("route.double-path")
def double_path(scene: Scene) -> Iterator[Finding]:
    """Two ways from one strip to another, with no strip in common between, on a channel in common."""
    ways = _Ways(scene)
    carried = scene.sounds.leaves
    for start, routes in enumerate(ways.outs):
        if ways.may_meet is not None and not ways.may_meet[start]:
            continue
        if len(routes) < 2 or not carried[start] or "pop" in scene.strip(start).tags:
            continue  # a sync pop belongs in every stem, and so comes to the mix by each of them
        for join in ways.joins(start):
            pair = _loudest_pair(scene, ways.paths(start, join))
            if pair is not None:
                yield _finding(scene, start, join, *pair)


def _loudest_pair(scene: Scene, paths: list[list[int]]) -> tuple[list[int], list[int]] | None:
    """The two loudest ways without a strip in common that share a channel; the louder first."""
    gains = [_path_gain(scene, path) for path in paths]
    loudness = [_norm(found) for found in gains]
    order = sorted(range(len(paths)), key=lambda at: (-loudness[at], at))
    for one, other in sorted(combinations(range(len(order)), 2), key=sum):
        first, second = order[one], order[other]
        if _apart(scene, paths[first], paths[second]) and _share_channel(gains[first], gains[second]):
            return paths[first], paths[second]
    return None


def _path_gain(scene: Scene, path: list[int]) -> Gain:
    """From the tap of the first route to the `in` of the last strip."""
    compiled = scene.compiled
    total = route_gain(compiled, path[0])
    for route in path[1:]:
        total = total.then(chain_gain(compiled.strips[compiled.tail[route]], compiled.stage[route]))
        total = total.then(route_gain(compiled, route))
    return total


def _norm(found: Gain) -> float:
    """Frobenius norm of a path's gains."""
    return float(sum(value * value for row in found.matrix for value in row) ** 0.5) * gain(found.level_db)


def _apart(scene: Scene, one: list[int], other: list[int]) -> bool:
    between = [{scene.compiled.head[route] for route in path[:-1]} for path in (one, other)]
    return one[0] != other[0] and not between[0] & between[1]


def _share_channel(one: Gain, other: Gain) -> bool:
    """Some channel of the first strip comes to some channel of the last by both ways."""
    pairs = zip(one.matrix, other.matrix, strict=True)
    return any(a and b for row, other_row in pairs for a, b in zip(row, other_row, strict=False))


def _finding(scene: Scene, start: int, join: int, one: list[int], other: list[int]) -> Finding:
    compiled = scene.compiled
    between = [compiled.head[route] for path in (one, other) for route in path[:-1]]
    ways = [scene.hops(Path(start, tuple(path))) for path in (one, other)]
    return Finding(
        code="route.double-path",
        severity="warning",
        message=f"{scene.name(start)} comes to {scene.name(join)} by two ways",
        strips=scene.ids([start, join, *between]),
        routes=scene.route_ids([*one, *other]),
        figures=_figures(scene, one, other),
        evidence=tuple(ways),
        remedies=_remedies(scene, start, (one[0], other[0])),
    )


def _figures(scene: Scene, one: list[int], other: list[int]) -> dict[str, float | None]:
    """Rise of the coherent sum against the louder way alone (Frobenius norms), and how far apart the two arrive."""
    first, second = (_from_post(scene, path) for path in (one, other))
    both = [[a + b for a, b in zip(row, rest, strict=True)] for row, rest in zip(first, second, strict=True)]
    sums = [sum(value * value for row in matrix for value in row) for matrix in (both, first, second)]
    rise_db = 10 * math.log10(sums[0] / max(sums[1:])) if sums[0] > 0 else None
    return {"rise_db": rise_db, "skew_samples": abs(_samples(scene, one) - _samples(scene, other))}


def _from_post(scene: Scene, path: list[int]) -> list[list[float]]:
    """Gains of a way, with their sign, from the `in` of its first strip: what both ways share cancels out."""
    compiled = scene.compiled
    start = compiled.tail[path[0]]
    found = chain_gain(compiled.strips[start], compiled.stage[path[0]]).then(_path_gain(scene, path))
    turned = sum(compiled.strips[compiled.tail[route]].invert for route in path[1:]) % 2
    level = -gain(found.level_db) if turned else gain(found.level_db)
    return [[value * level for value in row] for row in found.matrix]


def _samples(scene: Scene, path: list[int]) -> int:
    """What a way takes from the `in` of its first strip on, compensation included."""
    arrivals, compiled = scene.arrivals, scene.compiled
    return sum(
        arrivals.delays.get(route, 0) + (arrivals.chain[compiled.tail[route]][1] if compiled.stage[route] else 0)
        for route in path
    )


def _remedies(scene: Scene, start: int, hops: tuple[int, int]) -> tuple[Remedy, ...]:
    """Remove one of the two first routes; first the one that goes past the bus of the strip's section."""
    section = scene.sections.get(scene.strip(start).section or "")
    bus = section.bus if section else None
    past_the_bus_first = sorted(hops, key=lambda route: scene.compiled.routes[route].to == bus)
    found = []
    for route in past_the_bus_first:
        piece = scene.compiled.routes[route]
        remove = Step("remove_routes", {"routes": [piece.id]})
        found.append(Remedy(f"Remove the {piece.kind} to {scene.name(scene.compiled.head[route])}", (remove,)))
    return tuple(found)
