"""Outlets split into left and right: parts with a side, a mono strip for each, and nothing lost."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.checks import audit
from lattice.edits import apply
from lattice.errors import DocumentError, EditError
from lattice.formats.track_sheet_cells import part_text, read_part
from lattice.model.document import Part, Template
from tests.build import template


def kit(parts: list[dict[str, Any]], routes: list[Any], strips: list[Any] = (), **outlet: Any) -> Template:  # type: ignore[assignment]
    """An instrument in a section with a bus, whose second outlet is stereo."""
    return template(
        [
            {"id": "kit", "kind": "instrument", "section": "drums", "outlets": [{"id": "main"}, {"id": "3-4", **outlet}], "parts": parts},
            *strips,
            {"id": "bus", "kind": "bus", "layout": "stereo"},
            {"id": "out", "kind": "output", "layout": "stereo", "io": [1, 2]},
        ],
        ["bus>out", "kit>bus", *routes],
        sections=[{"id": "drums", "name": "Drums", "bus": "bus"}],
    )  # fmt: skip


def said(made: Template) -> dict[str, Any]:
    strips = {strip.id: strip for strip in made.strips}
    return {
        "parts": [(part.name, part.side, part.channel) for part in strips["kit"].parts],
        "takers": [
            (strips[route.to].name, strips[route.to].layout, route.channels)
            for route in made.routes
            if route.from_outlet == "3-4"
        ],
        "onward": [(strips[r.from_strip].name, r.to) for r in made.routes if r.to == "bus" and r.from_strip != "kit"],
    }


SPLIT = {
    "parts": [("Claves L", "L", 4), ("Claves R", "R", 4)],
    "takers": [("Claves L", "mono", ((1, 1),)), ("Claves R", "mono", ((2, 1),))],
    "onward": [("Claves L", "bus"), ("Claves R", "bus")],
}


def test_one_part_becomes_two_and_its_strip_too() -> None:
    part = {"id": "claves", "name": "Claves", "outlet": "3-4", "channel": 4}
    taker = {"id": "taker", "name": "Claves", "kind": "audio", "layout": "stereo", "monitor": "always", "source": None,
             "inserts": [{"id": "cut", "type": "eq", "low_cut_hz": 80.0}]}  # fmt: skip
    made = apply(
        kit([part], ["kit/3-4>taker", "taker>bus"], [taker]), "split_outlet", {"strip": "kit", "outlet": "3-4"}
    )
    assert said(made) == SPLIT
    assert [[insert.low_cut_hz for insert in strip.inserts] for strip in made.strips[1:3]] == [[80.0], [80.0]]


def test_without_a_strip_behind_it_two_are_made() -> None:
    part = {"id": "claves", "name": "Claves", "outlet": "3-4", "channel": 4}
    made = apply(kit([part], []), "split_outlet", {"strip": "kit", "outlet": "3-4"})
    assert said(made) == SPLIT


def test_two_parts_take_a_side_each_and_nothing_is_lost_or_crossed() -> None:
    parts = [{"id": one.lower(), "name": one, "outlet": "3-4"} for one in ("Claves", "Maracas")]
    made = apply(kit(parts, ["kit/3-4>bus"]), "split_outlet", {"strip": "kit", "outlet": "3-4"})
    shown = said(made)
    assert [part[:2] for part in shown["parts"]] == [("Claves", "L"), ("Maracas", "R")]
    assert shown["onward"] == [("Claves", "bus"), ("Maracas", "bus")]
    codes = {finding.code for finding in audit(made).findings}
    assert codes.isdisjoint(
        {"route.channels-lost", "route.folded", "route.outlet-clash", "part.crossed", "part.unheard"}
    )


def test_one_side_that_no_strip_takes_is_lost() -> None:
    parts = [{"id": one.lower(), "name": one, "outlet": "3-4"} for one in ("Claves", "Maracas")]
    made = apply(kit(parts, []), "split_outlet", {"strip": "kit", "outlet": "3-4"})
    right = next(strip.id for strip in made.strips if strip.name == "Maracas")
    cut = apply(made, "remove_strips", {"strips": [right]})
    found = [finding.message for finding in audit(cut).findings if finding.code == "route.channels-lost"]
    assert found == ["Channel R of kit is not routed to Claves"]


def test_crossed_sides_are_found_and_swapped() -> None:
    parts = [{"id": one.lower(), "name": one, "outlet": "3-4"} for one in ("Claves", "Maracas")]
    made = apply(kit(parts, []), "split_outlet", {"strip": "kit", "outlet": "3-4"})
    for part, side in (("claves", "R"), ("maracas", "L")):
        made = apply(made, "change_part", {"strip": "kit", "part": part, "changes": {"side": side}})
    (crossed,) = [finding for finding in audit(made).findings if finding.code == "part.crossed"]
    for step in crossed.remedies[0].steps:
        made = apply(made, step.edit, step.arguments)
    assert [part[:2] for part in said(made)["parts"]] == [("Claves", "L"), ("Maracas", "R")]


PARTS = [{"id": f"p{n}", "outlet": "3-4"} for n in range(3)]


@pytest.mark.parametrize(
    ("parts", "routes", "outlet", "fields", "sentence"),
    [
        ([], [], "main", {}, "main one of kit"),
        ([], [], "3-4", {"layout": "mono"}, "only a stereo outlet"),
        (PARTS, [], "3-4", {}, "at most two"),
        ([], ["kit/3-4>bus", "kit/3-4>out"], "3-4", {}, "feeds 2 strips"),
    ],
)
def test_what_cannot_be_split_says_why(
    parts: list[Any], routes: list[Any], outlet: str, fields: dict[str, Any], sentence: str
) -> None:
    with pytest.raises(EditError, match=sentence):
        apply(kit(parts, routes, **fields), "split_outlet", {"strip": "kit", "outlet": outlet})


def test_a_side_needs_a_stereo_outlet() -> None:
    with pytest.raises(DocumentError, match="only a part on a stereo outlet has a side"):
        kit([{"id": "claves", "outlet": "3-4", "side": "L"}], [], layout="mono")


def test_sheets_keep_the_side() -> None:
    part = Part(id="claves", name="Claves", outlet="3-4", side="R")
    assert read_part(part_text(part)) == part
