"""The one that differs from all its like: a tap, the order of a chain."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from functools import lru_cache, reduce

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.graph.signal_graph import DIGITS
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
    orders = analysis.graph.inserts.orders
    said: set[int] = set()
    for strips in _alike(analysis):
        by_order = Counter([orders[number] for number in strips])
        for usual, lone in _one_against_all(by_order):
            odd, like = (next(n for n in strips if orders[n] == order) for order in (lone, usual))
            if odd not in said:
                said.add(odd)
                yield _odd_chain(analysis, odd, like, by_order[usual])


def _alike(analysis: Analysis) -> Iterator[list[int]]:
    """Strips with several inserts: of one kind in a section, then buses that feed one strip."""
    graph, orders = analysis.graph, analysis.graph.inserts.orders
    of_section: dict[tuple[str, str], list[int]] = defaultdict(list)
    for number in orders:
        strip = graph.strips[number]
        if strip.section is not None:
            of_section[strip.section, strip.kind].append(number)
    yield from of_section.values()
    feeding: dict[int, dict[int, None]] = defaultdict(dict)
    for bus in graph.by_kind["bus"]:
        for route in graph.outs[bus] if bus in orders else ():
            if graph.routes[route].kind == "feed":
                feeding[graph.head[route]][bus] = None
    yield from map(list, feeding.values())


def _one_against_all(by_order: Counter[int]) -> Iterator[tuple[int, int]]:
    """(usual, odd) where the same types come in two orders, in one of them once."""
    for usual, count in by_order.items():
        if count >= FEWEST_CHAINS - 1:
            types = _types(usual)
            others = [order for order in by_order if order != usual and _types(order) == types]
            if len(others) == 1 and by_order[others[0]] == 1:
                yield usual, others[0]


@lru_cache(maxsize=1 << 12)
def _types(order: int) -> int:
    """The same digits in ascending order."""
    digits = []
    while order:
        order, digit = divmod(order, DIGITS)
        digits.append(digit)
    return reduce(lambda number, digit: number * DIGITS + digit, sorted(digits), 0)


def _odd_chain(analysis: Analysis, number: int, like: int, others: int) -> Finding:
    strip = analysis.strip(number)
    own, usual = ([insert.type for insert in analysis.strip(n).inserts] for n in (number, like))
    return Finding(
        code="chain.odd",
        severity="note",
        message=f"The chain of {strip.name} is {', '.join(own)}; {others} like it have {', '.join(usual)}",
        strips=(strip.id,),
        inserts=tuple(insert.id for insert in strip.inserts),
        evidence=(f"order of its like: {' → '.join(usual)}",),
        remedies=(Remedy("Order its chain like the others", tuple(_moves(strip, usual))),),
    )


def _moves(strip: Strip, usual: list[str]) -> Iterator[EditStep]:
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
