"""Keys (side-chains): keys without effect, keys too quiet, double ducking."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import partial

from lattice.analysis import Analysis
from lattice.checks.assumed import if_louder
from lattice.checks.finding import Finding, Remedy, Severity
from lattice.checks.registry import check, explain
from lattice.gain_staging.chain import key_threshold_db
from lattice.gain_staging.levels import Levels
from lattice.graph.signal_graph import IN
from lattice.model.document import Insert
from lattice.model.edit_step import EditStep
from lattice.model.units import words_db

BELOW_KEY_DB = 6.0  # a threshold so far below the key's expected level works (common practice)
MOST_FADER_DB = 12.0  # as far as faders usually go (common practice)


@check("key.unheard", "key.dormant")
def keys_that_work_nothing(analysis: Analysis) -> Iterator[Finding]:
    """Keys into an insert that has no key input, or is inactive."""
    for route in analysis.graph.keys:
        insert = analysis.graph.insert_of_key(route)
        name = f"{insert.name or insert.id} on {analysis.name(analysis.graph.head[route])}"
        if insert.key != "external":
            listen = EditStep("change_insert", {"insert": insert.id, "changes": {"key": "external"}})
            trigger = analysis.name(analysis.graph.tail[route])
            words = f"Key from {trigger} has no effect: key input of {name} is {insert.key}"
            remedy = Remedy("Set key to external", (listen,))
            yield _about(analysis, route, "key.unheard", "warning", words, f"key input: {insert.key}", remedy)
        if insert.state != "on":
            wake = EditStep("change_insert", {"insert": insert.id, "changes": {"state": "on"}})
            words = f"{name} is {insert.state}; its key from {analysis.name(analysis.graph.tail[route])} has no effect"
            remedy = Remedy(f"Turn on {name}", (wake,))
            yield _about(analysis, route, "key.dormant", "note", words, "routed but inactive", remedy)


def _about(
    analysis: Analysis, route: int, code: str, severity: Severity, message: str, why: str, *remedies: Remedy
) -> Finding:
    ends = [analysis.graph.head[route], analysis.graph.tail[route]]
    return Finding(
        code=code,
        severity=severity,
        message=message,
        strips=analysis.ids(ends) if ends[0] != ends[1] else analysis.ids(ends[:1]),
        routes=analysis.route_ids([route]),
        inserts=(analysis.graph.key_node[route][1],),
        evidence=(why,),
        remedies=remedies,
    )


@check("key.self")
def keyed_by_itself(analysis: Analysis) -> Iterator[Finding]:
    """Keys whose only sources are those the insert already works on."""
    reach = analysis.key_reach
    keys = list(reach.key_bit)
    shared = [-1] * len(keys)  # per key: the reach of all its sources
    for mask in reach.sources:
        bits = mask & ((1 << len(keys)) - 1)
        while bits:  # the keys these sources reach, from the lowest bit on
            at = (bits & -bits).bit_length() - 1
            shared[at] &= mask
            bits &= bits - 1
    for at, route in enumerate(keys):
        if shared[at] != -1 and shared[at] & reach.strip_bit[analysis.graph.head[route]]:
            insert = analysis.graph.insert_of_key(route)
            host = analysis.name(analysis.graph.head[route])
            words = f"{insert.name or insert.id} on {host} is keyed by its own signal"
            yield _about(analysis, route, "key.self", "note", words, "the key has no other source")


@check("key.quiet")
def too_quiet(analysis: Analysis) -> Iterator[Finding]:
    """Keys that never reach the threshold of their insert, even if all peaks coincide."""
    fed: dict[str, list[int]] = defaultdict(list)
    for route in analysis.graph.keys:
        if analysis.carries(route):
            fed[analysis.graph.key_node[route][1]].append(route)
    for routes in fed.values():
        insert, strip_number = analysis.graph.insert_of_key(routes[0]), analysis.graph.head[routes[0]]
        threshold = key_threshold_db(insert)
        peak = analysis.levels.key_peak_db(insert)
        working = insert.key == "external" and insert.state == "on" and analysis.strip(strip_number).in_service
        if working and threshold is not None and (peak is None or peak < threshold):
            rests = any(_key_rests_on_assumed(analysis, route) for route in routes)
            stands = if_louder(analysis, "warning", rests, partial(_is_quiet, insert=insert, threshold_db=threshold))
            triggers = list(dict.fromkeys(analysis.graph.tail[route] for route in routes))
            figure = "off" if peak is None else f"{words_db(peak)} dBFS"
            yield Finding(
                code="key.quiet",
                **stands.fields,
                because=f"{insert.name or insert.id} on {analysis.name(strip_number)} would never trigger",
                message=f"{insert.name or insert.id} on {analysis.name(strip_number)} never triggers: key peak "
                f"{figure}, "
                f"threshold {words_db(threshold)} dB",
                strips=tuple(dict.fromkeys(analysis.ids([strip_number, *triggers]))),
                routes=analysis.route_ids(routes),
                inserts=(insert.id,),
                figures={"peak_dbfs": peak},
                evidence=(f"keyed by {analysis.names(triggers)}",),
                remedies=() if stands.is_assumed else tuple(_triggering(analysis, insert, threshold, routes, peak)),
            )


def _key_rests_on_assumed(analysis: Analysis, route: int) -> bool:
    outlet, tail = analysis.graph.outlet[route], analysis.graph.tail[route]
    return analysis.is_assumed(tail, outlet) if outlet >= 0 else analysis.assumed_sound.leaves[tail]


def _is_quiet(levels: Levels, insert: Insert, threshold_db: float) -> Severity | None:
    """The finding of a key at other levels."""
    peak = levels.key_peak_db(insert)
    return "warning" if peak is None or peak < threshold_db else None


def _triggering(
    analysis: Analysis, insert: Insert, threshold_db: float, routes: list[int], peak_db: float | None
) -> Iterator[Remedy]:
    """The threshold below the key's expected level, or the fader of a lone trigger up to it."""
    expected = analysis.levels.key_level_db(insert)
    if expected is None or peak_db is None:
        return
    wanted = round(min(expected, peak_db) - BELOW_KEY_DB, 1)
    limiter = insert.traits.is_limiter and insert.threshold_db is None
    changes = {"ceiling_db" if limiter else "threshold_db": wanted}
    step = EditStep("change_insert", {"insert": insert.id, "changes": changes})
    yield Remedy(f"Set the threshold of {insert.name or insert.id} to {words_db(wanted)} dB", (step,), "gain")
    trigger = analysis.strip(analysis.graph.tail[routes[0]])
    if len(routes) == 1 and trigger.fader_db is not None and analysis.graph.routes[routes[0]].tap == "post-fader":
        up_db = round(trigger.fader_db + threshold_db + BELOW_KEY_DB - min(expected, peak_db), 1)
        if up_db <= MOST_FADER_DB:
            fader = EditStep("change_strip", {"strip": trigger.id, "changes": {"fader_db": up_db}})
            yield Remedy(f"Set the fader of {trigger.name} to {words_db(up_db, plus=True)} dB", (fader,))


