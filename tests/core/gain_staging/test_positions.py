"""Positions of a panner's inputs: levels, rules that hold through it, refusals, and the angles of loudspeakers."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.formats.insert_cells import insert_text, read_insert
from lattice.model.document import Insert, Template
from lattice.model.layouts import AZIMUTHS, NAMED, channel_count, channel_names, panner_matrix, positioned_matrix
from tests.build import template
from tests.deep import tries

PEAK = 10 ** (-6 / 20)


def panned(positions: list[str | None] | None, **fields: Any) -> Template:
    """Two mono sources on the inputs of a panner from stereo to 5.1."""
    panner = {"id": "p", "type": "panner", "layout_out": "5.1", "positions": positions, **fields}
    return template(
        ["a:one", "a:two", {"id": "stage", "kind": "bus", "layout": "stereo", "inserts": [panner]}, {"id": "out", "kind": "output", "layout": "5.1", "io": [1, 2, 3, 4, 5, 6]}],
        [{"from": "one", "to": "stage", "channels": [[1, 1]]}, {"from": "two", "to": "stage", "channels": [[1, 2]]}, "stage>out"],
        rules=[{"id": "r", "name": "One in front", "kind": "lands-on", "sources": ["strip:one"], "to": ["strip:out"], "channels": ["L", "C"]}],
    )  # fmt: skip


@pytest.mark.parametrize(
    ("positions", "peaks"),
    [
        (["C", "Ls"], {"C": PEAK, "Ls": PEAK}),
        (["C", "C"], {"C": 2 * PEAK}),
        (["LFE"], dict.fromkeys(("L", "R", "C", "Ls", "Rs"), PEAK) | {"LFE": PEAK}),  # the second is spread as before
    ],
)
def test_an_input_with_a_position_is_at_unity_there_and_nowhere_else(
    positions: list[str | None], peaks: dict[str, float]
) -> None:
    levels = Analysis(panned(positions)).levels
    found = dict(zip(channel_names("5.1"), levels.stages[3][0].levels.p, strict=True))
    assert found == pytest.approx(dict.fromkeys(channel_names("5.1"), 0.0) | peaks)


@pytest.mark.parametrize(("positions", "broken"), [(["C"], 0), (["Ls"], 1), (None, 1)])
def test_rules_of_channels_hold_through_a_panner(positions: list[str | None] | None, broken: int) -> None:
    assert [finding.code for finding in audit(panned(positions)).findings].count("rule.broken") == broken


def test_a_bypassed_panner_has_no_positions() -> None:
    on, off = (Analysis(panned(["C", "C"], state=state)).levels for state in ("on", "bypassed"))
    assert off.stages[3][0].levels.p[2] == 0 < on.stages[3][0].levels.p[2]


@given(st.sampled_from(sorted(NAMED)), st.sampled_from(sorted(NAMED)), st.data())
@tries(100)
def test_what_has_no_position_is_spread_as_before(source: str, destination: str, data: st.DataObject) -> None:
    names = st.one_of(st.none(), st.sampled_from(channel_names(destination)))
    positions = tuple(data.draw(st.lists(names, max_size=channel_count(source))))
    made = np.array(positioned_matrix(source, destination, positions))
    usual = np.array(panner_matrix(source, destination)) if source != destination else np.eye(channel_count(source))
    for column in range(channel_count(source)):
        name = positions[column] if column < len(positions) else None
        if name is None:
            np.testing.assert_array_equal(made[:, column], usual[:, column])
        else:
            np.testing.assert_array_equal(made[:, column], np.eye(len(made))[channel_names(destination).index(name)])


@pytest.mark.parametrize(
    ("fields", "sentence"),
    [
        ({"positions": ["Lss"]}, "5.1 has no channel Lss; use one of L, R, C, LFE, Ls, Rs"),
        ({"positions": ["L", "R", "C"]}, "3 positions; stereo has 2 inputs"),
        ({"positions": ["L"], "type": "eq"}, "only a panner has positions; p is of type eq"),
    ],
)
def test_a_position_that_the_panner_lacks_is_refused(fields: dict[str, Any], sentence: str) -> None:
    with pytest.raises(DocumentError, match=sentence):
        panned(**{"positions": None, **fields})
    with pytest.raises(DocumentError, match="has no channel Lss"):
        apply(panned(None), "place_input", {"insert": "p", "input": 1, "channel": "Lss"})


def test_inputs_are_placed_and_freed_one_by_one() -> None:
    made = apply(panned(None), "place_input", {"insert": "p", "input": 2, "channel": "Rs"})
    assert made.strips[2].inserts[0].positions == (None, "Rs")
    assert apply(made, "place_input", {"insert": "p", "input": 2}).strips[2].inserts[0].positions is None


def test_loudspeakers_stand_where_the_recommendations_place_them() -> None:
    """ITU-R BS.775-4: L and R at 30°, C at 0°, surrounds within 100 to 120°. BS.2051-3, system I: 90° and 135°.

    From memory of both recommendations.
    """
    for layout in ("stereo", "lcr", "5.0", "5.1", "7.1"):
        assert (AZIMUTHS[layout]["L"], AZIMUTHS[layout]["R"]) == (30, -30)
    assert 100 <= AZIMUTHS["5.1"]["Ls"] == -AZIMUTHS["5.1"]["Rs"] <= 120
    assert [AZIMUTHS["7.1"][name] for name in ("Ls", "Rs", "Lrs", "Rrs")] == [90, -90, 135, -135]
    for layout, names in NAMED.items():
        assert set(AZIMUTHS[layout]) == set(names) - {"LFE"}


def test_sheets_keep_positions() -> None:
    insert = Insert(id="p", type="panner", layout_out="5.1", positions=("Ls", None, "LFE"))
    assert insert_text(insert, "p") == "panner out 5.1 positions Ls,-,LFE"
    assert read_insert(insert_text(insert, "p"), "p") == insert
