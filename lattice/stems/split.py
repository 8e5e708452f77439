"""A shared return taken apart: which of its routes belong to which stem."""

from __future__ import annotations

from lattice.errors import EditError
from lattice.graph.reach import Reach
from lattice.stems.taps import Taps


def split_plan(taps: Taps, number: int, set_name: str) -> dict[int, list[int]]:
    """Which routes into a shared return belong to which stem.

    Parameters
    ----------
    taps
        Taps of the template.
    number
        Position of the return.
    set_name
        The set of stems to take it apart for.

    Returns
    -------
    dict
        Number of a stem → routes that are to go to a copy of the return for it: those whose strip reaches that stem by
        feeds alone. What stays with the return is left out.

    Raises
    ------
    EditError
        With the reason, where a copy for each stem cannot be made.
    """
    graph, its = taps.graph, taps.sets.get(set_name)
    if its is None:
        raise EditError(f"there is no set {set_name}")
    name, home = graph.strips[number].name, taps.feeds(taps.fed[number]) & its.stem_bits
    found: dict[int, list[int]] = {}
    for route in graph.ins[number]:
        mask = taps.outlet[graph.outlet[route]] if graph.outlet[route] >= 0 else taps.own[graph.tail[route]]
        own = taps.feeds(mask) & its.stem_bits
        if not own or own & home:
            continue
        stem = (own & -own).bit_length() - 1
        found.setdefault(stem, []).append(route)
    if not found:
        raise EditError(f"nothing of another stem comes to {name}")
    if not home and len(found) > 1:  # it is in none itself: it stays with the first
        del found[min(found)]
    for stem, routes in found.items():
        _may_return(taps, stem, routes, number)
    return dict(sorted(found.items()))


def _may_return(taps: Taps, stem: int, routes: list[int], number: int) -> None:
    graph, piece = taps.graph, taps.stems[stem]
    end = graph.index[piece.strip or ""]
    if graph.machine_of(end) != graph.machine_of(number):
        raise EditError(f"{graph.strips[end].name} is on another machine than {graph.strips[number].name}")
    downstream = Reach(graph, states=False).forward([end]).leaves
    for route in routes:
        tail = graph.tail[route]
        if graph.outlet[route] < 0 and downstream[tail]:
            sender = graph.strips[tail].name
            raise EditError(f"{sender} lies behind the tap of {piece.name}: a return to it would feed back")