@check("key.double")
def ducked_twice(analysis: Analysis) -> Iterator[Finding]:
    """Sound that passes two inserts keyed by the same trigger: [outer strip, inner strip, trigger]."""
    graph = analysis.graph
    by_trigger: dict[int, list[int]] = defaultdict(list)
    for route in analysis.working_keys:
        by_trigger[graph.tail[route]].append(route)
    behind = _Behind(analysis)
    for trigger, routes in by_trigger.items():
        places = list(dict.fromkeys((graph.head[route], graph.key_node[route][1]) for route in routes))
        if len(places) < 2:
            continue
        for inner in places:
            if not analysis.sounds.arrives[inner[0]]:
                continue
            for outer in places:
                if inner != outer and behind.passes(inner, outer):
                    yield _double(analysis, inner, outer, trigger)


class _Behind:
    """Strips that the output of a strip's inserts reaches. Each strip is followed once, O(routes behind it)."""

    def __init__(self, analysis: Analysis) -> None:
        self.analysis = analysis
        self._known: dict[int, set[int]] = {}

    def passes(self, inner: tuple[int, str], outer: tuple[int, str]) -> bool:
        """The output of the insert of `inner` reaches the insert of `outer`."""
        if inner[0] == outer[0]:
            return self.analysis.graph.insert_at[inner[1]][1] < self.analysis.graph.insert_at[outer[1]][1]
        return outer[0] in self._of(inner[0])

    def _of(self, strip: int) -> set[int]:
        if strip not in self._known:
            graph, reach = self.analysis.graph, self.analysis.unblocked
            heads = {graph.head[r] for r in graph.outs[strip] if reach.route_ok[r] and graph.stage[r] != IN}
            found = {head for head in heads if reach.enters(head)}
            waiting = [head for head in heads if reach.monitors[head]]
            while waiting:
                for route in graph.outs[waiting.pop()]:
                    head = graph.head[route]
                    if reach.route_ok[route] and head not in found:
                        found.add(head)
                        if reach.monitors[head] and head not in heads:
                            waiting.append(head)
            self._known[strip] = found
        return self._known[strip]


