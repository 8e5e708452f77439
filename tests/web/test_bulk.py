"""Bulk edits over the web: previewed, applied in one step, undone in one."""

from __future__ import annotations

import re
from typing import Any

import pytest
from django.test import Client

from lattice.model.document import Template
from tests.build import template
from web.shelf import services
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import workspace

PLANNED: list[tuple[str, dict[str, str], str]] = [
    ("duplicate", {"strips": "kick", "times": "2"}, "Kick 2: added"),
    (
        "connect_many",
        {"strips": "kick lost", "kind": "send", "to": "out", "gain_db": "-12 dB"},
        "send Kick → Out: added",
    ),
    ("connect_many", {"strips": "lost", "kind": "feed", "to": "bus"}, "feed Lost → Drum bus: added"),
    ("untie", {"strips": "kick", "kinds": "feed"}, "feed Kick → Drum bus: removed"),
    ("move_and_refeed", {"strips": "kick", "section": ""}, "Kick: section Drums → nothing"),
    ("rename", {"strips": "kick lost", "pattern": "Hit {n:02}"}, "Hit 02"),
    ("change_strips", {"strips": "kick", "mute": "yes"}, "Kick: mute off → on"),
    ("change_strips", {"strips": "kick", "tags": "spare, click"}, "spare"),
    ("number_channels", {"strips": "out", "first": "5"}, "Out: io nothing → 5"),
    ("insert_bus", {"strips": "bus", "to": "out", "name": "Mix"}, "Mix: added"),
    ("remove_strips", {"strips": "lost"}, "Lost: removed"),
    ("change_strip", {"strip": "kick", "fader_db": "-3"}, "Kick: fader 0 → −3"),
    ("move_source", {"strip": "kick", "peak_dbfs": "-12"}, "Kick: source usual → peak −12, rms −24"),
    ("connect_many", {"strips": "kick", "to": "out", "instead": "yes"}, "Drum bus → Out"),
    ("connect_pairwise", {"strips": "lost", "to": "kick", "kind": "feed"}, "feed Lost → Kick: added"),
    ("number_routes", {"strips": "kick", "to": "bus", "first": "1"}, "channels"),
    (
        "duck",
        {"strips": "bus", "trigger": "lost", "threshold_db": "-18 dB", "ratio": "4:1"},
        "key Lost → Drum bus: added",
    ),
    ("deliver", {"strips": "bus", "role": "stem", "set": "main", "prints": "with prints"}, "Drum bus print: added"),
    ("outboard_insert", {"strip": "bus", "name": "Iron", "outputs": "5", "inputs": "5"}, "Iron"),
    ("change_sources", {"strips": "kick lost", "peak_dbfs": "-12", "rms_dbfs": ""}, "Kick: source usual → peak −12"),
    ("add_choice", {"strips": "kick lost", "name": "Drum", "sounding": "1"}, "hoice"),
    ("add_choice", {"strips": "kick lost", "name": "Drum", "way": "turn", "members": "strips"}, "hoice"),
    ("change_strips", {"strips": "kick", "colour": "#112233"}, "Kick: colour"),
    ("colour_by_tier", {"strips": "kick"}, "Kick: colour"),
    ("move_and_refeed", {"strips": "kick", "section": "", "routing": "no"}, "Kick: section Drums → nothing"),
    ("add_inserts", {"strips": "kick lost", "insert": "Low cut low-cut 80"}, "Lost, inserts: with Low cut"),
    ("set_cells", {"cells": "kick\tfader\t-3\nlost\tnote\tours"}, "Kick: fader 0 → −3"),
    ("trim", {"strip": "bus", "room_db": "12"}, "feed Kick → Drum bus: gain 0 → −6"),
]


def preview(client: Client, stored: StoredTemplate, what: str, values: dict[str, str]) -> Any:
    return client.post(f"/t/{stored.pk}/panel/preview/{what}/", values)


