"""Fast paths against plain references; those of levels, timing and stems are in `naive.py` and brute.py."""

from __future__ import annotations

import networkx as nx
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.analysis import Analysis
from lattice.checks.hygiene import DEFAULT_NAME, _compared
from lattice.formats.control_characters import control_problems, may_hold_controls
from lattice.formats.document_json import encode
from lattice.gain_staging.gains import route_matrices, route_matrix, spectral_radius
from lattice.gain_staging.matrix import congruence, matmul
from lattice.gain_staging.plain import expected_at
from lattice.graph.loops import PASSES, LoopGraph
from lattice.graph.reach import Reach, downstream
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from lattice.model.layouts import Matrix, product
from lattice.model.validate import GOOD_ID, _all_good
from tests.build import template
from tests.deep import tries
from tests.flows import flows
from tests.strategies import templates

odd_texts = st.text(st.sampled_from("ab-0 \n\t\r\x0b\x1f\x7f\x85\u00a0\u2028ßé\ufffe"), max_size=6)
matrices = st.integers(1, 5).flatmap(
    lambda size: st.lists(
        st.lists(st.sampled_from([0.0, 0.0, 0.5, 1.0, 2.0]), min_size=size, max_size=size), min_size=size, max_size=size
    )
)


@given(templates())
@tries(200)
def test_what_is_said_to_run_forward_has_no_cycle(made: Template) -> None:
    loops = LoopGraph(SignalGraph(made))
    edges = nx.DiGraph([edge[:2] for name in PASSES for edge in loops.edges[name]])
    on_cycles = set().union(
        *(group for group in nx.strongly_connected_components(edges) if len(group) > 1), nx.nodes_with_selfloops(edges)
    )
    assert on_cycles <= loops.core
    assert bool(loops.core) == bool(on_cycles)


@given(st.one_of(templates(), flows()))
@tries(200)
def test_matrices_of_all_routes_are_those_of_each(made: Template) -> None:
    graph = SignalGraph(made)
    for route, matrix in enumerate(route_matrices(graph)):
        if graph.routes[route].kind in ("feed", "send", "tie"):
            assert matrix == route_matrix(graph, route)


@given(flows())
@tries(100)
def test_a_plain_source_is_as_loud_at_every_insert_as_its_stages_say(made: Template) -> None:
    levels = Analysis(made).levels
    for strip, plain in levels.sources.items():
        for place, stage in enumerate(levels.stages[strip]):
            expected = max(stage.levels.e2) * stage.rms_gain**2
            assert expected_at(made.strips[strip], plain, place) ** 2 == pytest.approx(expected, rel=1e-12)


@given(templates())
@tries(100)
def test_what_lies_downstream_is_what_a_sweep_over_all_strips_comes_to(made: Template) -> None:
    graph = SignalGraph(made)
    for strip in range(len(graph.strips)):
        leaves = Reach(graph, states=False).forward([strip]).leaves
        assert downstream(graph, strip) == {number for number, there in enumerate(leaves) if there}


@given(matrices)
@tries(200)
def test_the_spectral_radius_is_the_largest_absolute_eigenvalue(matrix: list[list[float]]) -> None:
    expected = float(np.abs(np.linalg.eigvals(np.array(matrix))).max())
    assert spectral_radius(matrix) == pytest.approx(
        expected, abs=1e-6
    )  # for a defective matrix NumPy is no more accurate


@given(matrices, matrices)
@tries(200)
def test_products_pass_over_zeros_and_identities_only(one: list[list[float]], other: list[list[float]]) -> None:
    if len(one) == len(other):
        expected = np.array(one) @ np.array(other)
        assert np.allclose(matmul(one, other), expected)
        assert np.allclose(product(Matrix(map(tuple, one)), Matrix(map(tuple, other))), expected)
        spread = np.array(other) + np.array(other).T
        assert np.allclose(congruence(one, spread.tolist()), np.array(one) @ spread @ np.array(one).T)


@given(st.lists(st.one_of(odd_texts, st.just("x" * 65), st.just("kick-2")), max_size=5))
@tries(300)
def test_ids_are_good_together_exactly_where_each_is(ids: list[str]) -> None:
    assert _all_good(ids) == all(GOOD_ID.fullmatch(one) for one in ids)


@given(st.lists(st.one_of(odd_texts, st.just("Kick  In")), min_size=1, max_size=5))
@tries(300)
def test_names_are_compared_together_as_each_is(names: list[str]) -> None:
    assert _compared(names) == [" ".join(name.casefold().split()) for name in names]


@given(odd_texts)
@tries(300)
def test_bytes_tell_of_every_control_character(text: str) -> None:
    made = template([{"id": "x", "kind": "audio"}], [], note=text, info={"a": text})
    plain = {"note": text, "info": {"a": text}}
    if list(control_problems(plain)):
        assert may_hold_controls(encode(made))


@pytest.mark.parametrize(
    ("name", "is_default"),
    [("Audio 12", True), ("audio_3", True), ("Bus", False), ("Audio 1 L", False), ("Return #2 ", True)],
)
def test_default_names_are_found_in_a_row_of_names(name: str, is_default: bool) -> None:
    joined = "\n".join(["Kick", name, "Bass"])
    assert [found[0] for found in DEFAULT_NAME.finditer(joined)] == ([name] if is_default else [])
