"""The one that differs from all its like: a tap, the order of a chain."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.model.document import Strip
from lattice.model.edit_step import EditStep

FEWEST_FEEDS, FEWEST_CHAINS = 5, 4


@check("tap.odd")
def odd_taps(analysis: Analysis) -> Iterator[Finding]:
    """One feed of a section's sources into a bus that leaves at another tap than all the others."""
    graph = analysis.graph
    for bus in graph.by_kind["bus"]:
        ins = graph.ins[bus]
        if len(ins) < FEWEST_FEEDS or len({graph.stage[route] for route in ins}) < 2:
            continue
        by_section: dict[str | None, list[int]] = defaultdict(list)
        for route in graph.ins[bus]:
            if graph.routes[route].kind == "feed" and graph.is_source[graph.tail[route]]:
                by_section[graph.strips[graph.tail[route]].section].append(route)
        for section, routes in by_section.items():
            taps = Counter(graph.routes[route].tap for route in routes)
            if section is None or len(routes) < FEWEST_FEEDS or len(taps) != 2 or min(taps.values()) != 1:
                continue
            usual = taps.most_common(1)[0][0]
            odd = next(route for route in routes if graph.routes[route].tap != usual)
            tail = graph.tail[odd]
            step = EditStep("change_route", {"route": graph.routes[odd].id, "changes": {"tap": usual}})
            yield Finding(
                code="tap.odd",
                severity="note",
                message=f"{analysis.name(tail)} feeds {analysis.name(bus)} {graph.routes[odd].tap}; the other "
                f"{len(routes) - 1} are {usual}",
                strips=analysis.ids([tail, bus]),
                routes=(graph.routes[odd].id,),
                figures={"feeds": len(routes)},
                evidence=(f"{len(routes) - 1} of {len(routes)} feeds of its section are {usual}",),
                remedies=(Remedy(f"Set its tap to {usual}", (step,)),),
            )


@check("chain.odd")
def odd_chains(analysis: Analysis) -> Iterator[Finding]:
    """One chain with the types of its like in another order than all the others."""
    said: set[int] = set()
    for by_order in _orders(analysis):
        if len(by_order) < 2:
            continue
        by_types: dict[tuple[str, ...], list[tuple[str, ...]]] = defaultdict(list)
        for order in by_order:
            by_types[tuple(sorted(order))].append(order)
        for orders in by_types.values():
            if len(orders) != 2:
                continue
            usual, lone = sorted(orders, key=lambda order: -len(by_order[order]))
            many, odd = len(by_order[usual]) + 1, by_order[lone][0]
            if len(by_order[lone]) == 1 and many >= FEWEST_CHAINS and odd not in said:
                said.add(odd)
                yield _odd_chain(analysis, odd, usual, many - 1)


Orders = dict[tuple[str, ...], list[int]]  # types in the order of a chain → strips


def _orders(analysis: Analysis) -> Iterator[Orders]:
    """The chains of strips of one kind in a section, then of buses that feed one strip."""
    graph = analysis.graph
    by_section: dict[tuple[str, str], Orders] = {}
    for number, order in graph.inserts.orders.items():
        strip = graph.strips[number]
        if strip.section is not None:
            by_section.setdefault((strip.section, strip.kind), {}).setdefault(order, []).append(number)
    yield from by_section.values()
    by_head: dict[int, dict[int, None]] = defaultdict(dict)
    for bus in graph.by_kind["bus"]:
        if len(graph.strips[bus].inserts) > 1:
            for route in graph.outs[bus]:
                if graph.routes[route].kind == "feed":
                    by_head[graph.head[route]][bus] = None
    for buses in by_head.values():
        orders: Orders = {}
        for bus in buses:
            orders.setdefault(graph.inserts.orders[bus], []).append(bus)
        yield orders


def _odd_chain(analysis: Analysis, number: int, usual: tuple[str, ...], others: int) -> Finding:
    strip, own = analysis.strip(number), analysis.graph.inserts.orders[number]
    return Finding(
        code="chain.odd",
        severity="note",
        message=f"The chain of {strip.name} is {', '.join(own)}; {others} like it have {', '.join(usual)}",
        strips=(strip.id,),
        inserts=tuple(insert.id for insert in strip.inserts),
        evidence=(f"order of its like: {' → '.join(usual)}",),
        remedies=(Remedy("Order its chain like the others", tuple(_moves(strip, usual))),),
    )


def _moves(strip: Strip, usual: tuple[str, ...]) -> Iterator[EditStep]:
    """Moves, one behind the other, that give a chain the usual order."""
    chain = list(strip.inserts)
    for place, wanted in enumerate(usual):
        at = next(n for n in range(place, len(chain)) if chain[n].type == wanted)
        if at != place:
            chain.insert(place, chain.pop(at))
            yield EditStep("move_insert", {"insert": chain[place].id, "to": place})


explain(
    "tap.odd",
    many="{n} feeds leave at an unusual tap",
    found="Of five or more feeds of one section into one bus, one leaves at another tap than all the others.",
    why="Its level differs from the others as soon as a fader moves.",
    how="The taps of feeds of sources are counted for each section and bus.",
    fix="Give it the tap of the others.",
)

explain(
    "chain.odd",
    many="{n} chains have an unusual order",
    found="Of four or more chains with the same types of inserts, one has another order than all the others.",
    why="It was changed by accident, or copied from elsewhere.",
    how="Strips of one kind in a section are compared, and buses that feed one strip.",
    fix="Order it like the others.",
)
