"""The result of an edit is a valid document: it is written and read back as the same, or the edit is refused."""

from __future__ import annotations

from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.formats.document_json import dump, encode, load
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.random_edits import RandomEdits
from tests.strategies import templates

LONG = "x" * 600
KIT = {
    "id": "kit", "kind": "instrument", "section": "s", "midi": {"ports": 2, "channels": "all"},
    "outlets": [{"id": "a"}, {"id": "b"}], "parts": [{"id": "p", "outlet": "b", "name": "P" * 700}],
}  # fmt: skip
VERB = {"id": "verb", "type": "reverb", "wet": 0.5}
MADE = template(
    [KIT, {"id": "x", "name": "n" * 499 + "9", "kind": "audio", "section": "s", "inserts": [VERB]}, "b:bus", "o:out"],
    ["x>bus", "bus>out"],
    sections=[{"id": "s", "name": "S" * 499 + "9", "bus": "bus"}],
)


@pytest.mark.parametrize(
    ("edit", "arguments", "words"),
    [
        ("note_set", {"strip": "kit", "names": [LONG]}, "name: has 600 characters; at most 500 are allowed"),
        ("insert_bus", {"strips": ["x"], "to": "bus", "name": LONG}, "name: has 600 characters"),
        ("insert_to_return", {"inserts": ["verb"], "name": LONG, "feed": "bus"}, "name: has 600 characters"),
        ("rename", {"strips": ["x"], "pattern": "a{name}b"}, "gives a name outside 1 to 500 characters"),
        ("number_channels", {"strips": ["out"], "first": 0}, "io[0]: 0 is below 1"),
        ("change_strip", {"strip": "x", "changes": {"name": "a\x07b"}}, "contains a control character, U+0007"),
        ("change_strip", {"strip": "x", "changes": {"name": "two\nlines"}}, "contains a control character, U+000A"),
        ("change_strip", {"strip": "x", "changes": {"fader_db": 1600.0}}, "fader_db: 1600.0 is above 200"),
        ("change_strip", {"strip": "x", "changes": {"fader_db": float("nan")}}, "fader_db: is not a finite number"),
        ("change_strip", {"strip": "x", "changes": {"kind": "\ud800"}}, "is not one of"),
        ("add_section", {"section": {}}, "the field name is missing"),
        ("change_strips", {"strips": 7, "changes": {}}, "strips: 7 is not a list of texts"),
    ],
)
def test_what_would_not_read_again_is_refused_with_a_sentence(edit: str, arguments: dict[str, Any], words: str) -> None:
    with pytest.raises(DocumentError) as refused:
        apply(MADE, edit, arguments)
    assert words in str(refused.value)


@pytest.mark.parametrize(
    ("edit", "arguments"),
    [
        ("duplicate", {"strips": ["x"]}),
        ("duplicate_section", {"section": "s", "times": 3}),
        ("outlet_set", {"strip": "kit"}),
    ],
)
def test_names_that_are_made_are_cut_where_they_would_be_too_long(edit: str, arguments: dict[str, Any]) -> None:
    assert max(len(strip.name) for strip in load(dump(apply(MADE, edit, arguments))).strips) == 500


def test_notes_have_lines() -> None:
    noted = apply(MADE, "change_strip", {"strip": "x", "changes": {"note": "first\nsecond\tcolumn"}})
    assert load(dump(noted)) == noted


def applied(made: Template, edit: str, arguments: dict[str, Any]) -> tuple[Template, list[str]]:
    """The template after an edit; where the edit is refused the same, and why."""
    try:
        return apply(made, edit, arguments), []
    except DocumentError as refused:
        return made, refused.problems or [""]


@given(templates(), st.integers(0, 2**32))
@tries(250)
def test_whatever_edits_are_applied_the_document_reads_back_as_the_same(made: Template, seed: int) -> None:
    chance = Random(seed)  # noqa: S311 - repeatable edits, no secret
    for _ in range(6):
        edit, arguments = RandomEdits(made, chance).edit()
        made, problems = applied(made, edit, arguments)
        assert all(problem.strip() for problem in problems)
        assert load(dump(made)) == made == load(encode(made))
