"""Changes in one template reach its variants, and nothing else does."""

from __future__ import annotations

import contextlib
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.changes.compare import compare
from lattice.changes.update_variant import carried
from lattice.edits import apply
from lattice.edits.merge import GONE, differences, merged
from lattice.errors import DocumentError
from lattice.formats.gate import validated
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.random_edits import RandomEdits
from tests.strategies import templates

BASE = template(["a:kick", "a:snare", "b:bus", "o:out"], ["kick>bus", "snare>bus", "bus>out"], name="Show")
VARIANT = replace(
    apply(
        apply(BASE, "remove_strips", {"strips": ["snare"]}), "change_strip", {"strip": "kick", "changes": {"pan": -0.5}}
    ),
    name="Small show",
)


def said(now: Template, variant: Template = VARIANT) -> list[str]:
    return [str(change) for change in compare(variant, carried(BASE, now, variant).template)]


# The later changes of the show, and those of them that apply to the small one.
CHANGES = [
    ("change_strip", {"strip": "kick", "changes": {"fader_db": -3.0}}, ["~ strip kick: fader_db 0.0 → -3.0"]),  # its pan stays
    ("change_strip", {"strip": "snare", "changes": {"fader_db": -3.0}}, []),  # it has none any more
    ("add_strip", {"strip": {"name": "Hat", "kind": "audio"}, "at": 1}, ["+ strip hat: Hat (audio)"]),
    ("add_route", {"route": {"kind": "send", "from": "snare", "to": "out"}}, []),  # nothing to come from
    ("add_route", {"route": {"kind": "send", "from": "kick", "to": "out"}}, ["+ route r4: send kick → out"]),
    ("change_template", {"changes": {"name": "New show", "tempo_bpm": 90}}, ["~ template: tempo_bpm 120.0 → 90.0"]),
    ("remove_strips", {"strips": ["bus"]}, []),  # only where it is ticked
    ("add_section", {"section": {"name": "Low"}}, ["+ section low: Low"]),
]  # fmt: skip


@pytest.mark.parametrize(
    ("edit", "arguments", "wanted"), CHANGES, ids=[f"{case[0]} {list(case[1])}" for case in CHANGES]
)
def test_what_was_done_comes_over_and_what_is_its_own_stays(edit: str, arguments: dict, wanted: list[str]) -> None:
    assert said(apply(BASE, edit, arguments)) == wanted


def test_what_is_gone_is_offered_and_removed_only_where_it_is_ticked() -> None:
    found = carried(BASE, apply(BASE, "remove_strips", {"strips": ["bus"]}), VARIANT)
    listed = differences(VARIANT, found.template, found.gone)
    assert [one.kind for one in listed] == [GONE]
    after = merged(VARIANT, found.template, [one.key for one in listed], found.gone)
    assert [strip.id for strip in after.strips] == ["kick", "out"]


def test_where_nothing_was_done_nothing_comes() -> None:
    assert carried(BASE, BASE, VARIANT).template == VARIANT


def edited(made: Template, chance: Random, times: int) -> Template:
    for _ in range(times):
        edit, arguments = RandomEdits(made, chance).edit()
        with contextlib.suppress(DocumentError):
            made = apply(made, edit, arguments)
    return made


@given(templates(), st.integers(0, 100_000))
@tries(120)
def test_whatever_was_done_what_comes_is_good_and_an_equal_one_follows_all_of_it(made: Template, seed: int) -> None:
    chance = Random(seed)  # noqa: S311 - examples
    now, other = edited(made, chance, 4), edited(made, chance, 4)
    found = carried(made, now, other)
    assert validated(other, found.template) is found.template
    same = carried(made, now, made)
    keys = [one.key for one in differences(made, same.template, same.gone)]
    after = merged(made, same.template, keys, same.gone) if keys else made
    assert {strip.id: strip for strip in after.strips} == {strip.id: strip for strip in now.strips}
