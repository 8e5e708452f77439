"""References that are processed, and returns that go past the processing of their senders."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy, first_of
from lattice.checks.registry import check, explain
from lattice.checks.remedies import feed_step
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import IN
from lattice.model.document import Insert
from lattice.model.edit_step import EditStep
from lattice.model.names import with_kind

SHAPING = ("compressor", "limiter", "clipper", "saturator")


def _changes_sound(insert: Insert) -> bool:
    return insert.state == "on" and (not insert.traits.is_transparent or insert.gain_db != 0)


@check("reference.processed")
def processed_references(analysis: Analysis) -> Iterator[Finding]:
    """References with an active insert on an open way to an output; not behind the taps of all mixes."""
    tagged = set(analysis.graph.by_tag["reference"])
    references = [origin for origin in analysis.sources if origin.strip in tagged] if tagged else []
    if not references:
        return
    outputs = [n for n in analysis.graph.by_kind["output"] if n not in analysis.graph.tied_out]
    leads = analysis.unblocked.to_strips(outputs)
    behind = _behind_all_mixes(analysis)
    for origin in references:
        found = list(_processing(analysis, origin, leads.fed, behind))
        if found:
            first = found[0][0]
            name = analysis.source_name(*origin)
            lines = [f"{insert.title} on {analysis.name(strip)}" for strip, insert in found]
            yield Finding(
                code="reference.processed",
                severity="warning",
                message=f"Reference {name} passes {lines[0]}",
                strips=tuple(dict.fromkeys(analysis.ids([origin.strip, first]))),
                outlets=analysis.outlet_id(*origin),
                inserts=tuple(insert.id for _strip, insert in found),
                evidence=first_of(lines),
                remedies=_past_the_mix(analysis, origin, first, [insert for _strip, insert in found]),
            )


def _behind_all_mixes(analysis: Analysis) -> set[int]:
    """Strips behind the taps of all mixes, or behind the last sum if none is declared: room correction is there."""
    graph = analysis.graph
    mixes = [graph.index[stem.strip] for stem in analysis.template.stems if stem.role == "mix" and stem.strip]
    if not mixes and analysis.destinations.last_sum is not None:
        mixes = [analysis.destinations.last_sum]
    return set.intersection(*(analysis.downstream(mix) - {mix} for mix in mixes)) if mixes else set()


def _processing(
    analysis: Analysis, origin: Origin, leads: list[bool], behind: Collection[int]
) -> Iterator[tuple[int, Insert]]:
    """(strip, insert) of the active inserts on a source's open ways to outputs, the nearest first."""
    graph, reach = analysis.graph, analysis.unblocked
    waiting = [(origin.strip, graph.outs[origin.strip] if origin.outlet < 0 else graph.outlet_outs[origin.outlet])]
    seen = {origin.strip}
    while waiting:
        at, outs = waiting.pop(0)
        onward = [r for r in outs if reach.route_ok[r] and leads[graph.head[r]]]
        is_output = graph.strips[at].kind == "output" and at not in graph.tied_out
        is_passed = is_output or any(graph.stage[r] != IN for r in onward)
        if is_passed and at not in behind and (at != origin.strip or origin.outlet < 0):
            yield from ((at, insert) for insert in graph.strips[at].inserts if _changes_sound(insert))
        for route in onward:
            head = graph.head[route]
            if head not in seen:
                seen.add(head)
                if reach.monitors[head]:
                    waiting.append((head, graph.outs[head]))


def _past_the_mix(analysis: Analysis, origin: Origin, first: int, inserts: list[Insert]) -> tuple[Remedy, ...]:
    """The reference straight to the main output; inserts of its own strip bypassed."""
    graph, end = analysis.graph, analysis.destinations.main_output
    if first == origin.strip:
        own = [insert.id for insert in graph.strips[first].inserts if insert in inserts]
        steps = tuple(EditStep("change_insert", {"insert": one, "changes": {"state": "bypassed"}}) for one in own)
        return (Remedy(f"Bypass the inserts of {analysis.name(first)}", steps),)
    if end is None or first == end or origin.outlet >= 0 or graph.machine_of(end) != graph.machine_of(origin.strip):
        return ()
    moved = [r for r in graph.outs[origin.strip] if graph.head[r] != end and graph.routes[r].kind != "tie"]
    steps = (EditStep("remove_routes", {"routes": list(analysis.route_ids(moved))}),)
    if not any(graph.head[r] == end for r in graph.outs[origin.strip]):
        steps = (*steps, feed_step(graph.strips[origin.strip].id, graph.strips[end].id))
    return (Remedy(f"Feed it to {analysis.name(end)}, past {analysis.name(first)}", steps),)


