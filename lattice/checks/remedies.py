"""Fixes of several checks: feed a strip to its bus, open the blocks of a path, trim a sum."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from statistics import median

from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks.finding import Remedy
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.trims import trimmed
from lattice.graph.origin import NO_OUTLET
from lattice.graph.paths import Blocker, Path
from lattice.model.edit_step import EditStep
from lattice.model.strip_kinds import SUMS


def feed_step(start: str, end: str, **fields: object) -> EditStep:
    """A new feed from one strip to another, by their ids."""
    return EditStep("add_route", {"route": {"kind": "feed", "from": start, "to": end, **fields}})


def disabling_steps(routes: Iterable[str]) -> tuple[EditStep, ...]:
    """Routes disabled, by their ids."""
    return tuple(EditStep("change_route", {"route": route, "changes": {"enabled": False}}) for route in routes)


def route_words(analysis: Analysis, route: int) -> str:
    """“the send from Bells to Hall”."""
    graph = analysis.graph
    return (
        f"the {graph.routes[route].kind} from {analysis.name(graph.tail[route])} to {analysis.name(graph.head[route])}"
    )


def feed_remedies(analysis: Analysis, strip: int, outlet: int = NO_OUTLET) -> tuple[Remedy, ...]:
    """Feed a strip to the bus of its section, or of the nearest section around it."""
    bus = analysis.destinations.section_bus(strip)
    return _feeds(analysis, strip, outlet, [] if bus is None else [bus])


def nearest_remedies(analysis: Analysis, strip: int, outlet: int = NO_OUTLET) -> tuple[Remedy, ...]:
    """Feed a source to its nearest sum, and to it with the sends of its neighbours (docs/reference/causes.md)."""
    ends = analysis.destinations.nearest(strip)
    found = list(_feeds(analysis, strip, outlet, ends)[:1])
    neighbours = [n for n in analysis.graph.sources_of_section[analysis.strip(strip).section] if n != strip]
    if outlet < 0:
        used = Counter(head for n in neighbours for head in _led_to(analysis, n) if head not in ends)
        others = [end for end, _count in used.most_common(MOST_ENDS)]
        found += [replace(one, asks=True) for one in _feeds(analysis, strip, outlet, others)]
    if found and outlet < 0 and analysis.strip(strip).section is not None:
        sends = tuple(_usual_sends(analysis, strip, neighbours))
        if sends:
            found.append(Remedy(f"{found[0].label}, with the sends of its neighbours", (*found[0].steps, *sends)))
    return tuple(found)


def _led_to(analysis: Analysis, strip: int) -> Iterator[int]:
    """Where a strip's feeds and sends go, effects aside."""
    graph = analysis.graph
    return (graph.head[r] for r in graph.outs[strip] if graph.strips[graph.head[r]].kind != "return")


def _feeds(analysis: Analysis, strip: int, outlet: int, ends: Iterable[int]) -> tuple[Remedy, ...]:
    """A feed to each destination from which an endpoint is reached, that may be fed and closes no loop."""
    leaving = {"from_outlet": analysis.graph.outlets[outlet][1].id} if outlet >= 0 else {}
    return tuple(
        Remedy(
            f"Feed to {analysis.name(end)}", (feed_step(analysis.strip(strip).id, analysis.strip(end).id, **leaving),)
        )
        for end in ends
        if analysis.could_be_heard.fed[end]
        and analysis.may_feed(strip, end, outlet)
        and not leads_to(analysis, end, strip)
    )


def leads_to(analysis: Analysis, start: int, end: int) -> bool:
    """Return whether a feed back from `end` to `start` would close a loop."""
    return end in analysis.downstream(start)


MOST_ENDS = 3  # of those where its like go that are offered
UNBLOCK: dict[str, tuple[str, dict[str, object]]] = {
    "out-of-service": ("Enable {name}", {"in_service": True}),
    "mute": ("Unmute {name}", {"mute": False}),
    "fader-off": ("Set the fader of {name} to 0 dB", {"fader_db": 0.0}),
    "not-monitored": ("Enable input monitoring of {name}", {"monitor": "always"}),
}


def open_remedies(analysis: Analysis, path: Path) -> tuple[Remedy, ...]:
    """One fix that opens every block of a path; none if an edit cannot open one of them."""
    found = [_opening(analysis, blocker) for blocker in path.blockers]
    openings = [opening for opening in found if opening is not None]
    if not openings or len(openings) < len(found):
        return ()
    labels = list(dict.fromkeys(label for label, _step in openings))
    label = labels[0] if len(labels) == 1 else f"{labels[0]} and open {len(labels) - 1} more on the path"
    return (Remedy(label, tuple(step for _label, step in openings)),)


