"""Views: kinds that are hidden leave a drawing whose rest has not moved, and short ends that name what is behind."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.drawing import NOTHING, Hidden, Sheet, Slots, draw, hiding
from lattice.drawing.svg import pieces
from lattice.edits import apply
from lattice.errors import DocumentError, EditError
from lattice.model.document import Template
from lattice.model.strip_kinds import TRAITS
from lattice.model.views import FOLD_ABOVE, view_named, views_of
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

MADE = template(
    ["a:kick", "a:snare", "b:drums", "r:hall", "r:echo", "r:plate", "o:out"],
    ["kick>drums", "snare>drums", "send kick>hall", "send kick>echo", "send kick>plate", "hall>out", "drums>out", "echo>out"],
)  # fmt: skip
KINDS = st.frozensets(st.sampled_from(sorted(TRAITS)))
ROUTES = st.frozensets(st.sampled_from(["feed", "send", "key", "midi", "tie"]))


def drawn(made: Template) -> Sheet:
    analysis = Analysis(made)
    return draw(analysis.graph, analysis.loops.feedback, (), Slots())


def partly(made: Template, hidden: Hidden) -> tuple[Sheet, Sheet]:
    whole = drawn(made)
    return whole, hiding(whole, hidden, {box.id: box.name for box in whole.boxes})


def test_returns_that_are_hidden_are_named_at_the_short_ends_of_their_routes() -> None:
    _whole, sheet = partly(MADE, Hidden(kinds=frozenset({"return"})))
    assert {box.id for box in sheet.boxes} == {"kick", "snare", "drums", "out"}
    assert [(stub.kind, stub.words, stub.names) for stub in sheet.stubs] == [
        ("send", "→ hall, echo +1", "hall; echo; plate"),
        ("feed", "← hall, echo", "hall; echo"),
    ]
    assert "→ hall, echo +1" in pieces(sheet).whole()


def test_routes_that_are_hidden_leave_no_short_ends() -> None:
    _whole, sheet = partly(MADE, Hidden(frozenset({"return"}), frozenset({"send"})))
    assert {stub.kind for stub in sheet.stubs} == {"feed"}


@given(templates(), KINDS, ROUTES)
@tries(100)
def test_what_stays_has_not_moved_and_no_route_is_lost(
    made: Template, kinds: frozenset[str], routes: frozenset[str]
) -> None:
    whole, sheet = partly(made, Hidden(kinds, routes))
    assert all(box in whole.boxes for box in sheet.boxes)
    assert set(sheet.wires) <= set(whole.wires)
    left = {box.id for box in sheet.boxes}
    ends = [(w.start in left) + (w.end in left) for w in whole.wires if w.kind not in routes]
    assert len(sheet.wires) == ends.count(2)
    assert sum(len(stub.names.split("; ")) for stub in sheet.stubs) == ends.count(1)
    covered = {segment for line in whole.lines for segment in line.segments}
    for line in sheet.lines:
        for x1, y1, x2, y2 in line.segments:
            assert any(a <= x1 and x2 <= c and b <= y1 and y2 <= d for a, b, c, d in covered)


def test_nothing_hidden_is_the_same_sheet() -> None:
    whole = drawn(MADE)
    assert hiding(whole, NOTHING, {}) is whole


def test_a_template_without_views_has_the_usual_three_and_keeps_them_with_a_fourth() -> None:
    assert [view.name for view in views_of(MADE)] == ["Writing", "Mixing", "Delivery"]
    kept = apply(MADE, "keep_view", {"name": "Sends", "view": {"hidden_routes": ["feed"]}})
    assert [view.name for view in kept.views] == ["Writing", "Mixing", "Delivery", "Sends"]
    assert view_named(kept, "4") is view_named(kept, "sends") is kept.views[3]
    again = apply(kept, "keep_view", {"name": "mixing", "view": {"hidden_kinds": ["return"]}})
    assert [view.hidden_kinds for view in again.views[:2]] == [("print",), ("return",)]
    gone = apply(kept, "remove_views", {"names": ["Writing"]})
    assert [view.name for view in gone.views] == ["Mixing", "Delivery", "Sends"]


def test_views_of_a_large_template_begin_with_collapsed_sections() -> None:
    large = template(
        [{"id": f"s{n}", "kind": "audio", "section": "all"} for n in range(FOLD_ABOVE + 1)],
        sections=[{"id": "all", "name": "All"}],
    )
    assert [view.folded for view in views_of(large)] == [("all",)] * 3
    assert [view.folded for view in views_of(replace(large, strips=large.strips[:FOLD_ABOVE]))] == [(), (), ("all",)]


@pytest.mark.parametrize(
    ("edit", "arguments", "sentence"),
    [
        ("keep_view", {"name": " "}, "name is missing"),
        ("keep_view", {"name": "X", "view": {"hidden_kinds": ["drum"]}}, "drum"),
        ("keep_view", {"name": "X", "view": {"at": [0, 0, 0]}}, "at"),
        ("remove_views", {"names": ["Nights"]}, "view nights does not exist"),
    ],
)
def test_what_is_no_view_is_refused(edit: str, arguments: dict[str, object], sentence: str) -> None:
    with pytest.raises((EditError, DocumentError), match=sentence):
        apply(MADE, edit, arguments)


def test_a_tenth_view_is_refused() -> None:
    made = MADE
    for number in range(6):
        made = apply(made, "keep_view", {"name": f"View {number}"})
    with pytest.raises(EditError, match="at most 9 views"):
        apply(made, "keep_view", {"name": "One more"})
