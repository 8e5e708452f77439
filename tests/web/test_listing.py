"""The page of templates: search, tags, order, deleted ones; a template as the start of a new one; small pictures."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.test import Client
from django.utils import timezone
from msgspec.structs import replace

from lattice.drawing import Slots, draw, small_svg
from lattice.graph.signal_graph import SignalGraph
from tests.build import template
from web.people.models import Team
from web.shelf import services
from web.shelf.listing import listing
from web.shelf.models import ShelfEntry, StoredTemplate
from web.shelf.starting import STARTERS
from web.shelf.workspace import workspace

SHOW = replace(
    template(["a:kick", "b:drums", "x:mix", "o:out"], ["kick>drums", "drums>mix", "mix>out"]),
    name="Old show", tempo_bpm=96.0, info={"artist": "A. Tern", "genre": "shanty"},
)  # fmt: skip


@pytest.fixture
def three(owner) -> list[StoredTemplate]:  # type: ignore[no-untyped-def]
    made = [services.store(owner, replace(SHOW, name=name)) for name in ("Ferry", "Harbour", "Anchor")]
    services.set_tags(made[:2], owner, ["film", " two  words "])
    services.set_tags(made[2:], owner, ["stage"])
    now = timezone.now()
    ShelfEntry.objects.filter(template=made[1]).update(opened_at=now)
    ShelfEntry.objects.filter(template=made[0]).update(opened_at=now - timedelta(days=1))
    return made


NARROWED: list[tuple[dict[str, str], list[str]]] = [
    ({}, ["Harbour", "Ferry", "Anchor"]),
    ({"sort": "name"}, ["Anchor", "Ferry", "Harbour"]),
    ({"sort": "nonsense"}, ["Harbour", "Ferry", "Anchor"]),
    ({"q": "har"}, ["Harbour"]),
    ({"q": "film ferry"}, ["Ferry"]),
    ({"tag": "film"}, ["Harbour", "Ferry"]),
    ({"tag": "two words", "q": "ferry"}, ["Ferry"]),
    ({"q": "nothing"}, []),
    ({"deleted": "1"}, []),
]


@pytest.mark.parametrize(("asked", "names"), NARROWED)
def test_the_list_by_the_address(owner, three: list[StoredTemplate], asked: dict[str, str], names: list[str]) -> None:  # type: ignore[no-untyped-def]
    found = listing(owner, asked)
    assert [one.name for one in found.templates] == names
    assert found.deleted == 0


def test_opening_a_template_puts_it_on_top(signed_in: Client, owner, three: list[StoredTemplate]) -> None:  # type: ignore[no-untyped-def]
    assert signed_in.post(f"/t/{three[2].pk}/opened/").status_code == 204
    assert listing(owner, {}).templates[0].name == "Anchor"
    entry = ShelfEntry.objects.get(template=three[2])
    signed_in.post(f"/t/{three[2].pk}/opened/")
    assert ShelfEntry.objects.get(template=three[2]).opened_at == entry.opened_at  # once a minute
    assert entry.tags == ["stage"]


def test_tags_are_set_for_several_and_are_those_of_one_user(
    signed_in: Client,
    owner,
    second,
    three: list[StoredTemplate],  # type: ignore[no-untyped-def]
) -> None:
    said = {"template": [str(three[0].pk), str(three[2].pk), "999"], "tags": "tour, tour, 2026 "}
    signed_in.post("/templates/tags/", said)
    found = {one.name: one.tags for one in listing(owner, {}).templates}
    assert (found["Ferry"], found["Anchor"], found["Harbour"]) == (
        ("tour", "2026"),
        ("tour", "2026"),
        ("film", "two words"),
    )
    three[0].shares.create(user=second, role="reader")
    assert [one.tags for one in listing(second, {}).templates] == [()]


@pytest.mark.parametrize(
    ("tags", "sentence"),
    [("x" * 41, "is longer than 40 characters"), (",".join(str(n) for n in range(13)), "13 tags; at most 12")],
)
def test_tags_that_are_too_many_or_too_long_say_so(
    signed_in: Client, three: list[StoredTemplate], tags: str, sentence: str
) -> None:
    page = signed_in.post("/templates/tags/", {"template": three[0].pk, "tags": tags}, follow=True).content.decode()
    assert sentence in page
    assert ShelfEntry.objects.get(template=three[0]).tags == ["film", "two words"]


def test_deleted_ones_have_a_view_and_come_back(signed_in: Client, owner, three: list[StoredTemplate]) -> None:  # type: ignore[no-untyped-def]
    chosen = {"template": [str(three[0].pk), str(three[1].pk)]}
    page = signed_in.post("/templates/delete/", chosen, follow=True).content.decode()
    assert "2 deleted" in " ".join(page.split())
    assert page.count("Restore") == 2
    assert [one.name for one in listing(owner, {}).templates] == ["Anchor"]
    signed_in.post(f"/t/{three[0].pk}/restore/")
    assert {one.name for one in listing(owner, {}).templates} == {"Anchor", "Ferry"}


def test_only_those_that_may_be_deleted_are(client: Client, second, three: list[StoredTemplate]) -> None:  # type: ignore[no-untyped-def]
    three[0].shares.create(user=second, role="reader")
    client.force_login(second)
    client.post("/templates/delete/", {"template": [str(one.pk) for one in three]})
    assert StoredTemplate.objects.filter(deleted_at=None).count() == 3


# A template as the start of a new one.


def begun(client: Client, stored: StoredTemplate, **said: str) -> Any:
    values = {"name": "New show", "tempo_bpm": "120", "sample_rate_hz": "48000", "info": "artist: \ngenre: "}
    return client.post(f"/t/{stored.pk}/new-from/", values | said)


def test_a_new_show_has_its_own_name_tempo_and_no_file_tags_of_the_old_one(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    old = services.store(owner, SHOW)
    form = signed_in.get(f"/t/{old.pk}/new-from/").content.decode()
    assert "artist: \ngenre: " in form
    assert "A. Tern" not in form
    answer = begun(signed_in, old, tempo_bpm="104.5", info="artist: B. Gull\ngenre: ")
    new = StoredTemplate.objects.get(name="New show")
    assert answer["Location"] == f"/t/{new.pk}/map/"
    made = workspace(new).template
    assert (made.tempo_bpm, made.info, made.strips) == (104.5, {"artist": "B. Gull"}, SHOW.strips)
    assert (new.version, new.revision, new.journal.count(), new.variant_of) == (1, 0, 0, old)
    assert "variant of Old show" in " ".join(signed_in.get("/").content.decode().split())
    assert workspace(StoredTemplate.objects.get(pk=old.pk)).template == SHOW


@pytest.mark.parametrize(
    ("said", "sentence"),
    [({"name": ""}, "required"), ({"tempo_bpm": "0"}, "greater than or equal to 1"),
     ({"sample_rate_hz": "1"}, "not one of the available choices"), ({"info": "A. Tern"}, "is not a name and its text")],
)  # fmt: skip
def test_a_new_show_with_a_wrong_field_says_so(signed_in: Client, owner, said: dict[str, str], sentence: str) -> None:  # type: ignore[no-untyped-def]
    old = services.store(owner, SHOW)
    assert sentence in begun(signed_in, old, **said).content.decode()
    assert StoredTemplate.objects.count() == 1


def test_a_template_without_tags_or_of_an_odd_rate_can_be_begun_from(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    old = services.store(owner, replace(SHOW, info={}, sample_rate_hz=50_000))
    begun(signed_in, old, sample_rate_hz="50000", info="")
    assert workspace(StoredTemplate.objects.get(name="New show")).template.sample_rate_hz == 50_000


def test_a_template_of_a_team_is_begun_from_into_ones_own_list(signed_in: Client, owner, second) -> None:  # type: ignore[no-untyped-def]
    team = Team.objects.create(name="Quay")
    team.members.create(user=owner, role="reader")
    old = services.store(second, SHOW)
    StoredTemplate.objects.filter(pk=old.pk).update(team=team)
    answer = begun(signed_in, old)
    assert answer.status_code in (302, 403)  # by the role's right to export
    new = StoredTemplate.objects.filter(name="New show").first()
    assert (new is not None) == (answer.status_code == 302)
    assert new is None or (new.owner, new.team) == (owner, None)


# Small pictures.


def test_a_small_picture_has_every_box_in_its_colour(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    sheet = draw(SignalGraph(SHOW), (), (), Slots())
    assert small_svg(sheet).count("<rect ") == len(SHOW.strips)
    stored = services.store(owner, SHOW)
    answer = signed_in.get(f"/t/{stored.pk}/small.svg?v=1")
    assert (answer["Content-Type"], "immutable" in answer["Cache-Control"]) == ("image/svg+xml", True)
    assert answer.content.decode() == small_svg(sheet)


def test_a_picture_of_nothing_is_empty() -> None:
    picture = small_svg(draw(SignalGraph(template([])), (), (), Slots()))
    assert picture.startswith("<svg ")
    assert "<rect" not in picture


def test_every_starter_has_a_picture_on_its_card(signed_in: Client) -> None:
    page = signed_in.get("/new/").content.decode()
    for starter in STARTERS:
        assert f'src="/new/{starter}.svg"' in page
        assert b"<rect" in signed_in.get(f"/new/{starter}.svg").content
    assert signed_in.get("/new/nothing.svg").status_code == 404
