"""Physical channels as the end of a route: the strip that has them, made where none does."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.model.document import Template
from tests.build import template

BASE = template(
    [
        "a:kick", "a:bass", "b:drums", {"id": "main", "name": "Main out", "kind": "output", "io": [1, 2]},
        {"id": "far", "name": "Far out", "kind": "output", "io": [5, 6], "machine": "two"},
    ],
    ["drums>main"],
    machines=[{"id": "one", "name": "One"}, {"id": "two", "name": "Two"}],
)  # fmt: skip


def new(made: Template) -> list[tuple[str, str, str, tuple[int, ...] | None]]:
    known = {strip.id for strip in BASE.strips}
    return [(one.name, one.kind, one.layout, one.io) for one in made.strips if one.id not in known]


MADE: list[tuple[str, dict[str, Any], tuple[Any, ...]]] = [
    ("connect", {"route": {"from": "kick", "to": "Out 3-4"}}, ("Out 3–4", "output", "stereo", (3, 4))),
    ("connect", {"route": {"from": "kick", "to": "out 7"}}, ("Out 7", "output", "mono", (7,))),
    ("connect", {"route": {"from": "In 5", "to": "drums"}}, ("In 5", "input", "mono", (5,))),
    ("connect", {"route": {"from": "kick", "to": "Out 5-6"}}, ("Out 5–6", "output", "stereo", (5, 6))),  # the other's are not ours
    ("connect_many", {"strips": ["kick", "bass"], "to": "Outputs 3/4"}, ("Out 3–4", "output", "stereo", (3, 4))),
]  # fmt: skip


@pytest.mark.parametrize(("edit", "arguments", "strip"), MADE)
def test_free_channels_make_their_strip(edit: str, arguments: dict[str, Any], strip: tuple[Any, ...]) -> None:
    after = apply(BASE, edit, arguments)
    assert new(after) == [strip]
    assert len(after.routes) == len(BASE.routes) + len(arguments.get("strips", [1]))


def test_a_strip_with_the_channels_is_taken_whatever_its_name() -> None:
    after = apply(BASE, "connect", {"route": {"from": "kick", "to": "Out 1-2"}})
    assert new(after) == []
    assert [route.to for route in after.routes if route.from_strip == "kick"] == ["main"]
    rows = apply(BASE, "spread", {"names": ["Name\tKind\tTo", "Tom\taudio\tOut 1-2"]})
    assert [one[0] for one in new(rows)] == ["Tom"]


@pytest.mark.parametrize(
    ("to", "sentence"),
    [
        ("Out 2-3", "Out 2–3: channel 2 is that of Main out"),
        ("Out of reach", "does not exist"),
        ("Out 4-3", "does not exist"),
    ],
)
def test_channels_that_are_taken_or_none_are_refused(to: str, sentence: str) -> None:
    with pytest.raises(DocumentError, match=sentence):
        apply(BASE, "connect", {"route": {"from": "kick", "to": to}})
