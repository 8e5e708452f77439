"""References between templates are followed only as far as the user may see them, whatever they could before."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from django.apps import apps
from django.contrib.auth.models import User
from django.db import models
from django.test import Client

from lattice.edits.extract import taken_out
from tests.build import template
from web.bringing.models import Brought, Recording, Recordings
from web.people.roles import Role
from web.reuse.models import BlockUse
from web.reuse.services import keep_block
from web.shelf import services
from web.shelf.models import Share, StoredTemplate
from web.shelf.workspace import workspace

HIDDEN = "Unheard-of choir"
OTHER = template(
    ["a:solo", {"id": "secret", "name": HIDDEN, "kind": "audio"}, "b:bus", "o:out"],
    ["solo>bus", "bus>out"],
    name="Private hall",
)

# Fields that make something a part of one template: its pages ask for the role on that template first.
PARTS = {
    "plans.PlanJob.template", "reuse.BlockUse.template", "shelf.MapView.template", "shelf.Share.template", "shelf.JournalEntry.template",
    "shelf.JournalEntry.of", "revisions.Revision.template", "revisions.Tick.template", "revisions.Pack.revision", "remarks.Remark.template", "remarks.Line.remark",
    "shelf.ShelfEntry.template", "remarks.RemarkRule.template", "sharing.RevisionLink.revision", "bench.StoredKit.template", "bench.Reading.kit", "bench.BenchRule.template", "bench.ToneRun.template",
    "bench.Programme.template", "bringing.Recording.of",
}  # fmt: skip
# Fields that refer to a template from elsewhere: each with its test below.
LEADS = {"shelf.StoredTemplate.variant_of", "reuse.BlockUse.block", "bringing.Brought.into", "bringing.Recordings.into"}


def fields_to_templates() -> Iterator[str]:
    """Every foreign key to a template, direct or through another model."""
    reached: set[type[models.Model]] = {StoredTemplate}
    ours = [model for model in apps.get_models() if model.__module__.startswith("web.")]
    found: dict[str, None] = {}
    for _round in ours:
        for model in ours:
            for field in model._meta.get_fields():
                if isinstance(field, models.ForeignKey) and field.related_model in reached:
                    found[f"{model._meta.app_label}.{model.__name__}.{field.name}"] = None
                    reached.add(model)
    return iter(found)


def test_every_field_that_leads_to_a_template_is_known() -> None:
    """A new one fails here: say whether it is a part of one template, or add it to LEADS with a test that it asks."""
    assert set(fields_to_templates()) | {"reuse.BlockUse.block"} == PARTS | LEADS


@pytest.fixture
def other(owner: User, second: User) -> StoredTemplate:
    """A template of another user that the owner may read for now."""
    stored = services.store(second, OTHER)
    Share.objects.create(template=stored, user=owner, role=Role.READER)
    return stored


def take_away(stored: StoredTemplate) -> None:
    Share.objects.filter(template=stored).delete()


def seen(client: Client, *addresses: str) -> str:
    return "".join(client.get(address).content.decode() for address in addresses)


def test_a_copy_shows_its_origin_only_while_that_may_be_read(
    signed_in: Client, owner: User, second: User, other: StoredTemplate
) -> None:
    signed_in.post(f"/t/{other.pk}/duplicate/")
    copy = StoredTemplate.objects.get(variant_of=other)
    services.edit(other.pk, second, 1, "Renamed", [_rename()])
    pages = ("/", f"/t/{copy.pk}/revisions/", f"/t/{copy.pk}/carry/", f"/t/{copy.pk}/map/")
    assert "Private hall" in seen(signed_in, *pages)
    assert "SheetUpdate secret" in seen(signed_in, *pages)
    take_away(other)
    assert signed_in.get(f"/t/{copy.pk}/carry/").status_code == 404
    kept = signed_in.post(f"/t/{copy.pk}/carry/keep/", {"base": 1, "key": "strip solo"})
    assert kept.status_code == 404
    text = seen(signed_in, *pages)
    assert "SheetUpdate secret" not in text
    assert f"/t/{other.pk}/" not in text


def _rename():  # type: ignore[no-untyped-def]
    from lattice.model.edit_step import EditStep

    return EditStep("change_strip", {"strip": "secret", "changes": {"name": "SheetUpdate secret"}})


def test_an_owner_does_not_see_the_private_copies_of_others(
    signed_in: Client, owner: User, second: User, stored: StoredTemplate
) -> None:
    Share.objects.create(template=stored, user=second, role=Role.READER)
    client = Client()
    client.force_login(second)
    client.post(f"/t/{stored.pk}/duplicate/")
    copy = StoredTemplate.objects.get(variant_of=stored)
    StoredTemplate.objects.filter(pk=copy.pk).update(name="My own affair")
    assert "My own affair" in client.get(f"/t/{copy.pk}/revisions/").content.decode()
    assert "My own affair" not in signed_in.get(f"/t/{stored.pk}/revisions/").content.decode()


def _recordings(user: User, into: StoredTemplate) -> int:
    lot = Recordings.objects.create(owner=user, into=into)
    Recording.objects.create(of=lot, name="solo", layout="mono", rate_hz=48000, seconds=1, peak_dbfs=-6, rms_dbfs=-18)
    return lot.pk


BEGUN: list[tuple[str, Callable[[User, StoredTemplate], int], str]] = [
    ("import", lambda user, into: Brought.objects.create(owner=user, name="x", content=b"name,kind\nsolo,audio\n", into=into).pk, "import"),
    ("recordings", _recordings, "recordings"),
]  # fmt: skip


@pytest.mark.parametrize("role", [None, Role.READER])
@pytest.mark.parametrize(("name", "begin", "place"), BEGUN, ids=[name for name, *_ in BEGUN])
def test_what_was_begun_for_a_template_asks_again(
    signed_in: Client,
    owner: User,
    other: StoredTemplate,
    name: str,
    begin: Callable[[User, StoredTemplate], int],
    place: str,
    role: Role | None,
) -> None:
    Share.objects.filter(template=other).update(role=Role.EDITOR)
    number = begin(owner, other)
    assert HIDDEN in signed_in.get(f"/{place}/{number}/").content.decode()
    Share.objects.filter(template=other).update(role=role) if role else take_away(other)
    answer = signed_in.get(f"/{place}/{number}/")
    assert HIDDEN not in answer.content.decode()
    assert signed_in.post(f"/{place}/{number}/keep/", {"base": 1}).status_code == 404
    assert workspace(StoredTemplate.objects.get(pk=other.pk)).template == OTHER


def test_a_block_is_renewed_by_whose_block_it_is(
    signed_in: Client, owner: User, second: User, stored: StoredTemplate
) -> None:
    """Its newer version may come from a template that only they may see."""
    kept = keep_block(second, taken_out(workspace(stored).template, ["kick"], "Drums", ""))
    ids = {"strips": {"kick": "kick"}, "routes": {}, "inserts": {}, "sections": {}, "machines": {}}
    use = BlockUse.objects.create(block=kept, template=stored, version=kept.version, content=kept.content, ids=ids)
    keep_block(second, taken_out(OTHER, ["secret", "solo"], "Drums", ""))
    Share.objects.create(template=stored, user=second, role=Role.EDITOR)
    assert HIDDEN not in seen(signed_in, f"/t/{stored.pk}/put/")
    assert signed_in.get(f"/t/{stored.pk}/renew/{use.pk}/").status_code == 404
    assert signed_in.post(f"/t/{stored.pk}/renew/{use.pk}/keep/", {"base": 1}).status_code == 404
    theirs = Client()
    theirs.force_login(second)
    assert HIDDEN in seen(theirs, f"/t/{stored.pk}/renew/{use.pk}/")
    Share.objects.filter(template=stored).delete()
    assert "Small" not in theirs.get("/blocks/").content.decode()
