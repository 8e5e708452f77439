"""Two changes side by side: both apply in either order with the same result, or conflicts refuse the second."""

from __future__ import annotations

from random import Random
from typing import Any

import pytest
from hypothesis import event, given
from hypothesis import strategies as st

from lattice.changes.rebase import MISSING, ConflictError, _in_order_of, is_alike, rebase
from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.formats.document_json import dump, to_plain
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.random_edits import RandomEdits
from tests.strategies import templates

Leaves = dict[tuple[str, ...], Any]


def edited(before: Template, chance: Random, most: int = 2) -> Template:
    """Some edits, of those that are not refused."""
    after = before
    for _ in range(60):
        try:
            after = apply(after, *RandomEdits(after, chance).edit())
        except DocumentError:
            continue
        if after != before and chance.random() < 1 / most:
            break
    return after


def leaves(value: Any, path: tuple[str, ...] = ()) -> Leaves:
    """A document as single values by their place; pieces by their ids, without their order.

    Independent of the code's own comparison.
    """
    if isinstance(value, dict):
        return {at: one for name in value for at, one in leaves(value[name], (*path, name)).items()} | {path: "piece"}
    if isinstance(value, list) and value and all(isinstance(piece, dict) for piece in value):
        key = next((key for key in ("id", "fingerprint") if all(key in piece for piece in value)), None)
        if key is not None:
            return {at: one for piece in value for at, one in leaves(piece, (*path, str(piece[key]))).items()}
    return {path: value}


def tried(base: Template, ours: Template, theirs: Template) -> Template | None:
    try:
        return rebase(base, ours, theirs)
    except ConflictError:
        return None


def same_ends(base: Template, one: Template, other: Template) -> bool:
    """Whether both have made a route of the same number, or between the same ends."""
    known = {route.id for route in base.routes}
    new = [
        {route.id: (r.kind, r.from_strip, r.to) for r in side.routes for route in [r] if r.id not in known}
        for side in (one, other)
    ]
    return bool(new[0].keys() & new[1].keys() or set(new[0].values()) & set(new[1].values()))


@given(templates(), st.randoms(use_true_random=False))
@tries(400)
def test_of_two_changes_both_are_kept_whatever_the_order_or_one_is_refused(base: Template, chance: Random) -> None:
    ours, theirs = edited(base, chance), edited(base, chance)
    merged, turned = tried(base, ours, theirs), tried(base, theirs, ours)
    assert (merged is None) == (turned is None)
    if merged is None or turned is None:
        event("refused")
        return
    event("kept")
    assert is_alike(merged, turned)
    if same_ends(base, ours, theirs):
        return
    before, mine, others, both = (leaves(to_plain(one)) for one in (base, ours, theirs, merged))
    for path in before.keys() | mine.keys() | others.keys() | both.keys():
        was, my, other = (side.get(path, MISSING) for side in (before, mine, others))
        assert both.get(path, MISSING) == (other if my == was else my), path


@given(templates(), st.randoms(use_true_random=False))
@tries(200)
def test_nothing_is_refused_that_touches_nothing_in_common(base: Template, chance: Random) -> None:
    ours, theirs = edited(base, chance, 1), edited(base, chance, 1)
    found = clashes(base, ours, theirs)
    if not found:
        return
    before, mine, others = (leaves(to_plain(one)) for one in (base, ours, theirs))
    touched = [
        {path for path in before.keys() | side.keys() if before.get(path, MISSING) != side.get(path, MISSING)}
        for side in (mine, others)
    ]
    is_order = any(one[-1] == "order" for one in found)
    assert is_order or any(is_under(one, two) for one in touched[0] for two in touched[1])


def clashes(base: Template, ours: Template, theirs: Template) -> list[tuple[str, ...]]:
    """Where they clash; nothing where they do not, or only make no good template together."""
    try:
        rebase(base, ours, theirs)
    except ConflictError as refused:
        return [clash.path for clash in refused.clashes]
    return []


def is_under(one: tuple[str, ...], other: tuple[str, ...]) -> bool:
    return one[: len(other)] == other or other[: len(one)] == one


@given(templates(), st.randoms(use_true_random=False))
@tries(60)
def test_on_top_of_nothing_a_change_is_itself(base: Template, chance: Random) -> None:
    ours = edited(base, chance)
    assert rebase(base, ours, base) == ours
    assert rebase(base, base, ours) == ours
    assert rebase(base, ours, ours) == ours


ROOM = template(
    ["a:kick", "a:snare", "a:bass", {"id": "room", "kind": "return", "inserts": [{"id": "eq"}, {"id": "verb", "type": "reverb"}]}, "o:out"],
    ["kick>out", "snare>out"],
    sections=[{"id": "drums", "name": "Drums"}],
)  # fmt: skip
FADER = ("change_strip", {"strip": "kick", "changes": {"fader_db": -3.0}})
PAN = ("change_strip", {"strip": "kick", "changes": {"pan": 0.1}})
FEED = ("connect", {"kind": "feed", "from": "bass", "to": "out"})


