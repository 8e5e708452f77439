"""Actions on selected strips: those that fit, their forms, lists that stay short at any size."""

from __future__ import annotations

import re
from typing import Any

import pytest
from django.test import Client

from lattice.edits import EDITS
from lattice.generate import generate
from lattice.model.document import Template
from tests.build import template
from web.editor.actions import ACTIONS, actions_for
from web.editor.ranking import MOST, best, rank
from web.editor.selection import Selection
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace

MADE = template(
    [
        {"id": "kick", "name": "Kick", "kind": "audio", "section": "drums", "tags": ["trigger"], "mute": True,
         "inserts": [{"id": "duck", "name": "Duck", "type": "compressor"}, {"id": "hall", "name": "Hall", "type": "reverb"}]},
        {"id": "snare", "name": "Snare", "kind": "audio", "section": "drums"},
        {"id": "notes", "name": "Notes", "kind": "midi"}, {"id": "synth", "name": "Synth", "kind": "instrument"},
        {"id": "bus", "name": "Drums", "kind": "bus"}, {"id": "room", "name": "Room", "kind": "return"},
        {"id": "out", "name": "Out", "kind": "output", "io": [1, 2]},
    ],
    ["kick>bus", "snare>bus", "send kick>room -12", "midi notes>synth", "bus>out"],
    sections=[{"id": "drums", "name": "Drums", "bus": "bus"}],
    machines=[{"id": "main", "name": "Main"}, {"id": "spare", "name": "Spare"}],
)  # fmt: skip


def chosen(ids: str) -> Selection:
    return Selection(Workspace(MADE), ids)


def offered(ids: str) -> list[str]:
    return [action.name for action in actions_for(chosen(ids))]


# Strips, actions at the top of the list, actions that are not in it.
FITTING = [
    ("kick snare", ["feed", "send", "rename", "section", "duck", "insert", "deliver", "bus"], ["play", "channels", "notes", "dissolve"]),
    ("notes", ["play", "number-midi", "rename"], ["feed", "send", "duck", "insert", "deliver"]),
    ("synth", ["feed", "send", "rename", "section", "outlets", "notes"], ["play", "choice"]),
    ("bus", ["feed", "send", "rename", "section", "dissolve"], ["outlets", "unmute", "into-service"]),
    ("out", ["rename", "section", "duck", "insert", "deliver", "channels"], ["feed", "send", "levels"]),
    ("kick notes", ["rename", "section"], ["outlets", "outboard"]),
]  # fmt: skip


@pytest.mark.parametrize(("ids", "first", "missing"), FITTING)
def test_likely_actions_come_first_and_useless_ones_not_at_all(ids: str, first: list[str], missing: list[str]) -> None:
    found = offered(ids)
    likely = [action.name for action in ACTIONS if action.fits(chosen(ids)) == 2]
    assert found[: len(likely)] == likely
    assert [name for name in first if name not in found] == []
    assert set(missing).isdisjoint(found)


def test_facts_count_what_the_strips_have() -> None:
    assert chosen("kick snare notes").facts == [
        ("Kind", "audio (2), midi"),
        ("Section", "Drums"),
        ("Goes to", "Drums (2), Synth"),
        ("Sends", "Room"),
        ("Tags", "trigger"),
        ("Likely peak", "−6.0 dBFS"),
    ]


def test_every_action_asks_for_an_edit_that_there_is_or_opens_something() -> None:
    for action in ACTIONS:
        assert (action.edit in EDITS) + bool(action.page) + bool(action.panel) == 1, action.name


@pytest.mark.parametrize("action", [a.name for a in ACTIONS if a.values is None and a.edit])
def test_each_form_shows_fields_that_its_edit_reads(signed_in: Client, owner, action: str) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, MADE)
    ids = {
        "dissolve": "bus",
        "outlets": "synth",
        "notes": "synth",
        "outboard": "kick",
        "play": "notes",
        "number-midi": "notes",
    }
    page = signed_in.get(f"/t/{stored.pk}/panel/action/{action}/?strips={ids.get(action, 'kick')}").content.decode()
    edit = next(one for one in ACTIONS if one.name == action).edit
    fields = set(re.findall(r'\bname="(\w+)"', page))
    known = set()
    for argument in EDITS[edit].arguments:
        known |= set(getattr(argument, "fields", {})) | {argument.name}
    assert fields
    assert fields <= known
    assert f"/preview/{edit}/" in page


@pytest.fixture
def big(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    made: Template = generate(1500)
    return services.store(owner, made)


def test_no_list_has_more_than_fifty_entries(signed_in: Client, big: StoredTemplate) -> None:
    for action in (a for a in ACTIONS if a.values is None and a.edit):
        page = signed_in.get(f"/t/{big.pk}/panel/action/{action.name}/?strips=music").content.decode()
        for options in re.findall(r"<select.*?</select>", page, re.S):
            assert options.count("<option") <= MOST + 1, action.name
        assert len(page) < 40_000, action.name


def test_a_long_list_is_completed_from_the_typed_text(signed_in: Client, big: StoredTemplate) -> None:
    page = signed_in.get(f"/t/{big.pk}/panel/action/feed/?strips=music").content.decode()
    address = re.findall(r'data-completes="([^"]+)"', page)[0]
    found = signed_in.get(address, {"q": "", "strips": "music"}).json()["found"]
    assert len(found) == MOST
    found = signed_in.get(address, {"q": "effects", "strips": "music"}).json()["found"]
    assert found[0][1] == "Effects"


RANKS: list[tuple[str, str, Any]] = [
    ("Drum bus", "drum bus", 0), ("Drum bus", "", 0), ("Drum bus", "dr", 1), ("Drum bus", "bus", 2), ("Drum bus", "b d", 2),
    ("Drum bus", "rum", 3), ("Drum bus", "hall", None),
]  # fmt: skip


@pytest.mark.parametrize(("name", "typed", "expected"), RANKS)
def test_ranks_of_typed_text(name: str, typed: str, expected: int | None) -> None:
    assert rank(name, typed) == expected


def test_the_best_come_first_and_no_more_than_fifty() -> None:
    pairs = [("a", "Old hall"), ("b", "Hall"), ("c", "Hall, small"), ("d", "Drums")]
    assert best(pairs, "hall") == [("b", "Hall"), ("c", "Hall, small"), ("a", "Old hall")]
    assert len(best([(str(n), f"Strip {n}") for n in range(99)], "strip")) == MOST
