"""The shelf: bringing in, previewing, keeping, copying, taking off and putting back."""

from __future__ import annotations

import re

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from lattice.formats.document_json import dump, load
from lattice.model.document import Template
from web.shelf.heads import document_of
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace


def bring(client: Client, data: bytes | None = None, text: str = "", name: str = "") -> tuple[int, str]:
    posted: dict[str, object] = {"text": text, "name": name}
    if data is not None:
        posted["file"] = SimpleUploadedFile("session.json", data)
    answer = client.post("/import/", posted)
    return answer.status_code, answer.content.decode()


def keep(client: Client, page: str) -> StoredTemplate:
    kept = re.search(r'name="draft" value="([^"]+)"', page)
    assert kept
    answer = client.post("/import/keep/", {"draft": kept[1]})
    return StoredTemplate.objects.get(pk=int(answer["Location"].split("/")[2]))


def test_a_pasted_list_is_shown_first_and_stored_only_when_kept(signed_in: Client) -> None:
    status, page = bring(signed_in, text="Kick\nSnare\n", name="New kit")
    assert status == 200
    assert "Snare" in page
    assert StoredTemplate.objects.count() == 0
    stored = keep(signed_in, page)
    assert [strip.name for strip in workspace(stored).template.strips] == ["Kick", "Snare"]
    assert stored.name == "New kit"


def test_a_sheet_with_faults_says_row_and_column_and_is_kept_without_them(signed_in: Client) -> None:
    status, page = bring(signed_in, text="name;feed;fader_db\nKick;Bus;loud\nBus;Nowhere;0\n")
    assert status == 200
    assert "row 2, column fader_db: “loud” is not a level" in page
    assert "row 3, column feed: there is no strip “Nowhere”" in page
    assert len(workspace(keep(signed_in, page)).template.routes) == 1


def test_export_and_import_give_the_same_document(signed_in: Client, stored: StoredTemplate, made: Template) -> None:
    exported = signed_in.get(f"/t/{stored.pk}/export/json/")
    assert exported.content == dump(made)
    assert exported["Content-Disposition"] == 'attachment; filename="small.json"'
    _status, page = bring(signed_in, exported.content)
    assert load(document_of(bytes(keep(signed_in, page).head))) == made


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b'{"name": "x"', "the JSON ends too early"),
        (
            b'{"format": "intact-lattice.template", "name": "x", "strips": [{"id": "a"}]}',
            "strips[0]: the field name is missing",
        ),
        (b'{"name": "x", "zzz": 1}', "unknown field"),
        (b"\x89PNG\r\n\x1a\n\0\0", "not UTF-8 text"),
        (b"PK\x03\x04\0\0", "this is no text"),
        ("Überheads\n".encode("latin-1"), "row 1: not UTF-8 text"),
        (b'[{"deep": ' + b"[" * 5000 + b"]" * 5000 + b"}]", "nested too deeply"),
        (b"   ", "the sheet is empty"),
    ],
)
def test_bad_input_is_explained_and_nothing_is_stored(signed_in: Client, data: bytes, words: str) -> None:
    status, page = bring(signed_in, data)
    assert status == 422
    assert words in page.replace("&#x27;", "'").replace("&quot;", '"')
    assert StoredTemplate.objects.count() == 0


def test_an_empty_form_and_a_forged_keep_store_nothing(signed_in: Client) -> None:
    assert bring(signed_in)[0] == 422
    assert signed_in.post("/import/keep/", {"draft": "forged"})["Location"] == "/import/"
    assert StoredTemplate.objects.count() == 0


def test_an_upload_beyond_64_mib_is_refused_with_a_sentence(signed_in: Client, settings) -> None:  # type: ignore[no-untyped-def]
    status, page = bring(signed_in, b"x" * (65 * 1024 * 1024))
    assert status == 422
    assert "65 MiB; at most 64 are allowed" in page
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 1000
    status, page = bring(signed_in, text="x" * 2000)
    assert status == 413
    assert "bring it as a file, which may have 64" in page


def test_a_copy_is_a_template_of_its_own(signed_in: Client, stored: StoredTemplate) -> None:
    signed_in.post(f"/t/{stored.pk}/duplicate/")
    signed_in.post(f"/t/{stored.pk}/duplicate/")
    assert sorted(StoredTemplate.objects.values_list("name", flat=True)) == ["Small", "Small (copy 2)", "Small (copy)"]


def test_taking_off_the_shelf_can_be_taken_back(signed_in: Client, stored: StoredTemplate) -> None:
    answer = signed_in.post(f"/t/{stored.pk}/delete/", follow=True)
    assert "Small is off the shelf" in answer.content.decode()
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 404
    signed_in.post(f"/t/{stored.pk}/restore/")
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 200


def test_an_empty_shelf_and_an_empty_sheet_say_what_to_do_first(signed_in: Client) -> None:
    assert "Nothing here yet" in signed_in.get("/").content.decode()
    page = signed_in.post("/new/", {"name": "Fresh"}, follow=True).content.decode()
    assert "An empty sheet" in page
    assert "Nothing is wrong" not in page


def test_the_demo_is_made_once_and_prints_the_way_in(db: None, capsys: pytest.CaptureFixture[str]) -> None:
    from django.core.management import call_command

    call_command("demo")
    call_command("demo")
    assert sorted(StoredTemplate.objects.values_list("name", flat=True)) == [
        "Night Ferry",
        "Night Ferry, clean revision",
        "Podcast kit",
    ]
    assert "/sign-in/" in capsys.readouterr().out
    summaries = dict(StoredTemplate.objects.values_list("name", "summary"))
    assert summaries["Night Ferry"]["blocker"] > 0
    assert (
        summaries["Night Ferry, clean revision"]["blocker"],
        summaries["Night Ferry, clean revision"]["warning"],
    ) == (0, 0)
