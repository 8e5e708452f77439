"""Blocks: created from selected strips, added as one edit, newer versions announced."""

from __future__ import annotations

import pytest
from django.test import Client

from lattice.formats.block_json import load
from tests.core.edits.test_blocks import GLASS, HOME
from web.reuse.models import BlockUse, KeptBlock
from web.revisions import services as revisions
from web.shelf import services
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import workspace


@pytest.fixture
def home(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, HOME)


def seen(client: Client, address: str) -> str:
    answer = client.get(address)
    assert answer.status_code == 200
    return " ".join(answer.content.decode().replace("&#x27;", "'").split())


def kept(client: Client, home: StoredTemplate, name: str = "Glass") -> KeptBlock:
    posted = {"strips": " ".join(GLASS), "name": name, "note": "bells over a synth"}
    assert client.post(f"/t/{home.pk}/block/keep/", posted)["Location"] == "/blocks/"
    return KeptBlock.objects.get(name=name)


def test_chosen_strips_are_kept_as_a_block_with_its_open_ends(signed_in: Client, home: StoredTemplate) -> None:
    page = seen(signed_in, f"/t/{home.pk}/block/?strips={'+'.join(GLASS)}")
    for words in ("to a return", "key from Voice", 'id="sheet"'):
        assert words in page, words
    block = kept(signed_in, home)
    page = seen(signed_in, "/blocks/")
    for words in ("Glass", "bells over a synth", "not used yet"):
        assert words in page, words
    assert len(load(signed_in.get(f"/blocks/{block.pk}.json").content).strips) == len(GLASS)
    assert signed_in.post(f"/t/{home.pk}/block/keep/", {"strips": "bells", "name": " "}).status_code == 422
    assert "select strips on the map first" in seen(signed_in, f"/t/{home.pk}/block/?strips=nobody")


def test_a_block_is_put_in_as_one_edit_with_its_ends_tied(
    signed_in: Client, home: StoredTemplate, stored: StoredTemplate
) -> None:
    block, before = kept(signed_in, home), workspace(stored).template
    address = f"/t/{stored.pk}/put/{block.pk}/"
    page = seen(signed_in, f"{address}?tie-mix=out&tie-hall=")
    for words in (
        "to a master: Mix → Out",
        "to a return: Hall → left open",
        "key from Voice: Voice → new",
        "send Bells → Hall → left out: its end is open",
    ):
        assert words in page, words
    assert not JournalEntry.objects.exists()
    signed_in.post(f"{address}keep/", {"base": 1, "tie-mix": "out", "tie-hall": ""})
    stored.refresh_from_db()
    made = workspace(stored).template
    assert {"bells", "glass-bus", "voice"} <= {strip.id for strip in made.strips}
    assert [f"{r.from_strip}>{r.to}" for r in made.routes if r.to == "out"] == ["bus>out", "glass-bus>out"]
    assert JournalEntry.objects.get().label == "Add Glass"
    assert stored.name in seen(signed_in, "/blocks/")
    signed_in.post(f"/t/{stored.pk}/write/undo/", {"base": 2})
    stored.refresh_from_db()
    assert workspace(stored).template == before


def test_what_clashes_is_said_and_may_be_shared(signed_in: Client, home: StoredTemplate) -> None:
    address = f"/t/{home.pk}/put/{kept(signed_in, home).pk}/"
    page = seen(signed_in, address)
    for words in (
        "Bells (bells) → bells-2",
        "Bells → Bells 2",
        "Synth in, 1–2 → 3–4",
        "use the existing Glass bus",
        'data-differs="bells-2 bell-notes-2 synth-2 glass-bus-2 print-glass-2"',
    ):
        assert words in page, words
    page = seen(signed_in, f"{address}?share-glass-bus=glass-bus&names=keep&channels=keep")
    assert "Glass bus → Glass bus, which exists already" in page
    assert "Bells → Bells 2" not in page
    assert "strip nobody does not exist" in seen(signed_in, f"{address}?tie-mix=nobody")
    assert signed_in.post(f"{address}keep/", {"base": 1, "tie-mix": "nobody"}).status_code == 422
    assert signed_in.post(f"{address}keep/", {"base": 9}).status_code == 409
    assert not BlockUse.objects.exists()


def test_strips_of_another_template_come_the_same_way(
    signed_in: Client, home: StoredTemplate, stored: StoredTemplate
) -> None:
    address = f"/t/{stored.pk}/from/{home.pk}/"
    assert home.name in seen(signed_in, f"/t/{stored.pk}/put/")
    assert "all strips" in seen(signed_in, address)
    assert "to a master: Mix" in seen(signed_in, f"{address}?section=glass&strip=voice")
    signed_in.post(
        f"{address}keep/", {"base": 1, "section": "glass", "strip": "voice", "tie-mix": "out", "tie-hall": ""}
    )
    stored.refresh_from_db()
    assert {"voice", *GLASS} <= {strip.id for strip in workspace(stored).template.strips}
    assert JournalEntry.objects.get().label == "Import 6 strips from Test"
    assert not BlockUse.objects.exists()