@pytest.mark.parametrize(("what", "values", "words"), PLANNED)
def test_it_is_shown_then_done_in_one_step_and_taken_back(
    signed_in: Client, stored: StoredTemplate, made: Template, what: str, values: dict, words: str
) -> None:
    answer = preview(signed_in, stored, what, values)
    page = answer.content.decode().replace("&quot;", '"')
    assert answer.status_code == 200
    assert words in page
    assert not JournalEntry.objects.exists()
    signed = re.search(r'"planned": "([^"]+)"', page)
    assert signed
    done = signed_in.post(f"/t/{stored.pk}/write/planned/", {"base": 1, "planned": signed[1]})
    assert done.status_code == 200
    assert workspace(StoredTemplate.objects.get()).template != made
    assert JournalEntry.objects.count() == 1
    signed_in.post(f"/t/{stored.pk}/write/undo/", {"base": 2})
    assert workspace(StoredTemplate.objects.get()).template == made


REFUSED: list[tuple[str, dict[str, str], str]] = [
    ("set_inserts", {"strips": "kick", "state": "on"}, "no insert of these strips changes"),
    ("change_choice", {"choice": "c", "sounding": "2"}, "choice c does not exist"),
    ("remove_choices", {"choices": "c"}, "choice c does not exist"),
    ("move_to_machine", {"strips": "kick", "machine": "far"}, "machine far does not exist"),
    ("remove_strips", {"strips": ""}, "no strip selected"),
    ("duplicate", {"strips": "kick", "times": "many"}, "“many” is not a whole number"),
    ("connect_many", {"strips": "kick", "kind": "send", "to": "out", "gain_db": "loud"}, "“loud” is not a level"),
    ("connect_many", {"strips": "kick", "kind": "tie", "to": "out"}, "a tie starts at an output"),
    ("rename", {"strips": "kick", "pattern": "{x}"}, "is not a pattern"),
    ("change_strips", {"strips": "kick", "shape": "x"}, "no change given"),
    ("outlet_set", {"strip": "kick"}, "has only its main outlet"),
    ("note_set", {"strip": "kick", "names": "x"}, "MIDI strips play instruments only"),
    ("dissolve_bus", {"bus": "bus"}, "is the bus of a section"),
    ("batch_inserts", {"strips": "kick", "inserts": ""}, "insert"),
    ("colour_by_section", {"strips": "nobody"}, "no strip selected"),
    ("effect_to_return", {"strips": "kick", "type": "reverb", "to": "out"}, "some of these inserts do not exist"),
    ("number_midi", {"strips": "kick", "instrument": "kick"}, "instrument kick does not exist"),
    ("insert_bus", {"strips": "bus", "to": "out", "inserts": "none-such"}, "not all of these inserts are on Out"),
]


@pytest.mark.parametrize(("what", "values", "words"), REFUSED)
def test_what_cannot_be_done_is_said_and_nothing_changes(
    signed_in: Client, stored: StoredTemplate, what: str, values: dict, words: str
) -> None:
    answer = preview(signed_in, stored, what, values)
    assert answer.status_code == 422
    assert words in answer.content.decode()


def test_findings_that_go_and_come_are_named(signed_in: Client, stored: StoredTemplate) -> None:
    page = preview(signed_in, stored, "connect_many", {"strips": "lost", "kind": "feed", "to": "bus"}).content.decode()
    assert "Resolved findings" in page
    assert "Lost reaches no output, print or stem" in page
    page = preview(signed_in, stored, "untie", {"strips": "kick", "kinds": "feed"}).content.decode()
    assert "New findings" in page


def test_a_forged_plan_is_refused(signed_in: Client, stored: StoredTemplate) -> None:
    answer = signed_in.post(f"/t/{stored.pk}/write/planned/", {"base": 1, "planned": "forged"})
    assert answer.status_code == 422
    assert "has expired" in answer.content.decode()


def test_a_bus_says_first_what_it_changes_in_level_and_latency(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stop = {"id": "stop", "type": "limiter", "latency_samples": 64, "gain_db": -2.0}
    made = template(
        [
            "a:x",
            "b:y",
            {"id": "sub", "kind": "bus", "fader_db": -3.0},
            {"id": "mix", "kind": "master", "inserts": [stop]},
        ],
        ["x>sub", "y>mix", "sub>mix"],
    )
    mine = services.store(owner, made)
    page = preview(signed_in, mine, "dissolve_bus", {"bus": "sub"}).content.decode()
    assert "x → mix" in page
    assert "±0.0" in page
    page = preview(
        signed_in, mine, "insert_bus", {"strips": "y", "to": "mix", "name": "New", "inserts": "stop"}
    ).content.decode()
    assert "y → mix" in page
    assert "±0\u2009samples" in page
