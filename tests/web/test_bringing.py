"""Import: the reading is shown first, may be changed, and is stored only on Save."""

from __future__ import annotations

import io

import pytest
import xlsxwriter
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from msgspec.structs import replace

from lattice.checks import audit
from lattice.errors import EditError
from lattice.formats.document_json import dump, load
from lattice.formats.track_sheet_writer import dump as sheet_of
from lattice.generate import generate
from lattice.model.document import Template
from tests.build import template
from tests.core.formats.test_midi_file import SONG
from web.bringing import services as bringing
from web.bringing.models import Brought, KeptChoices
from web.bringing.reading import forget_books, read
from web.shelf import services
from web.shelf.demo import night_ferry
from web.shelf.demo.sample_workbook import ROWS
from web.shelf.heads import document_of
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import workspace

SHOW = "Track,Type,Output,Level,Weather\nKick,spot,Drum,-3,fine\nSnare,audio,Drums,hot,rain\nDrums,aux,Out 1-2,0,fog\n"


def owner_of(client: Client) -> User:
    return User.objects.get(pk=client.session["_auth_user_id"])


def bring(client: Client, data: bytes | None = None, text: str = "", into: StoredTemplate | None = None) -> str:
    """The address of the reading."""
    posted: dict[str, object] = {"text": text}
    if data is not None:
        posted["file"] = SimpleUploadedFile("Show seven.csv", data)
    answer = client.post(f"/t/{into.pk}/import/" if into else "/import/", posted)
    assert answer.status_code == 302, answer.content.decode()
    return str(answer["Location"])


def seen(client: Client, address: str) -> str:
    return client.get(address).content.decode().replace("&#x27;", "'").replace("&quot;", '"')


def choose(client: Client, address: str, field: str, value: str) -> str:
    answer = client.post(f"{address}choose/", {"field": field, "value": value})
    assert answer.status_code == 200, answer.content.decode()
    return answer.content.decode()


def keep(client: Client, address: str, **posted: object) -> Template:
    answer = client.post(f"{address}keep/", posted)
    assert answer.status_code == 302, answer.content.decode()
    return workspace(StoredTemplate.objects.get(pk=int(answer["Location"].split("/")[2]))).template


def test_a_pasted_list_is_shown_first_and_stored_only_when_kept(signed_in: Client) -> None:
    address = bring(signed_in, text="Kick\nSnare\n")
    assert "Snare" in seen(signed_in, address)
    assert StoredTemplate.objects.count() == 0
    choose(signed_in, address, "name", "  New   kit ")
    made = keep(signed_in, address)
    assert (made.name, [strip.name for strip in made.strips]) == ("New kit", ["Kick", "Snare", "Out 1–2", "Mix"])
    assert not Brought.objects.exists()
    assert signed_in.get(address)["Location"] == "/import/"  # kept already: the address is still in the history


def test_what_is_unclear_is_settled_in_place(signed_in: Client) -> None:
    address = bring(signed_in, SHOW.encode())
    page = seen(signed_in, address)
    for words in (
        "“spot” is not known",
        "“Drum” is not a strip",
        "“hot” is not a level",
        "use Drums",
        "Import without 2 cells",
    ):
        assert words in page
    choose(signed_in, address, "answer:words/kind/spot", "audio")
    choose(signed_in, address, "answer:destinations/drum", "=Drums")
    page = choose(signed_in, address, "answer:cells/3/fader_db", "-1.5")
    assert "Import without" not in page
    choose(signed_in, address, "column:weather", "noted")
    made = keep(signed_in, address)
    assert (made.name, made.strips[0].note, made.strips[1].fader_db) == ("Show seven", "Weather: fine", -1.5)
    assert sorted(f"{r.from_strip}>{r.to}" for r in made.routes) == ["drums>out-1-2", "kick>drums", "snare>drums"]


def test_what_was_said_of_a_table_holds_for_the_next_with_the_same_heads(signed_in: Client) -> None:
    address = bring(signed_in, SHOW.encode())
    choose(signed_in, address, "answer:words/kind/spot", "audio")
    choose(signed_in, address, "column:weather", "noted")
    keep(signed_in, address)
    assert KeptChoices.objects.count() == 1
    again = bring(signed_in, b"Weather;Type;Track;Output;Level\nfine;spot;Tom;Out 1-2;-1\n")
    page = seen(signed_in, again)
    assert "read with your last choices for these column heads" in page
    assert "is not known" not in page
    assert "is not known" in choose(signed_in, again, "anew", "1")
    assert "is not known" in seen(signed_in, bring(signed_in, b"Track,Type\nTom,spot\n"))