def _opening(analysis: Analysis, blocker: Blocker) -> tuple[str, EditStep] | None:
    if blocker.route is not None:
        changes: dict[str, object] = {"enabled": True} if blocker.kind == "disabled" else {"gain_db": 0.0}
        label = "Enable the route" if blocker.kind == "disabled" else "Set the route to 0 dB"
        return label, EditStep("change_route", {"route": blocker.route, "changes": changes})
    strip = analysis.graph.index[blocker.strip]
    if blocker.kind == "outlet-closed" or (blocker.kind == "not-monitored" and analysis.graph.passes_input[strip]):
        return None
    words, changes = UNBLOCK[blocker.kind]
    return words.format(name=analysis.name(strip)), EditStep(
        "change_strip", {"strip": blocker.strip, "changes": changes}
    )


def onward_remedies(analysis: Analysis, stop: int) -> tuple[Remedy, ...]:
    """Lead a sum that leads nowhere on: to the bus of its section, else to where it may belong.

    It is the destination of similar strips, the most frequent first; then the only master; then the only output without
    other inputs, which a lost feed leaves behind. A sum without a section more likely led to the latter.
    """
    by_bus = feed_remedies(analysis, stop)
    if by_bus:
        return by_bus
    graph = analysis.graph
    like = [end for end in _ends_of_its_like(analysis, stop) if analysis.could_be_heard.fed[end]]
    masters = [end for end in graph.by_kind["master"] if analysis.could_be_heard.fed[end] and graph.ins[end]]
    silent = [end for end in graph.by_kind["output"] if not analysis.could_sound.arrives[end]]
    known = [like[:MOST_ENDS], masters if len(masters) == 1 else [], silent if len(silent) == 1 else []]
    if analysis.strip(stop).section is None:
        known.reverse()
    good = [end for ends in known for end in ends if analysis.may_feed(stop, end) and not leads_to(analysis, end, stop)]
    nearest = (end for end in analysis.destinations.nearest(stop) if analysis.could_be_heard.fed[end])
    good = good or [end for end in nearest if analysis.may_feed(stop, end) and not leads_to(analysis, end, stop)][:1]
    return tuple(_feed(analysis, stop, end) for end in dict.fromkeys(good))


def _feed(analysis: Analysis, start: int, end: int) -> Remedy:
    label = f"Feed {analysis.name(start)} to {analysis.name(end)}"
    return Remedy(label, (feed_step(analysis.strip(start).id, analysis.strip(end).id),))


def _ends_of_its_like(analysis: Analysis, stop: int) -> list[int]:
    """Where buses of other sections go, of a section's bus; of another sum, where those of its kind and section go."""
    graph, strip = analysis.graph, analysis.strip(stop)
    buses = {graph.index[section.bus] for section in analysis.template.sections if section.bus}
    like = (
        buses if stop in buses else {n for n in graph.by_kind[strip.kind] if graph.strips[n].section == strip.section}
    )
    ends = Counter(graph.head[route] for number in like - {stop} for route in _leaving(analysis, number, "feed"))
    sums = {end: count for end, count in ends.items() if graph.strips[end].kind in SUMS}
    return sorted(sums, key=lambda end: (-sums[end], end))


def _leaving(analysis: Analysis, strip: int, kind: str) -> list[int]:
    graph = analysis.graph
    return [route for route in graph.outs[strip] if graph.routes[route].kind == kind and graph.routes[route].enabled]


def _usual_sends(analysis: Analysis, strip: int, neighbours: list[int]) -> Iterator[EditStep]:
    """Sends that most neighbours have and the strip has not, at the middle of their levels."""
    graph, levels = analysis.graph, defaultdict(list)
    for number in neighbours:
        for route in _leaving(analysis, number, "send"):
            gain_db = graph.routes[route].gain_db
            if gain_db is not None:
                levels[graph.head[route]].append(gain_db)
    there = {graph.head[route] for route in graph.outs[strip]}
    for end, gains_db in sorted(levels.items()):
        if 2 * len(gains_db) > len(neighbours) and end not in there:
            ends = {"from": graph.strips[strip].id, "to": graph.strips[end].id}
            yield EditStep("add_route", {"route": {"kind": "send", **ends, "gain_db": round(median(gains_db), 1)}})


def measured_remedy(name: str, strip: str, insert: str | None, samples: int) -> Remedy:
    """Enter a measured latency as compensated."""
    changes = {"latency_samples": samples}
    if insert is None:
        step = EditStep("change_strip", {"strip": strip, "changes": changes})
    else:
        step = EditStep("change_insert", {"insert": insert, "changes": changes})
    return Remedy(f"Set {name} to {samples} samples (measured)", (step,))


def trim_steps(levels: Levels, number: int, change_db: float) -> tuple[EditStep, ...]:
    """The same change on every input of a sum: its balance stays."""
    return tuple(
        EditStep("change_route", {"route": route, "changes": {"gain_db": gain_db}})
        for route, gain_db in trimmed(levels, number, change_db)
    )
