"""The map's layout: readable by its own rules, the same every time, and it stays where it is on edits."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from itertools import combinations, pairwise

import pytest
from hypothesis import given

from lattice.drawing import Sheet, Slots, draw
from lattice.drawing.drawing import opens_folded
from lattice.drawing.slots import spread_apart
from lattice.drawing.svg import Mark, pieces
from lattice.drawing.text import cut, width
from lattice.edits import apply
from lattice.generate import generate
from lattice.graph.loops import LoopGraph
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates


def sheet_of(made: Template, folded: tuple[str, ...] = (), slots: Slots | None = None) -> Sheet:
    graph = SignalGraph(made)
    return draw(graph, LoopGraph(graph).feedback, folded, slots or Slots())


def places(sheet: Sheet) -> dict[str, tuple[float, float]]:
    return {box.id: (box.x, box.y) for box in sheet.boxes}


def crossings_of_boxes(sheet: Sheet) -> list[tuple[str, str]]:
    """Lines that run through a box (touching its edge where they start or end is meant)."""
    found = []
    for line in sheet.lines:
        for x1, y1, x2, y2 in line.segments:
            for box in sheet.boxes:
                through_x = min(x1, x2) < box.x + box.width - 0.5 and max(x1, x2) > box.x + 0.5
                through_y = min(y1, y2) < box.y + box.height - 0.2 and max(y1, y2) > box.y + 0.2
                if through_x and through_y:
                    found.append((line.key, box.id))
    return found


@given(templates(most_strips=9, most_routes=16))
@tries(150)
def test_no_line_runs_through_a_strip_and_no_strips_overlap(made: Template) -> None:
    sheet = sheet_of(made)
    assert crossings_of_boxes(sheet) == []
    for one, other in combinations(sheet.boxes, 2):
        apart = (
            one.x + one.width <= other.x
            or other.x + other.width <= one.x
            or one.y + one.height <= other.y
            or other.y + other.height <= one.y
        )
        assert apart, (one.id, other.id)


@pytest.mark.parametrize("strips", [60, 300])
def test_large_sheets_keep_the_same_rules(strips: int) -> None:
    made = generate(strips)
    sheet = sheet_of(made)
    assert crossings_of_boxes(sheet) == []
    assert len(sheet.boxes) == strips
    unrelated = [
        (one.key, other.key)
        for one, other in combinations(sheet.lines, 2)
        if _hub(one.key) != _hub(other.key) and _overlap(one.segments, other.segments) > 1
    ]
    drawn = {(wire.start, wire.end) for wire in sheet.wires}
    for one, other in unrelated:  # lines that lie on each other share an end
        ends = [
            {end for wire in sheet.wires if _of(one_key, wire) for end in (wire.start, wire.end)}
            for one_key in (one, other)
        ]
        assert ends[0] & ends[1], (one, other, drawn)


def _hub(key: str) -> str:
    return key.split()[2]


def _of(key: str, wire: object) -> bool:
    kind, way, hub = key.split()[:3]
    return wire.kind == kind and hub == (wire.end if way == "to" else wire.start)  # type: ignore[attr-defined]


def _overlap(one: tuple, other: tuple) -> float:
    """Longest stretch on which two lines lie on each other."""
    longest = 0.0
    for x1, y1, x2, y2 in one:
        for u1, v1, u2, v2 in other:
            if y1 == y2 == v1 == v2:
                longest = max(longest, min(x2, u2) - max(x1, u1))
            elif x1 == x2 == u1 == u2:
                longest = max(longest, min(y2, v2) - max(y1, v1))
    return longest


def test_the_same_template_gives_the_same_map_byte_for_byte() -> None:
    made = generate(120)
    assert pieces(sheet_of(made), standalone=True).whole() == pieces(sheet_of(made), standalone=True).whole()


def test_lines_join_their_strips() -> None:
    sheet = sheet_of(generate(120))
    boxes = {box.id: box for box in sheet.boxes}
    for wire in sheet.wires:
        start, end = boxes[wire.start], boxes[wire.end]
        for (x, _y), box in ((wire.points[0], start), (wire.points[-1], end)):
            assert min(abs(x - box.x), abs(x - box.x - box.width)) < 1e-6
        assert start.y <= wire.points[0][1] <= start.y + start.height
        assert end.y <= wire.points[-1][1] <= end.y + end.height
        assert all(a[0] == b[0] or a[1] == b[1] for a, b in pairwise(wire.points))


@pytest.mark.parametrize("strips", [60, 300])
def test_with_saved_slots_no_other_strip_moves_when_one_is_added(strips: int) -> None:
    made = generate(strips)
    slots = Slots()
    before = places(sheet_of(made, slots=slots))
    slots = Slots.load(slots.dump())
    section = made.sections[0]
    grown = apply(
        made, "spread", {"names": ["New one"], "kind": "audio", "section": section.id, "feed": section.bus or ""}
    )
    after = places(sheet_of(grown, slots=slots))
    assert {name for name in before if before[name] != after[name]} == set()


def test_a_strip_taken_out_and_put_back_stands_where_it_stood() -> None:
    made, slots = generate(60), Slots()
    before = places(sheet_of(made, slots=slots))
    target = made.strips[20].id
    sheet_of(apply(made, "remove_strips", {"strips": [target]}), slots=slots)
    assert places(sheet_of(made, slots=slots)) == before


def test_columns_follow_the_flow_and_bands_the_session() -> None:
    sheet = sheet_of(generate(120))
    x_of = {box.id: box.x for box in sheet.boxes}
    assert x_of["s0-t3"] < x_of["s0-bus"] < x_of["s0-hall"] < x_of["music"] < x_of["mix"] < x_of["out-main"]
    assert [band.id for band in sheet.bands] == [*(section.id for section in generate(120).sections), ""]


def test_folding_sums_a_section_into_one_box_with_its_routes() -> None:
    made = template(
        [{"id": "k", "kind": "audio", "section": "s"}, {"id": "n", "kind": "audio", "section": "s"},
         {"id": "bus", "kind": "bus", "section": "s"}, "x:mix", "o:out"],
        ["k>bus", "n>bus", "bus>mix", "send k>mix", "mix>out"], sections=[{"id": "s", "name": "Drums", "bus": "bus"}],
    )  # fmt: skip
    sheet = sheet_of(made, ("s",))
    (fold,) = [box for box in sheet.boxes if not box.strip]
    assert (fold.name, fold.members, fold.figures["layout"]) == ("Drums", ("k", "n", "bus"), "×3")
    assert {(wire.kind, wire.routes) for wire in sheet.wires if wire.start == fold.id} == {
        ("feed", ("r3",)),
        ("send", ("r4",)),
    }


def test_a_large_template_opens_folded_to_a_readable_number_of_boxes() -> None:
    graph = SignalGraph(generate(2000))
    sheet = draw(graph, (), opens_folded(graph), Slots())
    assert len(sheet.boxes) < 260
    assert not opens_folded(SignalGraph(generate(60)))


def test_feedback_is_a_line_of_its_own_with_an_arrow() -> None:
    sheet = sheet_of(template(["a:a", "b:x", "r:y", "o:o"], ["a>x", "send x>y", "y>x", "x>o"]))
    (loop,) = [line for line in sheet.lines if line.feedback]
    assert loop.arrow is not None


def test_zones_cite_band_and_column() -> None:
    made = template(
        [{"id": "k", "kind": "audio", "section": "s"}, "o:out"], ["k>out"], sections=[{"id": "s", "name": "S"}]
    )
    assert sheet_of(made).zone_of == {"k": "A1", "out": "A2"}


@given(templates())
@tries(60)
def test_the_svg_is_well_formed_whatever_the_names(made: Template) -> None:
    sheet = sheet_of(made)
    marks = {sheet.boxes[0].id: Mark("blocker", 1, "f")}
    root = ET.fromstring(pieces(sheet, (("A & B", "<1>"),), 'Title "x" <y>', marks, standalone=True).whole())  # noqa: S314 - our own text
    assert root.attrib["width"] == f"{sheet.width:g}"


def test_rows_are_spread_apart_in_order_and_near_what_was_wanted() -> None:
    assert spread_apart([5.0, 5.0, 5.0], 2) == [3, 5, 7]
    assert spread_apart([0.0, 0.0], 1) == [0, 1]
    assert spread_apart([1.0, 9.0], 2) == [1, 9]
    rows = spread_apart([4.0, 3.0, 8.0, 8.5], 2)
    assert all(b - a >= 2 for a, b in pairwise(rows))


def test_names_are_cut_to_their_room() -> None:
    assert cut("Kick", 100) == "Kick"
    short = cut("A very long name of a strip", 60)
    assert short.endswith("…")
    assert width(short) <= 60