def test_a_sheet_that_was_exported_comes_back_as_it_was(signed_in: Client) -> None:
    made = generate(40, 3)
    kept = keep(signed_in, bring(signed_in, sheet_of(made)))
    assert [replace(strip, section=None) for strip in kept.strips] == [replace(s, section=None) for s in made.strips]
    assert len(kept.routes) == len(made.routes)


def test_a_workbook_that_was_exported_comes_back_whole_and_changes_nothing_where_it_came_from(
    signed_in: Client,
) -> None:
    stored = services.store(owner_of(signed_in), night_ferry.in_work())
    made = workspace(stored).template
    exported = signed_in.get(f"/t/{stored.pk}/export/xlsx/").content
    assert "No differences from the template." in seen(signed_in, bring(signed_in, exported, into=stored))
    assert keep(signed_in, bring(signed_in, exported)) == made


def test_a_document_comes_back_as_it_was(signed_in: Client, stored: StoredTemplate, made: Template) -> None:
    exported = signed_in.get(f"/t/{stored.pk}/export/json/")
    assert exported.content == dump(made)
    assert exported["Content-Disposition"] == 'attachment; filename="small.json"'
    keep(signed_in, bring(signed_in, exported.content))
    assert load(document_of(bytes(StoredTemplate.objects.latest("pk").head))) == made


def test_the_sample_workbook_has_forty_rows_and_three_that_are_unclear(signed_in: Client) -> None:
    address = str(signed_in.post("/import/sample/")["Location"])
    page = seen(signed_in, address)
    assert len(ROWS) == 40
    assert [
        words
        for words in ("“spot” is not known", "“Shorline bus” is not a strip", "“hot” is not a level")
        if words not in page
    ] == []
    assert '<span class="quiet figure">3</span>' in " ".join(page.split()).replace('"> 3 <', '">3<')
    assert "Shoreline south reaches no output, print or stem" in page
    page = choose(signed_in, address, "answer:destinations/shorline bus", "=Shoreline bus")
    assert "Shoreline south reaches no output, print or stem" not in page


@pytest.mark.parametrize(
    ("field", "value"),
    [("encoding", "klingon"), ("column:type", "weather"), ("routing", "cloud"), ("sections", "x"), ("answer:x/y", "z"),
     ("head_row", "-1"), ("weather", "fine"), ("", "")],
)  # fmt: skip
def test_what_cannot_be_chosen_is_refused_and_changes_nothing(signed_in: Client, field: str, value: str) -> None:
    address = bring(signed_in, SHOW.encode())
    answer = signed_in.post(f"{address}choose/", {"field": field, "value": value})
    assert answer.status_code == 422
    assert Brought.objects.get().choices == {}


def test_another_head_row_part_or_delimiter_is_read_anew(signed_in: Client) -> None:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out) as book:
        for name, rows in (("One", ["Track", "Kick"]), ("Two", ["Name", "Snare", "Tom"])):
            book.add_worksheet(name).write_column(0, 0, rows)
    address = bring(signed_in, out.getvalue())
    assert "Snare" in seen(signed_in, address)
    assert "Kick" in choose(signed_in, address, "part", "One")
    assert ">Track<" in choose(signed_in, address, "head_row", "0")  # a strip of that name now
    text = bring(signed_in, text="Kick,1;Bus\nSnare,2;Bus\n")
    assert "Kick,1" in choose(signed_in, text, "delimiter", ";")


WRONG = [
    (b'{"name": "x"', "the JSON ends too early"),
    (b'{"format": "intact-lattice.template", "name": "x", "strips": [{"id": "a"}]}', "strips[0]: the field name is missing"),
    (b'{"name": "x", "zzz": 1}', "unknown field"),
    (b"\x89PNG\r\n\x1a\n\0\0", "this is a picture, not a table"),
    (b"PK\x03\x04\0\0", "the workbook is damaged"),
    (b'[{"deep": ' + b"[" * 5000 + b"]" * 5000 + b"}]", "nested too deeply"),
    (b"   ", "the table is empty"),
    (b"Track\n" + b"Kick\n" * 100_000, "more than 20000 rows"),
]  # fmt: skip


@pytest.mark.parametrize(("data", "words"), WRONG, ids=[case[1][:24] for case in WRONG])
def test_bad_input_is_explained_and_nothing_is_stored(signed_in: Client, data: bytes, words: str) -> None:
    answer = signed_in.post("/import/", {"file": SimpleUploadedFile("x.csv", data)})
    assert answer.status_code == 422
    assert words in answer.content.decode().replace("&#x27;", "'").replace("&quot;", '"')
    assert (StoredTemplate.objects.count(), Brought.objects.count()) == (0, 0)


