"""Comparing: each kind of difference has its sentence and its entry in `diff --json`."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.changes.compare import Change, _longest_rising, as_json, compare, shown
from lattice.model.document import LISTS
from tests.build import plain, template
from tests.deep import tries

STRIPS = ["a:kick", "b:bus", "o:out"]
ROUTES = ["kick>bus", "bus>out"]
# One piece of each list, with a changed field: the sentence has the old and the new value.
PIECES: list[tuple[str, dict[str, Any], dict[str, Any], str]] = [
    ("strips", {"name": "Hat", "kind": "audio"}, {"fader_db": -6.0}, "~ strip x: fader_db 0.0 → -6.0"),
    ("strips", {"name": "Hat", "kind": "audio"}, {"source": None}, '~ strip x: source "usual" → null'),
    ("routes", {"kind": "send", "from": "kick", "to": "out"}, {"tap": "pre-fader"}, '~ route x: tap "post-fader" → "pre-fader"'),
    ("sections", {"name": "Drums"}, {"colour": "#8a4b2d"}, '~ section x: colour null → "#8a4b2d"'),
    ("machines", {"name": "Spare"}, {"inputs": 16}, "~ machine x: inputs 8 → 16"),
    ("stems", {"name": "S", "strip": "bus", "print": "out"}, {"name": "T"}, '~ stem x: name "S" → "T"'),
    ("choices", {"name": "C", "members": ["kick", "bus"]}, {"name": "D"}, '~ choice x: name "C" → "D"'),
    ("rules", {"name": "R", "kind": "reaches", "sources": ["kind:audio"], "through": ["strip:out"]}, {"name": "Q"}, '~ rule x: name "R" → "Q"'),
]  # fmt: skip


def with_piece(name: str, piece: dict[str, Any]) -> Any:
    document = plain(STRIPS, ROUTES)
    return template(
        document["strips"] + [piece] * (name == "strips"), document["routes"] + [piece] * (name == "routes"),
        **({} if name in ("strips", "routes") else {name: [piece]}),
    )  # fmt: skip


@pytest.mark.parametrize(("name", "piece", "fields", "sentence"), PIECES)
def test_a_piece_is_added_changed_and_removed(
    name: str, piece: dict[str, Any], fields: dict[str, Any], sentence: str
) -> None:
    without = template(STRIPS, ROUTES)
    one, other = with_piece(name, {"id": "x", **piece}), with_piece(name, {"id": "x", **piece, **fields})
    what = name.removesuffix("s")
    assert [str(change) for change in compare(one, other)] == [sentence]
    (added,) = [change for change in compare(without, one) if change.id == "x"]
    (removed,) = [change for change in compare(one, without) if change.id == "x"]
    assert str(added).startswith(f"+ {what} x: ")
    assert str(removed).startswith(f"- {what} x: ")
    assert (added.after, removed.before) == (removed.before, added.after)
    assert as_json([added])["changes"][0] | {"change": "removed"} != as_json([removed])["changes"][0]


def test_every_list_of_a_document_with_ids_of_its_own_is_in_the_table() -> None:
    assert {name for name, *_ in PIECES} == set(LISTS)


def test_the_template_s_own_fields_come_first() -> None:
    before, after = template(STRIPS, name="Old"), template([*STRIPS, "a:hat"], name="New", tempo_bpm=96.0)
    first, second, third = compare(before, after)
    assert {str(first), str(second)} == {'~ template: name "Old" → "New"', "~ template: tempo_bpm 120.0 → 96.0"}
    assert third == Change("added", "strip", "hat", after={"id": "hat", "name": "hat", "kind": "audio"})


def test_what_is_shown_fits_a_line() -> None:
    assert shown("x" * 500) == '"' + "x" * 76 + "…"
    assert len(shown(list(range(100)))) == 78


@given(st.permutations(range(9)))
@tries(100)
def test_as_few_move_as_can(order: list[int]) -> None:
    """Against trying every subset, from the largest: no longer rising one exists."""
    kept = _longest_rising(order)
    assert [number for number in order if number in kept] == sorted(kept)
    longest = [0] * len(order)
    for at, number in enumerate(order):  # quadratic: the longest rising run that ends here
        longest[at] = 1 + max((longest[before] for before in range(at) if order[before] < number), default=0)
    assert len(kept) == max(longest)
