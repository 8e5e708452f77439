"""A restyled drawing equals a full one, whatever was edited."""

from __future__ import annotations

from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.drawing import Sheet, Slots, draw
from lattice.drawing.redraw import redrawn
from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.graph.loops import LoopGraph
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.random_edits import RandomEdits
from tests.strategies import templates

MADE = template(
    [
        {"id": "a", "kind": "audio", "section": "s"},
        {"id": "kit", "kind": "instrument", "section": "s", "outlets": [{"id": "1", "main": True}, {"id": "2"}]},
        {"id": "midi", "kind": "midi"},
        "b:bus",
        "o:out",
    ],
    ["a>bus", "kit>bus", "bus>out", {"id": "m", "kind": "midi", "from": "midi", "to": "kit", "port": 1, "channel": 2}],
    sections=[{"id": "s", "name": "Strings", "bus": "bus"}],
)


def both(before: Template, after: Template, folded: frozenset[str] = frozenset()) -> tuple[Sheet | None, Sheet, Slots]:
    """The restyled drawing, the full one, and the slots of the latter."""
    slots = Slots()
    graphs = SignalGraph(before), SignalGraph(after)
    cuts = [LoopGraph(graph).feedback for graph in graphs]
    sheet = draw(graphs[0], cuts[0], folded, slots)
    return redrawn(sheet, *graphs, (cuts[0], cuts[1])), draw(graphs[1], cuts[1], folded, slots), slots


@given(templates())
@tries(150)
def test_what_is_drawn_twice_stands_where_it_stood(made: Template) -> None:
    _quick, whole, slots = both(made, made)
    graph = SignalGraph(made)
    assert draw(graph, LoopGraph(graph).feedback, frozenset(), slots) == whole
    assert redrawn(whole, graph, graph, ((), ())) is whole


@given(templates(), st.integers(0, 2**32), st.booleans())
@tries(150)
def test_after_random_edits_it_is_what_would_be_drawn(made: Template, seed: int, fold: bool) -> None:
    folded = frozenset(section.id for section in made.sections) if fold else frozenset()
    try:
        after = apply(made, *RandomEdits(made, Random(seed)).edit())  # noqa: S311
    except DocumentError:
        return
    quick, whole, _slots = both(made, after, folded)
    assert quick is None or quick == whole


@pytest.mark.parametrize(
    "changes", [{"fader_db": -3.0}, {"name": "Bells"}, {"mute": True}, {"colour": "#336699"}, {"tags": ["spare"]}]
)
@pytest.mark.parametrize("folded", [frozenset(), frozenset({"s"})])
def test_what_moves_nothing_is_dressed_anew(changes: dict[str, object], folded: frozenset[str]) -> None:
    quick, whole, _slots = both(MADE, apply(MADE, "change_strip", {"strip": "a", "changes": changes}), folded)
    assert quick is not None
    assert quick == whole


@pytest.mark.parametrize(
    ("edit", "arguments"),
    [
        ("change_strip", {"strip": "a", "changes": {"section": None}}),
        ("change_strip", {"strip": "a", "changes": {"kind": "bus"}}),
        ("remove_strips", {"strips": ["a"]}),
        ("remove_routes", {"routes": ["m"]}),
    ],
)
def test_what_moves_something_is_drawn_whole(edit: str, arguments: dict[str, object]) -> None:
    assert both(MADE, apply(MADE, edit, arguments))[0] is None


def test_the_figure_of_a_midi_strip_follows_its_route() -> None:
    quick, whole, _slots = both(MADE, apply(MADE, "change_route", {"route": "m", "changes": {"channel": 7}}))
    assert quick == whole
    assert next(box.figures["layout"] for box in whole.boxes if box.id == "midi") == "ch 7"