@check("return.past")
def past_the_bus(analysis: Analysis) -> Iterator[Finding]:
    """Returns that pass none of a bus with dynamics that all ways of their dry senders pass."""
    graph, end = analysis.graph, analysis.destinations.main_output
    if end is None:
        return
    shaping = {
        n
        for kind in ("bus", "master")
        for n in graph.by_kind[kind]
        if any(insert.state == "on" and insert.type in SHAPING for insert in graph.strips[n].inserts)
    }
    leads: dict[int, set[int]] = {}
    dry: dict[int, frozenset[int]] = {}
    for number in graph.by_kind["return"]:
        own = analysis.downstream(number)
        left = shaping - own
        if end not in own or not left:
            continue
        starts: set[frozenset[int]] = set()
        for sender in _senders(analysis, number):
            if sender not in dry:
                dry[sender] = frozenset(_dry_heads(analysis, sender))
            heads = dry[sender]
            if heads not in starts:
                starts.add(heads)
                left = left & set().union(*(analysis.downstream(head) for head in heads))
                if not left:
                    break
        ways = [head for heads in starts for head in heads if end in analysis.downstream(head)]
        if not ways:
            continue
        # A bus that all ways pass is on any one of them: few are looked at in full.
        for bus in sorted(left.intersection(_one_way(analysis, ways[0], end) or left)):
            if bus not in leads:
                leads[bus] = _without(analysis, bus, end)
            if number in leads[bus] and all(head == bus or head not in leads[bus] for head in ways):
                yield _past(analysis, number, bus)
                break


def _senders(analysis: Analysis, number: int) -> Iterator[int]:
    graph = analysis.graph
    return (graph.tail[r] for r in graph.ins[number] if graph.routes[r].kind == "send")


def _dry_heads(analysis: Analysis, sender: int) -> Iterator[int]:
    """Where a sender goes beside its returns, on open routes."""
    graph, ok = analysis.graph, analysis.unblocked.route_ok
    heads = (graph.head[r] for r in graph.outs[sender] if ok[r])
    return (head for head in heads if graph.strips[head].kind != "return")


def _one_way(analysis: Analysis, start: int, end: int) -> list[int]:
    """The strips of one open way, both ends included; empty where there is none."""
    graph, ok = analysis.graph, analysis.unblocked.route_ok
    came: dict[int, int] = {start: -1}
    waiting = [start]
    for at in waiting:
        if at == end:
            break
        for route in graph.outs[at]:
            head = graph.head[route]
            if ok[route] and head not in came:
                came[head] = at
                waiting.append(head)
    found, at = [], end if end in came else -1
    while at >= 0:
        found.append(at)
        at = came[at]
    return found


def _without(analysis: Analysis, bus: int, end: int) -> set[int]:
    """Strips from which an output is reached on open ways that do not pass a bus."""
    graph, reach = analysis.graph, analysis.unblocked
    found, waiting = {end}, [end]
    while waiting:
        for route in graph.ins[waiting.pop()]:
            tail = graph.tail[route]
            if reach.route_ok[route] and tail != bus and tail not in found:
                found.add(tail)
                waiting.append(tail)
    return found


def _past(analysis: Analysis, number: int, bus: int) -> Finding:
    insert = next(i for i in analysis.strip(bus).inserts if i.state == "on" and i.type in SHAPING)
    return Finding(
        code="return.past",
        severity="note",
        message=f"{with_kind('Return', analysis.name(number))} goes past {analysis.name(bus)}; its senders pass it",
        strips=analysis.ids([number, bus]),
        inserts=(insert.id,),
        evidence=(f"{insert.title} on {analysis.name(bus)} works on the dry sound alone",),
        cause=("past", analysis.strip(bus).id),
    )


explain(
    "reference.processed",
    many="{n} references are processed",
    found="A source tagged reference passes an active insert on a path to an output.",
    why="The comparison is wrong: the reference passes your own mix processing.",
    how=(
        "Open paths from the reference to outputs are followed. Meters, tuners and gains at 0 dB are left out. So are "
        "inserts behind the taps of all mixes, such as room correction."
    ),
    fix="Feed the reference straight to the output.",
    decide="Only you know the output for the reference. Reroute it on the map.",
    place="map",
)

explain(
    "return.past",
    many="{n} returns go past the processing of their senders",
    found="The dry senders of a return all pass one bus with dynamics, and the return does not.",
    why="The bus ducks or limits the dry sound alone. The effect sticks out.",
    how="Paths to the main output are followed with and without each bus that has active dynamics.",
    fix="Feed the return to the bus, if it should move with it.",
)
