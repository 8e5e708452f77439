"""Selectors as people type them: names, “all”, or selectors themselves."""

from __future__ import annotations

import pytest

from lattice.model.document import Template
from lattice.model.selectors import names_of, selectors_of
from tests.build import template

MADE: Template = template(
    [
        {"id": "kick", "name": "Kick", "kind": "audio"}, {"id": "v1", "name": "Violins, first", "kind": "audio"},
        {"id": "d", "name": "Drums", "kind": "bus"}, {"id": "t1", "name": "Twin", "kind": "audio"}, {"id": "t2", "name": "Twin", "kind": "audio"},
    ],
    sections=[{"id": "s", "name": "Drums"}],
)  # fmt: skip
TYPED = [
    ("", ["*"]), ("all", ["*"]), ("*", ["*"]), ("Every source", ["*"]), ("kick", ["strip:kick"]),
    ("Violins, first", ["strip:v1"]), ("Kick; Violins, first", ["strip:kick", "strip:v1"]), ("Kick, drums", ["strip:kick", "section:s"]),
    ("section:s strip:kick", ["section:s", "strip:kick"]), ("all; !tag:click", ["*", "!tag:click"]), ("Kick;; kick", ["strip:kick"]),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), TYPED)
def test_a_list_of_names_is_selectors(text: str, expected: list[str]) -> None:
    assert selectors_of(MADE, text) == expected


@pytest.mark.parametrize("selectors", [["*"], ["strip:kick", "section:s"], ["strip:d", "strip:t1"], ["!tag:click"]])
def test_selectors_are_shown_as_they_are_typed(selectors: list[str]) -> None:
    assert selectors_of(MADE, names_of(MADE, selectors)) == selectors


def test_an_unknown_name_says_so() -> None:
    with pytest.raises(ValueError, match="“Nobody” is not the name of a strip or section, or “all”"):
        selectors_of(MADE, "Kick; Nobody")
