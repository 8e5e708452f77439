"""Shapes that cost most are audited whole, traced and drawn; how long that takes is measured by a tool, not here."""

from __future__ import annotations

from xml.etree import ElementTree

import pytest

from lattice.analysis import Analysis
from lattice.checks import audit, audit_of
from lattice.checks.waivers import UNFINISHED
from lattice.exports import EXPORTS
from lattice.graph.signal_graph import SignalGraph
from lattice.tracing import MOST_PATHS, trace
from tests import shapes

pytestmark = pytest.mark.slow


@pytest.mark.parametrize("name", shapes.SHAPES)
def test_a_shape_is_audited_whole(name: str) -> None:
    made = shapes.SHAPES[name]()
    assert len(made.strips) <= 300
    assert len(made.routes) <= 3500
    found = audit(made).findings
    assert found
    assert UNFINISHED not in {finding.code for finding in found}


@pytest.mark.parametrize("name", ["complete", "keys from all to all", "random with loops"])
def test_a_knot_is_drawn(name: str) -> None:
    made = shapes.SHAPES[name]()
    assert ElementTree.fromstring(EXPORTS["svg"].write(made))  # noqa: S314 - our own drawing


def test_each_diamond_of_a_chain_is_one_double_path() -> None:
    found = [finding for finding in audit(shapes.diamonds(40)).findings if finding.code == "route.double-path"]
    assert [finding.strips[:2] for finding in found] == [(f"d{n}", f"d{n + 1}") for n in range(40)]
    assert found[0].figures["rise_db"] == pytest.approx(6.02, abs=0.01)


def test_pairs_beyond_all_listing_are_counted() -> None:
    found = [finding for finding in audit(shapes.layered()).findings if finding.code == "route.double-path"]
    assert found[-1].evidence[-1].endswith("more pairs of strips, not listed")
    more = int(found[-1].evidence[-1].split()[1])
    # two paths lead to each of the 10 strips of every layer from the second next on: of 29 layers, from the one fed
    # strip of the first to 27, from the 10 of the others to 26, 25 … 1
    assert len(found) + more == 1 * 10 * 27 + 10 * 10 * sum(range(1, 27))


def test_ways_that_cannot_all_be_listed_are_cut_short_and_said_to_be() -> None:
    found = trace(SignalGraph(shapes.diamonds(40)), "src")
    assert len(found.paths) == MOST_PATHS
    assert not found.complete


def test_an_audit_that_runs_out_of_time_says_what_it_did_not_look_at() -> None:
    made = shapes.diamonds(3)
    stopped = audit_of(Analysis(made), budget_s=-1.0).findings
    (unfinished,) = [finding for finding in stopped if finding.code == UNFINISHED]
    assert unfinished.severity == "warning"
    assert "route.double-path" in unfinished.evidence[0]
    assert UNFINISHED not in {finding.code for finding in audit(made).findings}


def test_time_is_up_for_an_audit_and_not_for_what_is_asked_afterwards() -> None:
    analysis = Analysis(shapes.many_sources(20, 4))
    audit_of(analysis, budget_s=-1.0)
    assert analysis.response((analysis.graph.index["a0"], -1)).at_in
