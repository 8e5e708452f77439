"""Patches and comparing, on random pairs of templates."""

from __future__ import annotations

import pytest
from hypothesis import given

from lattice.changes.compare import as_json, compare
from lattice.edits import Patch, diff
from lattice.formats.document_json import dump
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates


@given(templates(), templates())
@tries(200)
def test_a_patch_leads_there_and_its_inverse_back_even_when_stored(before: Template, after: Template) -> None:
    patch = Patch.load(diff(before, after).dump())
    assert patch.apply(before) == after
    assert patch.inverse().apply(after) == before
    assert dump(patch.inverse().apply(after)) == dump(before)


@given(templates(), templates())
@tries(200)
def test_comparing_is_empty_exactly_for_equal_templates(one: Template, other: Template) -> None:
    assert (compare(one, other) == []) == (one == other)
    assert compare(one, one) == []


@given(templates(), templates(), templates())
@tries(100)
def test_two_different_documents_never_give_the_same_comparison(base: Template, one: Template, other: Template) -> None:
    if one != other:
        assert as_json(compare(base, one)) != as_json(compare(base, other))


def test_a_patch_is_refused_on_another_state() -> None:
    before, after = template(["a:x"]), template(["a:x mute"])
    with pytest.raises(ValueError, match="differs from the base of the patch"):
        diff(before, after).apply(template(["a:x off"]))


def test_moves_are_as_few_as_can_be() -> None:
    before, after = template(["a:a", "a:b", "a:c", "a:d"]), template(["a:d", "a:a", "a:b", "a:c"])
    assert [str(change) for change in compare(before, after)] == ["> strip d: now first"]
