"""Mistakes that were put into permissions and writes by hand and that no test noticed: each has its case here."""

from __future__ import annotations

import re
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client

from lattice.edits import apply
from lattice.errors import EditError
from lattice.model.edit_step import EditStep
from tests.web.test_permissions import TABLE
from web.accounts.models import Event
from web.people.models import Team
from web.people.roles import Role
from web.revisions import services as revisions
from web.revisions.models import Pack
from web.sharing import services as sharing
from web.shelf import services
from web.shelf.access import NotAllowedError, may, role_on
from web.shelf.history import StaleVersionError, touches
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
    assert (answer.status_code, "has expired" in answer.content.decode()) == (422, True)
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


# members of a team, users with a role


@pytest.fixture
def team(owner: User, second: User) -> Team:
    made = sharing.make_team(owner, "Harbour stage")
    sharing.set_member(made, owner, second.username, Role.EDITOR)
    return made


@pytest.mark.parametrize("role", [Role.READER, Role.CHECKER, Role.EDITOR])
def test_only_owners_take_others_out_of_a_team(team: Team, owner: User, second: User, role: Role) -> None:
    third = User.objects.create_user("third")
    sharing.set_member(team, owner, "third", Role.READER)
    sharing.set_member(team, owner, second.username, role)
    client = of(second)
    assert client.post(f"/teams/{team.pk}/member/{third.pk}/remove/").status_code == 422
    with pytest.raises(EditError, match="only owners of Harbour stage"):
        sharing.remove_member(team, second, third.pk)
    assert team.members.filter(user=third).exists()
    sharing.remove_member(team, owner, third.pk)
    assert not team.members.filter(user=third).exists()


def test_everybody_leaves_a_team_by_themselves(team: Team, second: User) -> None:
    sharing.remove_member(team, second, second.pk)
    assert not team.members.filter(user=second).exists()


def test_a_role_that_is_not_there_is_not_taken(stored: StoredTemplate, owner: User, second: User) -> None:
    with pytest.raises(EditError, match="this account has no role of its own"):
        sharing.take_role(stored.pk, owner, second.pk)


def test_what_happens_to_roles_is_put_down(stored: StoredTemplate, owner: User, second: User, team: Team) -> None:
    Event.objects.all().delete()
    sharing.give_role(stored.pk, owner, second.username, Role.READER)
    sharing.take_role(stored.pk, owner, second.pk)
    sharing.set_member(team, owner, second.username, Role.READER)
    sharing.remove_member(team, owner, second.pk)
    sharing.hand_over(stored.pk, owner, team.pk)
    sharing.hand_over(stored.pk, owner, None, second.username)
    said = list(Event.objects.order_by("pk").values_list("kind", "words"))
    assert [kind for kind, _words in said] == [Event.ROLE] * 6
    assert [words for _kind, words in said] == [
        "I. Strand made M. Quay viewer of Small", "I. Strand removed the role of M. Quay on Small", "I. Strand made M. Quay viewer in Harbour stage",
        "M. Quay left Harbour stage", "I. Strand transferred Small to Harbour stage", "I. Strand transferred Small to M. Quay",
    ]  # fmt: skip


def test_a_link_has_its_pack_made_once(
    stored: StoredTemplate, owner: User, django_capture_on_commit_callbacks: Any, at_once: None
) -> None:
    revisions.seal(stored.pk, owner, 1, "First")
    for _time in range(2):
        with django_capture_on_commit_callbacks(execute=True):
            sharing.make_link(stored.pk, owner, 1, "The stage", 30)
        assert [pack.state for pack in Pack.objects.all()] == [Pack.DONE]


@pytest.mark.parametrize("role", [Role.READER, Role.CHECKER, Role.EDITOR])
def test_only_owners_take_roles_of_others(stored: StoredTemplate, owner: User, second: User, role: Role) -> None:
    third = User.objects.create_user("third")
    give(stored, third, Role.EDITOR)
    give(stored, second, role)
    assert of(second).post(f"/t/{stored.pk}/people/{third.pk}/take/").status_code == 403
    with pytest.raises(NotAllowedError):
        sharing.take_role(stored.pk, second, third.pk)
    assert role_on(stored, third) == Role.EDITOR
    sharing.take_role(stored.pk, owner, third.pk)
    assert role_on(stored, third) is None


def test_the_parts_of_an_answer_take_no_longer_than_the_whole(stored: StoredTemplate, second: User) -> None:
    give(stored, second, Role.EDITOR)
    answer = of(second).post(f"/t/{stored.pk}/write/change_strip/", {"base": 1, "strip": "kick", "mute": "true"})
    assert answer.status_code == 200, answer.content
    took_ms = {name: float(ms) for name, ms in re.findall(r"([\w-]+);dur=([\d.]+)", answer["Server-Timing"])}
    parts = ("write", "audit-layout", "draw")
    assert sum(took_ms[part] for part in parts) <= took_ms["total"] + 0.2  # each is rounded to 0.1 ms


def test_an_entry_whose_change_is_not_kept_may_be_the_one_that_clashes() -> None:
    """Entries of early versions kept no patch: they are named rather than left out."""
    assert touches(None, [])
