"""Parts used again, on the page: cut down, in another layout, carried over to a variant; shown first, one undo."""

from __future__ import annotations

import pytest
from django.test import Client

from web.shelf import services
from web.shelf.demo import night_ferry
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import workspace


@pytest.fixture
def ferry(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, night_ferry.in_work())


def seen(client: Client, address: str) -> str:
    answer = client.get(address)
    assert answer.status_code == 200
    return " ".join(answer.content.decode().replace("&#x27;", "'").split())


def test_cutting_down_says_what_is_severed_and_makes_a_variant(signed_in: Client, ferry: StoredTemplate) -> None:
    address = f"/t/{ferry.pk}/cut/"
    assert "after you choose" in seen(signed_in, address)
    page = seen(signed_in, f"{address}?section=choir")
    for words in ("strips stay", "Disconnected", "No longer named", "Save as variant", 'id="sheet"'):
        assert words in page, words
    answer = signed_in.post(f"{address}keep/", {"base": 1, "section": "choir", "as": "variant", "name": "Choir only"})
    made = StoredTemplate.objects.get(name="Choir only")
    assert (answer["Location"], made.variant_of) == (f"/t/{made.pk}/map/", ferry)
    assert 0 < len(workspace(made).template.strips) < len(workspace(ferry).template.strips)
    assert not JournalEntry.objects.exists()


def test_cutting_down_in_place_is_one_edit(signed_in: Client, ferry: StoredTemplate) -> None:
    before = workspace(ferry).template
    signed_in.post(f"/t/{ferry.pk}/cut/keep/", {"base": 1, "section": "choir", "as": "edit"})
    assert JournalEntry.objects.get().label == "Reduce to Choir"
    signed_in.post(f"/t/{ferry.pk}/write/undo/", {"base": 2})
    ferry.refresh_from_db()
    assert workspace(ferry).template == before


def test_another_layout_says_what_widens_and_what_folds(signed_in: Client, ferry: StoredTemplate) -> None:
    address = f"/t/{ferry.pk}/layout/"
    page = seen(signed_in, f"{address}?before=5.1&after=7.1")
    for words in ("In 7.1", "Fold", "Latency"):
        assert words in page, words
    signed_in.post(f"{address}keep/", {"base": 1, "before": "5.1", "after": "7.1", "as": "edit"})
    ferry.refresh_from_db()
    assert {strip.layout for strip in workspace(ferry).template.strips if strip.kind == "master"} >= {"7.1"}
    assert JournalEntry.objects.get().label == "5.1 to 7.1"


def test_what_cannot_be_is_said_and_nothing_is_kept(signed_in: Client, ferry: StoredTemplate) -> None:
    base = f"/t/{ferry.pk}"
    assert "no strip of the programme is quad" in seen(signed_in, f"{base}/layout/?before=quad&after=5.1")
    for address, posted, status in (
        ("cut", {"base": 1}, 422), ("cut", {"base": 9, "section": "choir"}, 409), ("cut", {"base": 1, "section": "choir", "as": "variant", "name": " "}, 422),
        ("layout", {"base": 1, "before": "stereo", "after": "stereo"}, 422), ("layout", {"base": 1, "before": "x", "after": "5.1"}, 422),
    ):  # fmt: skip
        assert signed_in.post(f"{base}/{address}/keep/", posted).status_code == status
    assert StoredTemplate.objects.count() == 1
    assert not JournalEntry.objects.exists()


def test_what_changes_in_a_template_is_offered_to_its_variants(
    signed_in: Client, stored: StoredTemplate, owner
) -> None:  # type: ignore[no-untyped-def]
    signed_in.post(f"/t/{stored.pk}/duplicate/")
    variant = StoredTemplate.objects.exclude(pk=stored.pk).get()
    address = f"/t/{variant.pk}/carry/"
    assert "No changes there" in seen(signed_in, address)
    signed_in.post(f"/t/{variant.pk}/write/change_strip/", {"base": 1, "strip": "kick", "pan": "-0.5"})
    for number, changes in enumerate(({"fader_db": "-3"}, {"name": "Kick drum"}), start=1):
        signed_in.post(f"/t/{stored.pk}/write/change_strip/", {"base": number, "strip": "kick", **changes})
    page = seen(signed_in, address)
    for words in ("Kick: fader 0 → −3", "name Kick → Kick drum", "Apply 2 changes"):
        assert words in page, words
    assert "Apply 1 change" in seen(signed_in, f"{address}?chosen=1&key=strip/kick/fader_db")
    signed_in.post(f"{address}keep/", {"base": 2, "key": "strip/kick/fader_db"})
    variant.refresh_from_db()
    kick = workspace(variant).template.strips[0]
    assert (kick.name, kick.fader_db, kick.pan) == ("Kick", -3.0, -0.5)
    assert "No changes there" in seen(signed_in, address)  # what was not ticked is not offered again
    assert signed_in.post(f"{address}keep/", {"base": 2, "key": "x"}).status_code == 409
    assert signed_in.get(f"/t/{stored.pk}/carry/").status_code == 404
    assert "Update from Small" in seen(signed_in, f"/t/{variant.pk}/revisions/")
