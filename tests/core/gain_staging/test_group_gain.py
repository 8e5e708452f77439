"""Gain of groups of loops against eigenvalues: the long-term growth is that of the powers of its matrix."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.gain_staging.gains import group_gain_db, loop_gain_db
from lattice.graph.loops import LoopGraph
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries

gains = st.sampled_from([-30.0, -12.0, -6.0, -3.0, 0.0, 2.0])


def group_of(made: Template) -> tuple[SignalGraph, float, int, np.ndarray]:
    """The one group of a template of mono buses: its gain, the routes of its cycle, and the matrix of its routes."""
    graph = SignalGraph(made)
    (loop,) = LoopGraph(graph).loops
    matrix = np.zeros((len(graph.strips), len(graph.strips)))
    for route in loop.group:
        matrix[graph.head[route], graph.tail[route]] += 10 ** ((graph.routes[route].gain_db or 0.0) / 20)
    return graph, group_gain_db(graph, loop.group, loop.cycle), len(loop.cycle), matrix


@given(gains, gains, gains)
@tries(60)
def test_loops_through_one_bus_add_up(one: float, other: float, third: float) -> None:
    strips = ["b:hub", "b:x", "b:y", "b:z"]
    routes = [f"send hub>x {one}", "x>hub", f"send hub>y {other}", "y>hub", f"send hub>z {third}", "z>hub"]
    _graph, gain_db, _length, _matrix = group_of(template(strips, routes))
    assert gain_db == pytest.approx(20 * np.log10(sum(10 ** (level / 20) for level in (one, other, third))))


@given(st.integers(3, 7).flatmap(lambda size: st.lists(gains, min_size=size * size, max_size=size * size)))
@tries(60)
def test_where_no_bus_lies_on_every_loop_it_is_the_spectral_radius_to_the_power_of_the_cycle(
    levels: list[float],
) -> None:
    size = round(len(levels) ** 0.5)
    strips = [f"b:s{n}" for n in range(size)]
    routes = [f"send s{a}>s{b} {levels[a * size + b]}" for a in range(size) for b in range(size) if a != b]
    _graph, gain_db, length, matrix = group_of(template(strips, routes))
    radius = float(np.abs(np.linalg.eigvals(matrix)).max())
    assert gain_db == pytest.approx(20 * length * np.log10(radius), abs=1e-6)


def test_a_large_group_is_settled_by_power_iteration() -> None:
    """150 buses in a ring with chords: more channels than the limit for all eigenvalues."""
    size = 150
    routes = [f"send s{n}>s{(n + 1) % size} -3" for n in range(size)]
    routes += [f"send s{n}>s{(n + 7) % size} -6" for n in range(size)]
    _graph, gain_db, length, matrix = group_of(template([f"b:s{n}" for n in range(size)], routes))
    radius = float(np.abs(np.linalg.eigvals(matrix)).max())
    assert gain_db == pytest.approx(20 * length * np.log10(radius), abs=1e-6)


@pytest.mark.parametrize(
    ("layout", "gain_db"), [("mono", -6.0), ("stereo", -6.0), ("5.1", -6.0), ("discrete:64", -6.0)]
)
def test_a_round_is_as_loud_however_wide_it_is(layout: str, gain_db: float) -> None:
    strips = [{"id": "x", "kind": "bus", "layout": layout}, {"id": "y", "kind": "bus", "layout": layout}]
    graph = SignalGraph(template(strips, ["x>y", "send y>x -6"]))
    (loop,) = LoopGraph(graph).loops
    assert loop_gain_db(graph, loop.cycle) == pytest.approx(gain_db)
    assert group_gain_db(graph, loop.group, loop.cycle) == pytest.approx(gain_db)


def test_channels_that_never_come_back_to_themselves_are_silent_in_the_long_run() -> None:
    """Channel 1 to 2 and back to nothing: a nilpotent matrix has spectral radius 0 (linear algebra)."""
    strips = [{"id": name, "kind": "bus", "layout": "discrete:2"} for name in "xy"]
    routes = [{"from": "x", "to": "y", "channels": [[1, 2]]}, {"from": "y", "to": "x", "channels": [[1, 2]]}]
    graph = SignalGraph(template(strips, routes))
    (loop,) = LoopGraph(graph).loops
    assert loop_gain_db(graph, loop.cycle) == float("-inf")