def test_an_empty_form_and_a_table_of_nothing_store_nothing(signed_in: Client) -> None:
    assert signed_in.post("/import/", {"text": " "}).status_code == 422
    address = bring(signed_in, b"Level,Weather\n-3,1\n-4,2\n")
    choose(signed_in, address, "column:level", "")
    assert "Choose the column with the strip names" in choose(signed_in, address, "column:weather", "")
    assert signed_in.post(f"{address}keep/").status_code == 422
    assert StoredTemplate.objects.count() == 0


def test_an_upload_beyond_64_mib_is_refused_with_a_sentence(signed_in: Client, settings) -> None:  # type: ignore[no-untyped-def]
    answer = signed_in.post("/import/", {"file": SimpleUploadedFile("x.json", b"x" * (65 * 1024 * 1024))})
    assert answer.status_code == 422
    assert "65 MiB; at most 64 are allowed" in answer.content.decode()
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 1000
    answer = signed_in.post("/import/", {"text": "x" * 2000})
    assert answer.status_code == 413
    assert "Import it as a file (limit 64 MiB)" in answer.content.decode()


# keeping in step


def test_a_newer_sheet_is_taken_as_one_edit_that_can_be_undone(
    signed_in: Client, stored: StoredTemplate, made: Template
) -> None:
    address = bring(
        signed_in, b"Track,Type,Output,Level\nKick,audio,Drum bus,-3\nTom,audio,Drum bus,0\nDrum bus,,,\n", into=stored
    )
    page = seen(signed_in, address)
    for words in (
        "Tom, audio mono, to Drum bus",
        "Kick: fader 0 → −3",
        "Not in the table",
        "Lost is removed, with its routes",
        "Apply 2 changes",
    ):
        assert words in page, words
    after = keep(signed_in, address, base=stored.version)
    assert {strip.name for strip in after.strips} == {"Kick", "Lost", "Drum bus", "Out", "Tom"}
    assert JournalEntry.objects.get().label == "Import updated sheet: 2 changes"
    signed_in.post(f"/t/{stored.pk}/write/undo/", {"base": 2})
    stored.refresh_from_db()
    assert workspace(stored).template == made


def test_ticks_say_what_is_taken(signed_in: Client, stored: StoredTemplate) -> None:
    address = bring(signed_in, b"Track,Level\nKick,-3\nDrum bus,-1\n", into=stored)
    choose(signed_in, address, "tick", "strip/kick/fader_db")
    assert "Apply 2 changes" in choose(signed_in, address, "tick", "gone/lost")
    page = " ".join(seen(signed_in, address).split())
    assert "Resolved" in page  # with Lost goes that it reaches no output, print or stem
    after = keep(signed_in, address, base=stored.version)
    assert [(strip.id, strip.fader_db) for strip in after.strips] == [("kick", 0.0), ("bus", -1.0), ("out", 0.0)]


def test_a_name_that_is_alike_may_be_another_strip(signed_in: Client, stored: StoredTemplate) -> None:
    address = bring(signed_in, b"Track,Type\nKik,audio\n", into=stored)
    assert "Renamed" in seen(signed_in, address)
    assert "Renamed" not in choose(signed_in, address, "apart:kick", "1")
    assert "Kik" in {strip.name for strip in keep(signed_in, address, base=stored.version).strips}


def test_its_own_sheet_changes_nothing(signed_in: Client, stored: StoredTemplate, made: Template) -> None:
    address = bring(signed_in, sheet_of(made), into=stored)
    page = seen(signed_in, address)
    assert "No differences from the template." in page
    assert signed_in.post(f"{address}keep/", {"base": stored.version}).status_code == 302
    assert not JournalEntry.objects.exists()


def test_what_was_compared_with_an_older_state_is_refused_and_compared_anew(
    signed_in: Client, stored: StoredTemplate
) -> None:
    address = bring(signed_in, b"Track,Level\nKick,-3\n", into=stored)
    signed_in.post(f"/t/{stored.pk}/write/change_strip/", {"base": 1, "strip": "kick", "fader_db": "-3"})
    answer = signed_in.post(f"{address}keep/", {"base": 1})
    assert answer.status_code == 409
    page = answer.content.decode()
    assert "Not saved: the template has changed" in page
    assert "strip/kick/fader_db" not in page


