"""Mistakes that were put into permissions and writes by hand and that no test noticed: each has its case here."""

from __future__ import annotations

import re

import pytest
from django.contrib.auth.models import User
from django.test import Client

from lattice.edits import apply
from lattice.model.edit_step import EditStep
from tests.web.test_permissions import TABLE
from web.people.roles import Role
from web.shelf import services
from web.shelf.access import NotAllowedError, may, role_on
from web.shelf.history import StaleVersionError
from web.shelf.models import JournalEntry, Share, StoredTemplate
from web.shelf.services import PreparedState
from web.shelf.workspace import workspace

MUTED = {"strip": "kick", "changes": {"mute": True}}


def give(stored: StoredTemplate, person: User, role: Role | None) -> None:
    Share.objects.filter(template=stored, user=person).delete()
    if role is not None:
        Share.objects.create(template=stored, user=person, role=role)


def of(person: User) -> Client:
    client = Client()
    client.force_login(person)
    return client


@pytest.mark.parametrize("role", [Role.READER, Role.CHECKER, None])
@pytest.mark.parametrize("what", ["undo", "redo"])
def test_who_may_not_edit_any_more_takes_back_no_edit(
    stored: StoredTemplate, second: User, role: Role | None, what: str
) -> None:
    """A checker may undo: a waiver of theirs, but not an edit that they made as an editor."""
    give(stored, second, Role.EDITOR)
    services.edit(stored.pk, second, 1, "Mute", [EditStep("change_strip", MUTED)])
    if what == "redo":
        services.undo(stored.pk, second, 2)
    stored.refresh_from_db()
    before, version = workspace(stored).template, stored.version
    give(stored, second, role)
    answer = of(second).post(f"/t/{stored.pk}/write/{what}/", {"base": version})
    assert answer.status_code == (404 if role is None else 403)
    stored.refresh_from_db()
    assert (stored.version, workspace(stored).template) == (version, before)


def test_a_checker_takes_back_their_own_waiver(stored: StoredTemplate, second: User) -> None:
    give(stored, second, Role.CHECKER)
    client = of(second)
    fingerprint = workspace(stored).audit.findings[0].fingerprint
    assert (
        client.post(
            f"/t/{stored.pk}/write/waive/", {"base": 1, "fingerprint": fingerprint, "reason": "meant"}
        ).status_code
        == 200
    )
    assert client.post(f"/t/{stored.pk}/write/undo/", {"base": 2}).status_code == 200
    assert workspace(StoredTemplate.objects.get()).template.waivers == ()


@pytest.mark.parametrize("given", ["Somebody else", ""])
def test_a_waiver_is_by_who_is_signed_in_whatever_the_form_says(
    signed_in: Client, stored: StoredTemplate, given: str
) -> None:
    fingerprint = workspace(stored).audit.findings[0].fingerprint
    form = {"base": 1, "fingerprint": fingerprint, "reason": "meant", "by": given, "on": "1999-01-01"}
    assert signed_in.post(f"/t/{stored.pk}/write/waive/", form).status_code == 200
    (waiver,) = workspace(StoredTemplate.objects.get()).template.waivers
    assert (waiver.by, waiver.fingerprint) == ("I. Strand", fingerprint)
    assert str(JournalEntry.objects.get().by) == "owner"


def test_a_preview_is_used_by_whom_it_was_shown(signed_in: Client, stored: StoredTemplate, second: User) -> None:
    give(stored, second, Role.EDITOR)
    page = signed_in.post(f"/t/{stored.pk}/panel/preview/duplicate/", {"strips": "kick", "times": "1"}).content.decode()
    token = re.search(r'"planned": "([^"]+)"', page)[1]  # type: ignore[index]
    answer = of(second).post(f"/t/{stored.pk}/write/planned/", {"planned": token, "base": 1})
    assert (answer.status_code, "no longer good" in answer.content.decode()) == (422, True)
    assert not JournalEntry.objects.exists()


def test_the_version_is_looked_at_again_under_the_lock(stored: StoredTemplate, owner: User) -> None:
    """Two computed their states side by side: the second one to write finds the first one's."""
    after = apply(workspace(stored).template, "change_strip", MUTED)
    made = [PreparedState(after, stored), PreparedState(after, stored)]
    entries = [JournalEntry(kind=JournalEntry.EDIT, label=label, patch=b"") for label in ("First", "Second")]
    for entry in entries:
        entry.patch = services.diff(workspace(stored).template, after).dump()
    services.commit_state(stored.pk, owner, 1, made[0], entries[0])
    with pytest.raises(StaleVersionError):
        services.commit_state(stored.pk, owner, 1, made[1], entries[1])
    assert [entry.label for entry in JournalEntry.objects.all()] == ["First"]
    assert StoredTemplate.objects.get().version == 2


def test_the_role_is_looked_at_again_under_the_lock(stored: StoredTemplate, second: User) -> None:
    give(stored, second, Role.READER)
    after = apply(workspace(stored).template, "change_strip", MUTED)
    entry = JournalEntry(
        kind=JournalEntry.EDIT, label="x", patch=services.diff(workspace(stored).template, after).dump()
    )
    with pytest.raises(NotAllowedError):
        services.commit_state(stored.pk, second, 1, PreparedState(after, stored), entry)
    assert StoredTemplate.objects.get().version == 1


WRITES = sorted({address for address, method, *_rest in TABLE if method == "post"})


def test_every_write_needs_the_token_of_the_page(stored: StoredTemplate, owner: User) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(owner)
    assert len(WRITES) > 70
    answers = {address: strict.post("/" + address.format(pk=stored.pk)).status_code for address in WRITES}
    assert {address: status for address, status in answers.items() if status != 403} == {}


@pytest.mark.parametrize(
    "address", ["/", "/account/", "/t/{pk}/map/", "/t/{pk}/strips.json", "/t/{pk}/export/json/", "/blocks/", "/teams/"]
)
def test_nobody_keeps_what_a_person_has_seen(signed_in: Client, stored: StoredTemplate, address: str) -> None:
    answer = signed_in.get(address.format(pk=stored.pk))
    assert answer.status_code == 200
    assert "no-store" in answer["Cache-Control"]
    assert {part.split("=")[0].strip() for part in answer["Permissions-Policy"].split(",")} >= {
        "camera",
        "microphone",
        "geolocation",
    }
    assert all(part.strip().endswith("=()") for part in answer["Permissions-Policy"].split(","))
    assert answer["Cross-Origin-Resource-Policy"] == "same-origin"


@pytest.mark.parametrize("role", [*Role, None])
def test_a_role_is_asked_by_numbers_as_by_itself(stored: StoredTemplate, second: User, role: Role | None) -> None:
    give(stored, second, role)
    assert role_on(stored, second) == role
    assert may("edit")(second.pk, stored.pk) is (role in (Role.EDITOR, Role.OWNER))
    User.objects.filter(pk=second.pk).update(is_active=False)
    assert not may("look")(second.pk, stored.pk)