def _double(analysis: Analysis, inner: tuple[int, str], outer: tuple[int, str], trigger: int) -> Finding:
    names = [analysis.name(inner[0]), analysis.name(outer[0])]
    return Finding(
        code="key.double",
        severity="note",
        message=f"{analysis.name(trigger)} ducks one path twice: on {names[0]} and {names[1]}",
        strips=tuple(dict.fromkeys(analysis.ids([outer[0], inner[0], trigger]))),
        inserts=(outer[1], inner[1]),
        evidence=(f"{names[0]} feeds {names[1]}",),
    )


explain(
    "key.unheard",
    many="{n} keys end at inserts without external key",
    found="A key route ends at an insert whose key is not external.",
    why="The ducking is routed but does not work.",
    how="The key setting of the insert at each key route is checked.",
    fix="Set the key of the insert to external.",
    decide="Only you know whether the key is intended. Set the key input, or remove the key.",
    place="map",
)

explain(
    "key.dormant",
    many="{n} keys feed inactive inserts",
    found="A key route ends at a bypassed or unloaded insert.",
    why="The ducking is routed but inactive. Check it before the job.",
    how="The state of the insert at each key route is checked.",
    fix="Turn the insert on when you need it.",
)

explain(
    "key.self",
    many="{n} inserts are keyed by their own signal",
    found="The only sources of the key are the sources of the insert itself.",
    why="The key has no effect. It is a leftover, or the wrong trigger.",
    how="The sources of the key are compared with the sources of the insert.",
    fix="Key it from the intended trigger, or remove the key.",
)

explain(
    "key.quiet",
    many="{n} keys never reach their threshold",
    found="The worst-case peak of the key is below the threshold of the insert.",
    why="The ducker or gate never works.",
    how=(
        "The peaks of all sources of the key, added in amplitude, are compared with the threshold. This is the "
        "upper bound."
    ),
    fix="Raise the trigger, or lower the threshold.",
    decide="The key carries no signal. Raise the trigger, or lower the threshold.",
    place="levels",
)

explain(
    "key.double",
    many="{n} paths are ducked twice by one trigger",
    found="A signal passes two inserts with the same trigger on one path.",
    why="The gain reduction is twice as deep as each insert shows.",
    how="Keyed inserts on every path are compared by their triggers.",
    fix="Remove one of the two, or waive the finding if both are intended.",
)