def test_it_is_kept_after_a_restart_and_by_two_tabs_once(signed_in: Client) -> None:
    from web.bringing.reading import forget_books

    address = bring(signed_in, SHOW.encode())
    choose(signed_in, address, "answer:words/kind/spot", "audio")
    forget_books()
    keep(signed_in, address)
    assert signed_in.post(f"{address}keep/").status_code == 404
    assert StoredTemplate.objects.count() == 1


def test_a_file_that_was_being_read_when_the_server_ended_is_not_read_again(signed_in: Client, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    signed_in.post("/import/", {"text": "Kick\nSnare\n"})
    brought = Brought.objects.get()
    assert brought.read_by == ""
    Brought.objects.update(read_by="the run before")  # as a kill leaves it
    forget_books()
    monkeypatch.setattr("web.bringing.reading._read", lambda *_all: pytest.fail("it is read again"))
    page = signed_in.get(f"/import/{brought.pk}/").content.decode()
    assert "The server stopped while reading this file" in page


def test_a_name_of_five_hundred_letters_is_cut_and_a_file_may_be_called_anything(signed_in: Client) -> None:
    answer = signed_in.post("/import/", {"file": SimpleUploadedFile("x" * 200 + ".wav", b"Track\nKick\n")})
    choose(signed_in, str(answer["Location"]), "name", "y" * 500)
    assert keep(signed_in, str(answer["Location"])).name == "y" * 120
    assert StoredTemplate.objects.count() == 1


# MIDI files


def test_a_midi_file_becomes_strips_of_notes_that_play_an_instrument(signed_in: Client) -> None:
    address = bring(signed_in, SONG)
    assert "Glöckchen" in seen(signed_in, address)
    made = keep(signed_in, address)
    assert [(strip.name, strip.kind) for strip in made.strips[:2]] == [("Night tide", "instrument"), ("Glass", "midi")]
    assert [(r.port, r.channel) for r in made.routes] == [(2, 3), (1, 10), (1, None), (1, 4)]
    assert [(marker.bar, marker.name) for marker in made.timeline.markers] == [(5, "Bells"), (6, "Küste")]


def test_a_midi_file_plays_an_instrument_that_is_there(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, template([{"id": "kit", "name": "Kit", "kind": "instrument", "midi": {"ports": 2}}]))
    address = bring(signed_in, SONG, into=stored)
    assert "a new instrument" in seen(signed_in, address)
    choose(signed_in, address, "instrument", "kit")
    after = keep(signed_in, address, base=stored.version)
    assert {route.to for route in after.routes} == {"kit"}
    assert len(after.strips) == 5
    wrong = signed_in.post("/import/", {"file": SimpleUploadedFile("x.mid", SONG[:60])})
    assert (wrong.status_code, "cannot be read" in wrong.content.decode()) == (422, True)


def laid_aside(signed_in: Client, text: str) -> Brought:
    bring(signed_in, text=text)
    return Brought.objects.get()


NAMES = "Kick\nSnare\nLead vocal\nDrum bus\nPlate\nMix\nMain out\nClick\n"


def test_kinds_are_read_from_names_and_changed_for_one_or_all_alike(signed_in: Client) -> None:
    brought = laid_aside(signed_in, NAMES)
    kinds = {strip.name: strip.kind for strip in read(brought).template.strips}
    assert kinds["Drum bus"] == "bus"
    assert kinds["Plate"] == "return"
    assert kinds["Mix"] == "master"
    page = signed_in.get(f"/import/{brought.pk}/").content.decode()
    assert "“plate”" in page
    bringing.choose(brought, "role:plate", "audio")
    bringing.choose(brought, "role:2", "instrument")
    kinds = {strip.name: strip.kind for strip in read(brought).template.strips}
    assert kinds["Plate"] == "audio"
    assert kinds["Snare"] == "instrument"
    with pytest.raises(EditError):
        bringing.choose(brought, "role:plate", "weather")


def test_names_without_routes_are_wired_up_unless_the_tick_is_taken_away(signed_in: Client) -> None:
    brought = laid_aside(signed_in, NAMES)
    wired = read(brought)
    assert wired.wires is True
    severities = {finding.severity for finding in audit(wired.template).findings}
    assert not severities & {"blocker", "warning"}
    bringing.choose(brought, "wire", "0")
    assert read(brought).wires is False
    assert read(brought).template.routes == ()


def test_a_table_with_destinations_is_not_wired_up(signed_in: Client) -> None:
    brought = laid_aside(signed_in, "name,to\nKick,Drum bus\nSnare,\nDrum bus,\n")
    assert read(brought).wires is None
    assert len(read(brought).template.routes) == 1
