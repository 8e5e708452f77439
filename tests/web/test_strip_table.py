"""All strips as a table: sorted and narrowed by the address, a hundred at a time."""

from __future__ import annotations

import re

import pytest
from django.test import Client

from lattice.generate import generate
from tests.build import template
from web.editor.strip_table import COLUMNS, MOST_ROWS, strip_table
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace, workspace

MADE = template(
    [
        {"id": "loud", "name": "Loud", "kind": "audio", "section": "s", "source": {"peak_dbfs": -3.0, "rms_dbfs": -12.0}},
        {"id": "soft", "name": "Soft", "kind": "audio", "section": "s", "source": {"peak_dbfs": -30.0, "rms_dbfs": -40.0}},
        {"id": "usual", "name": "usual", "kind": "audio", "inserts": [{"id": "i", "type": "eq", "latency_samples": 64}]},
        {"id": "lost", "name": "Lost", "kind": "audio"},
        "b:bus", "o:out",
    ],
    ["loud>bus", "soft>bus", "usual>bus", "bus>out"],
    sections=[{"id": "s", "name": "Strings"}],
)  # fmt: skip
SORTED = [
    ({}, ["Loud", "Soft", "usual", "Lost", "bus", "out"]),
    ({"sort": "name"}, ["bus", "Lost", "Loud", "out", "Soft", "usual"]),
    ({"sort": "level", "way": "down", "kind": "audio"}, ["Loud", "usual", "Lost", "Soft"]),
    ({"sort": "findings", "way": "down", "kind": "audio"}, ["Lost", "Loud", "Soft", "usual"]),
    ({"sort": "arrival", "way": "down"}, ["bus", "out", "Loud", "Soft", "usual", "Lost"]),
    ({"section": "Strings"}, ["Loud", "Soft"]),
    ({"q": "audio BUS", "sort": "name"}, ["Loud", "Soft", "usual"]),
    ({"q": "nothing"}, []),
    ({"sort": "nonsense", "from": "99"}, ["Loud", "Soft", "usual", "Lost", "bus", "out"]),
]


@pytest.mark.parametrize(("asked", "names"), SORTED, ids=[str(case[0]) for case in SORTED])
def test_rows_by_the_address(asked: dict[str, str], names: list[str]) -> None:
    found = strip_table(Workspace(MADE), asked)
    assert [row.strip.name for row in found["rows"]] == names
    assert found["total"] == len(names)


def test_figures_are_those_of_the_audit() -> None:
    rows = {row.strip.id: row for row in strip_table(Workspace(MADE), {})["rows"]}
    assert (rows["loud"].level_dbfs, rows["usual"].level_dbfs) == (pytest.approx(-3.0), pytest.approx(-6.0))
    assert rows["bus"].arrival_samples == 64
    assert (rows["lost"].worst, rows["loud"].worst) == ("blocker", None)
    assert [strip for strip, row in rows.items() if row.is_assumed] == ["usual", "lost"]


def test_every_head_sorts_and_turns(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, MADE)
    page = signed_in.get(f"/t/{stored.pk}/strips/?sort=name").content.decode()
    assert re.findall(r'aria-sort="(\w+)"', page) == ["ascending", *["none"] * (len(COLUMNS) - 1)]
    assert "sort=name&amp;way=down" in page
    assert "at an assumed level" in page


def test_many_strips_come_a_hundred_at_a_time(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored: StoredTemplate = services.store(owner, generate(300))
    first = signed_in.get(f"/t/{stored.pk}/strips/").content.decode()
    assert first.count("data-names=") == MOST_ROWS
    assert f"1–{MOST_ROWS} of " in first
    further = re.findall(r'href="\?(from=\d+)">next', first)
    second = signed_in.get(f"/t/{stored.pk}/strips/?{further[0]}").content.decode()
    assert set(re.findall(r'data-names="([^"]+)"', first)).isdisjoint(re.findall(r'data-names="([^"]+)"', second))


@pytest.mark.parametrize(
    ("old", "now"),
    [("strip/?strip=kick", "strips/?strip=kick"), ("delivery/", "setup/"), ("inventory/?of=3", "setup/?of=3"),
     ("hygiene/", "findings/?family=Names+and+sections")],
)  # fmt: skip
def test_old_addresses_lead_on(signed_in: Client, stored: StoredTemplate, old: str, now: str) -> None:
    answer = signed_in.get(f"/t/{stored.pk}/{old}")
    assert (answer.status_code, answer["Location"]) == (302, f"/t/{stored.pk}/{now}")


def test_hygiene_is_a_family_of_findings(signed_in: Client, stored: StoredTemplate) -> None:
    page = signed_in.get(f"/t/{stored.pk}/findings/?family=Names+and+sections").content.decode()
    assert "Unused strips" in page
    assert "Unused strips" not in signed_in.get(f"/t/{stored.pk}/findings/").content.decode()


def test_a_new_template_has_what_was_said_of_it(signed_in: Client) -> None:
    said = {"name": "Film", "tempo_bpm": "96.5", "sample_rate_hz": "96000", "frame_rate": "25", "layout": "5.1"}
    signed_in.post("/new/", said)
    made = workspace(StoredTemplate.objects.get()).template
    assert (made.tempo_bpm, made.sample_rate_hz, made.frame_rate, made.profile.layouts) == (96.5, 96000, "25", ("5.1",))
    assert (made.profile.sample_rate_hz, made.profile.frame_rate) == (96000, "25")
    refused = signed_in.post("/new/", {"name": "X", "tempo_bpm": "0"}).content.decode()
    assert "greater than or equal to 1" in refused
    assert StoredTemplate.objects.count() == 1


def test_the_audit_beside_itself_awake_and_bare(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    eq = [
        {"id": "i", "type": "eq", "latency_samples": 64},
        {"id": "j", "type": "gain", "gain_db": 6.0, "state": "bypassed"},
    ]
    stored = services.store(owner, template([{"id": "x", "kind": "audio", "inserts": eq}, "o:out"], ["x>out"]))
    awake = " ".join(signed_in.get(f"/t/{stored.pk}/findings/?awake=1").content.decode().split())
    bare = " ".join(signed_in.get(f"/t/{stored.pk}/findings/?awake=0").content.decode().split())
    assert "With all inserts on" in awake
    assert "gain on x" in awake
    assert "With all inserts bypassed" in bare
    assert "eq on x" in bare
