"""All strips as a table: its records, and what an answer brings of them. The page itself is in tests/browser."""

from __future__ import annotations

import json
import re
from html import unescape
from typing import Any

import pytest
from django.test import Client

from lattice.edits import apply
from lattice.generate import generate
from tests.build import template
from web.editor.strip_cells import cells_table
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


def rows_of(space: Workspace) -> dict[str, dict[str, Any]]:
    """Records of the table by strip, as the page's scripts have them."""
    table = cells_table(space, None).whole()  # type: ignore[arg-type]
    return {row[0]: dict(zip(table["columns"], row, strict=True)) for row in table["rows"]}


def test_figures_and_findings_are_those_of_the_audit() -> None:
    rows = rows_of(Workspace(MADE))
    assert (rows["loud"]["likely"], rows["usual"]["likely"]) == ("−3.0", "−6.0")
    assert (rows["bus"]["arrives"], rows["loud"]["arrives"]) == (64, 0)
    assert (rows["lost"]["worst"], rows["lost"]["findings"], rows["loud"]["findings"]) == ("blocker", 1, 0)
    assert [strip for strip, row in rows.items() if row["assumed"]] == ["usual", "lost"]
    assert [strip for strip, row in rows.items() if row["rests"]] == ["usual", "lost", "bus", "out"]
    assert (rows["loud"]["to"], rows["loud"]["section"]) == ("bus", "Strings")


EDITS = [
    ("change_strip", {"strip": "loud", "changes": {"fader_db": -6.0}}, {"loud", "bus", "out"}),
    ("change_strip", {"strip": "bus", "changes": {"name": "Band"}}, {"bus", "loud", "soft", "usual"}),
    ("change_section", {"section": "s", "changes": {"name": "Low"}}, {"loud", "soft"}),
    ("change_source", {"strip": "soft", "peak_dbfs": -1.0}, {"soft", "bus", "out"}),
    ("remove_strips", {"strips": ["bus"]}, None),
]


@pytest.mark.parametrize(("edit", "arguments", "changed"), EDITS)
def test_kept_rows_are_those_of_a_fresh_table(edit: str, arguments: dict[str, Any], changed: set[str] | None) -> None:
    space = Workspace(MADE)
    before = rows_of(space)
    after = apply(MADE, edit, arguments)
    rows = rows_of(Workspace(after, space))
    assert rows == rows_of(Workspace(after))
    if changed is not None:
        assert {strip for strip in rows if rows[strip] != before[strip]} == changed


def test_an_answer_brings_the_rows_that_differ(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, MADE)
    token = signed_in.get(f"/t/{stored.pk}/cells.json").json()["shown"]
    said = {"base": "1", "place": "strips", "shown": f"cells:{token}", "cells": "loud\tnote\tours"}
    answer = signed_in.post(f"/t/{stored.pk}/write/set_cells/", said).content.decode()
    change = re.search(r'<template data-into="cells"[^>]*>(.*?)</template>', answer, re.S)
    assert change
    sent = json.loads(unescape(change[1]))
    assert [row[0] for row in sent["rows"]] == ["loud"]


def test_the_page_stays_small_and_its_records_are_compressed(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, generate(1000))
    assert len(signed_in.get(f"/t/{stored.pk}/strips/").content) < 150_000
    records = signed_in.get(f"/t/{stored.pk}/cells.json", headers={"accept-encoding": "gzip"})
    assert records["Content-Encoding"] == "gzip"
    assert len(records.content) < 60_000


def test_a_strip_that_is_gone_says_so(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, MADE)
    assert "may have been removed" in signed_in.get(f"/t/{stored.pk}/strips/?strip=gone").content.decode()


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
        {"id": "k", "type": "gain", "gain_db": 2.3},
    ]
    stored = services.store(owner, template([{"id": "x", "kind": "audio", "inserts": eq}, "o:out"], ["x>out"]))
    awake = " ".join(signed_in.get(f"/t/{stored.pk}/findings/?awake=1").content.decode().split())
    bare = " ".join(signed_in.get(f"/t/{stored.pk}/findings/?awake=0").content.decode().split())
    assert "out: 2.3 dB quieter without. Turn up by 2.3 dB to compare." in bare
    assert "With all inserts on" in awake
    assert "gain on x" in awake
    assert "With all inserts bypassed" in bare
    assert "eq on x" in bare
