"""A shared return taken apart: which of its routes belong to which stem."""

from __future__ import annotations

from lattice.deliverables.taps import Taps
from lattice.errors import EditError
from lattice.graph.reach import downstream


def split_plan(taps: Taps, return_number: int, set_name: str) -> dict[int, list[int]]:
    """Which routes into a shared return belong to which stem.

    Parameters
    ----------
    taps
        Taps of the template.
    return_number
        Position of the return.
    set_name
        The set of stems to take it apart for.

    Returns
    -------
    dict
        Number of a stem → routes that move to a copy of the return for it: those whose strip reaches that stem by feeds
        alone. Routes that stay with the return are left out.

    Raises
    ------
    EditError
        With the reason, where a copy for each stem cannot be made.
    """
    graph, its = taps.graph, taps.sets.get(set_name)
    if its is None:
        raise EditError(f"set {set_name} does not exist")
    name, home = graph.strips[return_number].name, taps.feeds(taps.fed[return_number]) & its.stem_bits
    plan: dict[int, list[int]] = {}
    for route in graph.ins[return_number]:
        mask = taps.outlet[graph.outlet[route]] if graph.outlet[route] >= 0 else taps.own[graph.tail[route]]
        own = taps.feeds(mask) & its.stem_bits
        if not own or own & home:
            continue
        stem = (own & -own).bit_length() - 1
        plan.setdefault(stem, []).append(route)
    if not plan:
        raise EditError(f"{name} receives no other stem")
    if not home and len(plan) > 1:  # it is in none itself: it stays with the first
        del plan[min(plan)]
    for stem, routes in plan.items():
        _may_return(taps, stem, routes, return_number)
    return dict(sorted(plan.items()))


def _may_return(taps: Taps, stem: int, routes: list[int], return_number: int) -> None:
    graph, stem_of_copy = taps.graph, taps.stems[stem]
    end = graph.index[stem_of_copy.strip or ""]
    if graph.machine_of(end) != graph.machine_of(return_number):
        raise EditError(f"{graph.strips[end].name} and {graph.strips[return_number].name} are on different machines")
    behind = downstream(graph, end)
    for route in routes:
        tail = graph.tail[route]
        if graph.outlet[route] < 0 and tail in behind:
            sender = graph.strips[tail].name
            raise EditError(f"{sender} follows the tap of {stem_of_copy.name}: a return to it would feed back")