def done(*steps: tuple[str, dict[str, Any]], to: Template = ROOM) -> Template:
    for step in steps:
        to = apply(to, *step)
    return to


@pytest.mark.parametrize(
    ("ours", "theirs", "path"),
    [
        (FADER, PAN, None),
        (FADER, FADER, None),
        (FADER, ("change_strip", {"strip": "kick", "changes": {"fader_db": 2.0}}), ("strips", "kick", "fader_db")),
        (FADER, ("remove_strips", {"strips": ["kick"]}), ("strips", "kick")),
        (FADER, ("remove_strips", {"strips": ["snare"]}), None),
        (("change_insert", {"insert": "eq", "changes": {"gain_db": 1.0}}), ("change_insert", {"insert": "verb", "changes": {"wet": 0.2}}), None),
        (("change_insert", {"insert": "eq", "changes": {"gain_db": 1.0}}), ("change_insert", {"insert": "eq", "changes": {"gain_db": 2.0}}), ("strips", "room", "inserts", "eq", "gain_db")),
        (("waive", {"fingerprint": "0" * 16, "reason": "so", "by": "M. Quay"}), ("waive", {"fingerprint": "1" * 16, "reason": "so", "by": "M. Quay"}), None),
        (("add_strip", {"strip": {"name": "Vox", "kind": "audio"}}), ("add_strip", {"strip": {"name": "Organ", "kind": "audio"}}), None),
        (("add_strip", {"strip": {"name": "Vox", "kind": "audio"}}), ("add_strip", {"strip": {"name": "Vox", "kind": "bus"}}), ("strips", "vox")),
        (("change_template", {"changes": {"tempo_bpm": 90.0}}), ("change_template", {"changes": {"note": "x"}}), None),
        (("change_template", {"changes": {"tempo_bpm": 90.0}}), ("change_template", {"changes": {"tempo_bpm": 91.0}}), ("tempo_bpm",)),
    ],
)  # fmt: skip
def test_what_clashes_is_named(ours: Any, theirs: Any, path: tuple[str, ...] | None) -> None:
    if path is None:
        assert is_alike(rebase(ROOM, done(ours), done(theirs)), rebase(ROOM, done(theirs), done(ours)))
        return
    with pytest.raises(ConflictError) as refused:
        rebase(ROOM, done(ours), done(theirs))
    assert refused.value.clashes[0].path == path


def test_a_route_to_a_strip_that_is_gone_is_refused() -> None:
    ours = done(("add_route", {"route": {"kind": "feed", "from": "bass", "to": "snare"}}), to=ROOM)
    with pytest.raises(ConflictError, match="snare"):
        rebase(ROOM, ours, done(("remove_strips", {"strips": ["snare"]})))


def test_new_routes_of_the_same_number_are_both_kept() -> None:
    one = done(("add_route", {"route": {"kind": "feed", "from": "bass", "to": "out"}}))
    other = done(("add_route", {"route": {"kind": "send", "from": "kick", "to": "room"}}))
    assert one.routes[-1].id == other.routes[-1].id
    merged = rebase(ROOM, one, other)
    assert {(r.from_strip, r.to) for r in merged.routes} == {
        ("kick", "out"),
        ("snare", "out"),
        ("bass", "out"),
        ("kick", "room"),
    }
    assert [r.from_strip for r in merged.routes if r.id == other.routes[-1].id] == ["kick"], (
        "what is there keeps its number"
    )
    assert is_alike(merged, rebase(ROOM, other, one))


def test_new_strips_stand_behind_what_they_stood_behind_whoever_was_first() -> None:
    one = done(("add_strip", {"strip": {"name": "Vox", "kind": "audio"}}))
    other = done(("add_strip", {"strip": {"name": "Organ", "kind": "audio"}}))
    merged = rebase(ROOM, one, other)
    assert dump(merged) == dump(rebase(ROOM, other, one))
    assert [strip.id for strip in merged.strips if strip.id not in ("vox", "organ")] == [
        strip.id for strip in ROOM.strips
    ]


def test_pieces_that_were_not_moved_stay_behind_the_one_before_them() -> None:
    assert _in_order_of(["b", "a"], ["x", "a", "y", "b", "z"]) == ["x", "b", "z", "a", "y"]


def test_two_orders_of_the_same_pieces_clash_and_one_order_twice_does_not() -> None:
    base, one, other = (template(strips) for strips in (
        ["a:x", "a:y", "a:z"], ["a:y", "a:x", "a:z"], ["a:z", "a:x", "a:y"],
    ))  # fmt: skip
    assert [strip.id for strip in rebase(base, one, one).strips] == ["y", "x", "z"]
    with pytest.raises(ConflictError) as clash:
        rebase(base, one, other)
    assert [found.path[-1] for found in clash.value.clashes] == ["order"]
