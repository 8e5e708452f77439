"""A template with unreadable bytes: a page with the reason, the bytes, and the last readable version."""

from __future__ import annotations

import json

import pytest
from django.test import Client

from lattice.formats.document_json import load
from lattice.model.edit_step import EditStep
from web.shelf import services
from web.shelf.heads import document_of
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import forget_all, workspace


def break_head(stored: StoredTemplate, data: bytes | None = None) -> None:
    """As a disk, an older version or another tool might leave it."""
    if data is None:
        document = json.loads(document_of(bytes(stored.head)))
        document["strips"][0]["name"] = "x" * 600
        data = json.dumps(document).encode()
    StoredTemplate.objects.filter(pk=stored.pk).update(head=data)
    forget_all()


@pytest.fixture
def edited(owner, stored: StoredTemplate) -> StoredTemplate:  # type: ignore[no-untyped-def]
    for version, name in enumerate(("Kick in", "Kick out"), start=1):
        step = EditStep("change_strip", {"strip": "kick", "changes": {"name": name}})
        services.edit(stored.pk, owner, version, f"Kick: name {name}", [step])
    return StoredTemplate.objects.get(pk=stored.pk)


ADDRESSES = ("map/", "findings/", "levels/", "export/json/", "crosspoints/", "revisions/", "panel/findings/")


@pytest.mark.parametrize("address", ADDRESSES)
def test_every_page_says_why_and_none_fails(signed_in: Client, edited: StoredTemplate, address: str) -> None:
    break_head(edited)
    answer = signed_in.get(f"/t/{edited.pk}/{address}")
    page = answer.content.decode()
    assert answer.status_code == 409
    assert "strips[0].name: has 600 characters; at most 500 are allowed" in page
    assert "Kick: name Kick out" in page
    assert "Restore last readable version" in page


def test_writes_and_copies_lead_to_that_page(signed_in: Client, edited: StoredTemplate) -> None:
    break_head(edited)
    write = signed_in.post(f"/t/{edited.pk}/write/undo/", {"base": edited.version}, headers={"HX-Request": "true"})
    assert (write.status_code, write["HX-Redirect"]) == (409, f"/t/{edited.pk}/map/")
    assert signed_in.post(f"/t/{edited.pk}/duplicate/").status_code == 409
    assert signed_in.get("/").status_code == 200


def test_the_bytes_can_be_taken_out_as_they_are(signed_in: Client, edited: StoredTemplate) -> None:
    break_head(edited, b"no document at all \xff")
    assert signed_in.get(f"/t/{edited.pk}/stored.json").content == b"no document at all \xff"
    page = signed_in.get(f"/t/{edited.pk}/map/")
    assert page.status_code == 409
    assert "No earlier version in the history can be read" in page.content.decode()
    assert signed_in.post(f"/t/{edited.pk}/recover/", {"base": edited.version}).status_code == 409


def test_going_back_gives_the_last_state_that_reads(signed_in: Client, edited: StoredTemplate) -> None:
    break_head(edited)
    assert signed_in.post(f"/t/{edited.pk}/recover/", {"base": edited.version})["Location"] == f"/t/{edited.pk}/map/"
    now = StoredTemplate.objects.get(pk=edited.pk)
    assert load(document_of(bytes(now.head))).strips[0].name == "Kick in"
    assert JournalEntry.objects.order_by("-pk").first().label == "Restore last readable version, 1 edit earlier"
    assert signed_in.get(f"/t/{edited.pk}/map/").status_code == 200
    undone = signed_in.post(f"/t/{edited.pk}/write/undo/", {"base": now.version})
    assert undone.status_code == 200
    assert workspace(StoredTemplate.objects.get(pk=edited.pk)).template.strips[0].name == "Kick"


def test_a_template_that_reads_is_left_as_it_is(signed_in: Client, edited: StoredTemplate) -> None:
    signed_in.post(f"/t/{edited.pk}/recover/", {"base": edited.version})
    assert StoredTemplate.objects.get(pk=edited.pk).version == edited.version


def test_an_accepted_edit_reads_again_after_a_restart(signed_in: Client, stored: StoredTemplate) -> None:
    """Whatever is typed into a name, the server can be started again."""
    for name in ("n" * 500, "n" * 501, "bell\x07", "line\nbreak", "\u202eturned", "=1+1"):
        version = StoredTemplate.objects.get(pk=stored.pk).version
        signed_in.post(f"/t/{stored.pk}/write/change_strip/", {"strip": "kick", "name": name, "base": version})
        forget_all()
        assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 200
        assert signed_in.post(f"/t/{stored.pk}/duplicate/").status_code == 302
