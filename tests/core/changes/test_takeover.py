"""Differences applied one by one; a comparison is empty exactly if two documents are equal."""

from __future__ import annotations

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from lattice.changes.apply_changes import key_of, may_be_taken, take_over
from lattice.changes.compare import compare
from lattice.changes.digests import document_digest, section_digests
from lattice.errors import DocumentError, EditError
from lattice.formats.document_json import dump
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates


@given(templates(), templates())
@tries(150)
def test_all_differences_taken_over_make_the_other_but_for_the_order(one: Template, other: Template) -> None:
    keys = [key_of(change) for change in compare(one, other) if may_be_taken(change)]
    assume(keys)
    taken = take_over(one, other, keys)
    assert [change for change in compare(taken, other) if change.change != "moved"] == []


@given(templates(), templates(), templates())
@tries(200)
def test_different_documents_never_compare_alike_and_equal_ones_are_empty(
    base: Template, one: Template, other: Template
) -> None:
    assert compare(one, one) == []
    assert (compare(one, other) == []) == (one == other) == (dump(one) == dump(other))
    if one != other:  # the patches from a base distinguish them
        assert compare(base, one) != compare(base, other)
    assert (document_digest(one) == document_digest(other)) == (one == other)


@given(templates(), st.data())
@tries(80)
def test_one_difference_alone_is_taken_or_refused_whole(other: Template, data: st.DataObject) -> None:
    one = template(["a:x"], machines=[{"id": "main", "name": "Main"}, {"id": "other", "name": "Other"}])
    changes = [change for change in compare(one, other) if may_be_taken(change)]
    assume(changes)
    change = data.draw(st.sampled_from(changes))
    try:
        taken = take_over(one, other, [key_of(change)])
    except DocumentError:
        return  # a route without its strips, a strip without its section
    assert key_of(change) not in {key_of(left) for left in compare(taken, other)}


def test_unknown_differences_and_none_at_all_are_refused() -> None:
    one, other = template(["a:x"]), template(["a:x", "b:y"])
    with pytest.raises(EditError, match="change removed/strip/x/ does not exist"):
        take_over(one, other, ["removed/strip/x/"])
    with pytest.raises(EditError, match="no change selected"):
        take_over(one, other, [])


def test_a_section_keeps_its_digest_as_long_as_nothing_in_it_or_joined_to_it_changes() -> None:
    sections = [{"id": "s", "name": "S"}, {"id": "t", "name": "T"}]

    def digests(**fields: object) -> dict[str, str]:
        strips = [
            {"id": "a", "kind": "audio", "section": "s", **fields},
            {"id": "b", "kind": "bus", "section": "t"},
            "o:o",
        ]
        return section_digests(template(strips, ["b>o"], sections=sections))

    plain, louder = digests(), digests(fader_db=3.0)
    assert {name for name in plain if plain[name] != louder[name]} == {"s"}
    assert set(plain) == {"s", "t", ""}