def test_all_but_outputs_and_masters_come_to_the_last_sum_without_processing(
    signed_in: Client, home: StoredTemplate, stored: StoredTemplate
) -> None:
    address = f"/t/{stored.pk}/from/{home.pk}/"
    preview = seen(signed_in, f"{address}?take=but-ends&plain=yes")
    assert '<input type="hidden" name="take" value="but-ends">' in preview
    there = {strip.id for strip in workspace(stored).template.strips}
    signed_in.post(f"{address}keep/", {"base": 1, "take": "but-ends", "plain": "yes"})
    stored.refresh_from_db()
    made = workspace(stored).template
    new = {strip.id: strip for strip in made.strips if strip.id not in there}
    assert {strip.kind for strip in new.values()}.isdisjoint({"master", "output"})
    assert {insert.state for strip in new.values() for insert in strip.inserts} == {"unloaded"}
    ended = {route.to for route in made.routes if route.from_strip in new and route.to not in new}
    assert ended == {"bus"}


def test_names_of_blocks_are_for_the_finder(signed_in: Client, home: StoredTemplate) -> None:
    signed_in.post(f"/t/{home.pk}/block/keep/", {"strips": "synth", "name": "Synth"})
    kept = KeptBlock.objects.get()
    assert signed_in.get("/blocks/names.json").json() == {"blocks": [{"number": kept.pk, "name": "Synth"}]}


def test_strips_of_a_revision_come_as_they_were_sealed(signed_in: Client, home: StoredTemplate, owner) -> None:  # type: ignore[no-untyped-def]
    revisions.seal(home.pk, owner, 1, "With bells")
    signed_in.post(f"/t/{home.pk}/write/remove_strips/", {"base": 1, "strips": "bells"})
    assert "revision 1" in seen(signed_in, f"/t/{home.pk}/put/")
    address = f"/t/{home.pk}/from/{home.pk}/revisions/1/"
    assert f"Import strips from {home.name}, revision 1" in seen(signed_in, address)
    signed_in.post(f"{address}keep/", {"base": 2, "strip": "bells"})
    assert "bells" in {strip.id for strip in workspace(StoredTemplate.objects.get(pk=home.pk)).template.strips}
    assert JournalEntry.objects.last().label == "Import 1 strip from Test, revision 1"  # type: ignore[union-attr]
    assert signed_in.get(f"/t/{home.pk}/from/{home.pk}/revisions/2/").status_code == 404


def test_a_newer_state_of_a_block_is_told_and_taken_by_ticks(
    signed_in: Client, home: StoredTemplate, stored: StoredTemplate
) -> None:
    block = kept(signed_in, home)
    signed_in.post(f"/t/{stored.pk}/put/{block.pk}/keep/", {"base": 1, "tie-mix": "out", "tie-hall": ""})
    signed_in.post(f"/t/{stored.pk}/write/change_strip/", {"base": 2, "strip": "bells", "pan": "0.5"})
    edits = ({"strip": "bells", "fader_db": "-4"}, {"strip": "synth", "name": "Synth one"})
    for number, changes in enumerate(edits, start=1):
        signed_in.post(f"/t/{home.pk}/write/change_strip/", {"base": number, **changes})
    assert "Update" not in seen(signed_in, f"/t/{stored.pk}/put/")
    assert kept(signed_in, home).version == 2
    assert "A newer version of Glass exists" in seen(signed_in, f"/t/{stored.pk}/put/")
    use = BlockUse.objects.get()
    address = f"/t/{stored.pk}/renew/{use.pk}/"
    page = seen(signed_in, address)
    for words in ("Bells: fader 0 → −4", "name Synth in → Synth one", "Apply 2 changes"):
        assert words in page, words
    signed_in.post(f"{address}keep/", {"base": 3, "key": "strip/bells/fader_db"})
    stored.refresh_from_db()
    bells = next(strip for strip in workspace(stored).template.strips if strip.id == "bells")
    assert (bells.fader_db, bells.pan) == (-4.0, 0.5)
    assert "Update" not in seen(signed_in, f"/t/{stored.pk}/put/")
    assert signed_in.post(f"{address}keep/", {"base": 3}).status_code == 409
    signed_in.post(f"/blocks/{block.pk}/forget/")
    assert not BlockUse.objects.exists()
    assert signed_in.get(address).status_code == 404
