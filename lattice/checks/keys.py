"""Keys (side-chains): triggers without a destination, inserts without a key signal, double ducking."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy, Severity
from lattice.checks.registry import check, explain
from lattice.gain_staging.chain import key_threshold_db
from lattice.graph.masks import masks
from lattice.graph.signal_graph import IN
from lattice.model.edit_step import EditStep
from lattice.model.units import words_db


@check("key.unfed")
def unfed_keys(analysis: Analysis) -> Iterator[Finding]:
    """Inserts that are on and keyed from outside, to which no key carries a source."""
    fed = {analysis.graph.key_node[route][1] for route in analysis.graph.keys if analysis.carries(route)}
    for strip_number, place in analysis.graph.inserts.listening:
        strip = analysis.strip(strip_number)
        insert = strip.inserts[place]
        if strip.in_service and insert.state == "on" and insert.id not in fed:
            routes = [route for route in analysis.graph.keys if analysis.graph.key_node[route][1] == insert.id]
            why = "it has no key route" if not routes else "its key routes carry no signal"
            yield Finding(
                code="key.unfed",
                severity="warning",
                message=f"{insert.name or insert.id} on {strip.name} has no key signal",
                strips=(strip.id,),
                routes=analysis.route_ids(routes),
                inserts=(insert.id,),
                evidence=(why,),
            )


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
    keys = [route for route in analysis.graph.keys if analysis.carries(route)]
    if not keys:
        return
    keyed = sorted({analysis.graph.head[route] for route in keys})
    bit_of_strip = {strip: 1 << (len(keys) + at) for at, strip in enumerate(keyed)}
    reached = masks(analysis.unblocked, bit_of_strip, {route: 1 << at for at, route in enumerate(keys)})
    shared = [-1] * len(keys)  # per key: the reach of all its sources
    for source in reached:
        bits = source & ((1 << len(keys)) - 1)
        while bits:  # the keys this source reaches, from the lowest bit on
            at = (bits & -bits).bit_length() - 1
            shared[at] &= source
            bits &= bits - 1
    for at, route in enumerate(keys):
        if shared[at] != -1 and shared[at] & bit_of_strip[analysis.graph.head[route]]:
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
            triggers = list(dict.fromkeys(analysis.graph.tail[route] for route in routes))
            figure = "off" if peak is None else f"{words_db(peak)} dBFS"
            yield Finding(
                code="key.quiet",
                severity="warning",
                message=f"{insert.name or insert.id} on {analysis.name(strip_number)} never triggers: key peak "
                f"{figure}, "
                f"threshold {words_db(threshold)} dB",
                strips=tuple(dict.fromkeys(analysis.ids([strip_number, *triggers]))),
                routes=analysis.route_ids(routes),
                inserts=(insert.id,),
                figures={"peak_dbfs": peak},
                evidence=(f"keyed by {analysis.names(triggers)}",),
            )


@check("key.double")
def ducked_twice(analysis: Analysis) -> Iterator[Finding]:
    """Sound that passes two inserts keyed by the same trigger: [outer strip, inner strip, trigger]."""
    graph = analysis.graph
    by_trigger: dict[int, list[int]] = defaultdict(list)
    for route in graph.keys:
        insert = graph.insert_of_key(route)
        if analysis.carries(route) and insert.key == "external" and insert.state == "on":
            by_trigger[graph.tail[route]].append(route)
    behind = _Behind(analysis)
    for trigger, routes in by_trigger.items():
        places = list(dict.fromkeys((graph.head[route], graph.key_node[route][1]) for route in routes))
        if len(places) < 2:
            continue
        keyed = sum({1 << strip for strip, _insert in places})
        for inner in places:
            if not analysis.sounds.arrives[inner[0]] or not (behind.of(inner[0]) | 1 << inner[0]) & keyed:
                continue
            for outer in places:
                if inner != outer and behind.passes(inner, outer):
                    yield _double(analysis, inner, outer, trigger)


class _Behind:
    """Strips that the output of a strip's inserts reaches, as bits. Each strip is followed once, O(routes)."""

    def __init__(self, analysis: Analysis) -> None:
        self.analysis = analysis
        self._known: dict[int, int] = {}

    def passes(self, inner: tuple[int, str], outer: tuple[int, str]) -> bool:
        """The output of the insert of `inner` reaches the insert of `outer`."""
        if inner[0] == outer[0]:
            return self.analysis.graph.insert_at[inner[1]][1] < self.analysis.graph.insert_at[outer[1]][1]
        return bool(self.of(inner[0]) >> outer[0] & 1)

    def of(self, strip: int) -> int:
        if strip not in self._known:
            graph, reach = self.analysis.graph, self.analysis.unblocked
            first = [r for r in graph.outs[strip] if reach.route_ok[r] and graph.stage[r] != IN]
            heads = {graph.head[route] for route in first}
            onward = reach.forward([head for head in heads if reach.monitors[head]]).fed
            come = (n for n in range(len(graph.strips)) if onward[n] or (n in heads and reach.enters(n)))
            self._known[strip] = sum(1 << n for n in come)
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
    "key.unfed",
    many="{n} keyed inserts have no key signal",
    found="An insert with an external key receives no signal at its key input.",
    why="The ducker or gate does nothing, though the mix depends on it.",
    how="The key routes of the insert are followed back to a source over open paths.",
    fix="Route its trigger to it, or set its key to internal.",
)

explain(
    "key.unheard",
    many="{n} keys end at inserts without external key",
    found="A key route ends at an insert whose key is not external.",
    why="The ducking is routed but does not work.",
    how="The key setting of the insert at each key route is checked.",
    fix="Set the key of the insert to external.",
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
)

explain(
    "key.double",
    many="{n} paths are ducked twice by one trigger",
    found="A signal passes two inserts with the same trigger on one path.",
    why="The gain reduction is twice as deep as each insert shows.",
    how="Keyed inserts on every path are compared by their triggers.",
    fix="Remove one of the two, or waive the finding if both are intended.",
)
