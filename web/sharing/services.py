"""All writes of roles, teams and links. A template always has an owner."""

from __future__ import annotations

from datetime import date

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from lattice.errors import EditError
from web.accounts.models import Event, note
from web.accounts.names import name_of
from web.people.models import Member, Team
from web.people.roles import Role
from web.revisions.models import Revision
from web.revisions.pack import report_in_pack
from web.revisions.tasks import begin_pack_of
from web.shared.words import one_line
from web.sharing.models import LONGEST_DAYS, RevisionLink, in_days
from web.shelf.access import found, need
from web.shelf.models import Share, StoredTemplate


def person_called(name: str) -> User:
    """A user by their sign-in name. Raises EditError if it does not exist."""
    found = User.objects.filter(username__iexact=name.strip(), is_active=True).first()
    if found is None:
        raise EditError(f"No account has the user name {name.strip()[:60]}.")
    return found


def role_called(name: str) -> Role:
    """A role by its name. Raises EditError."""
    if name not in Role.values:
        raise EditError(f"“{name[:20]}” is not a role; use {', '.join(Role.values)}")
    return Role(name)


@transaction.atomic
def give_role(pk: int, by: User, name: str, role: str) -> None:
    """Give a user a role on a template, or another one."""
    stored, person = _to_give(pk, by), person_called(name)
    if stored.team_id is None and stored.owner_id == person.pk:
        raise EditError(f"{name_of(person)} owns this template. Transfer it to another member or a team first.")
    wanted = role_called(role)
    Share.objects.update_or_create(template=stored, user=person, defaults={"role": wanted, "by": by})
    note(Event.ROLE, by, f"{name_of(by)} made {name_of(person)} {wanted.label.lower()} of {stored.name}")


@transaction.atomic
def take_role(pk: int, by: User, person_pk: int) -> None:
    """Remove a role on a template; any user may remove their own."""
    stored = found(pk, by)
    if person_pk != by.pk:
        need(stored, "give")
    share = Share.objects.select_related("user").filter(template=stored, user=person_pk).first()
    if share is None:
        raise EditError("this account has no role of its own on this template")
    share.delete()
    note(Event.ROLE, by, f"{name_of(by)} removed the role of {name_of(share.user)} on {stored.name}")


@transaction.atomic
def hand_over(pk: int, by: User, team_pk: int | None, name: str = "") -> None:
    """Transfer a template to one of your teams, or to a user; the old owner stays editor."""
    stored = _to_give(pk, by)
    if team_pk is not None:
        team = Team.objects.filter(pk=team_pk, members__user=by).first()
        if team is None:
            raise EditError("you are not in this team")
        StoredTemplate.objects.filter(pk=pk).update(team=team, is_offered=False)
        note(Event.ROLE, by, f"{name_of(by)} transferred {stored.name} to {team.name}")
        return
    person = person_called(name)
    Share.objects.filter(template=stored, user=person).delete()
    StoredTemplate.objects.filter(pk=pk).update(team=None, owner=person, is_offered=person != by)
    if person != by:
        Share.objects.update_or_create(template=stored, user=by, defaults={"role": Role.EDITOR, "by": by})
    note(Event.ROLE, by, f"{name_of(by)} transferred {stored.name} to {name_of(person)}")


def _to_give(pk: int, by: User) -> StoredTemplate:
    stored = found(pk, by)
    need(stored, "give")
    return stored


# teams


@transaction.atomic
def make_team(by: User, name: str) -> Team:
    """A team with its creator as owner."""
    name = one_line(name, "the name", "a team needs a name")
    if Team.objects.filter(name__iexact=name).exists():
        raise EditError(f"a team {name} exists already")
    team = Team.objects.create(name=name)
    Member.objects.create(team=team, user=by, role=Role.OWNER)
    note(Event.ROLE, by, f"{name_of(by)} created the team {name}")
    return team


@transaction.atomic
def set_member(team: Team, by: User, name: str, role: str) -> None:
    """Add a user to a team, or give them another role in it."""
    _owner_of(team, by)
    person, wanted = person_called(name), role_called(role)
    if wanted != Role.OWNER:
        _somebody_stays(team, person.pk)
    Member.objects.update_or_create(team=team, user=person, defaults={"role": wanted})
    note(Event.ROLE, by, f"{name_of(by)} made {name_of(person)} {wanted.label.lower()} in {team.name}")


@transaction.atomic
def remove_member(team: Team, by: User, person_pk: int) -> None:
    """A member leaves a team, or an owner removes them. Checked under the lock: of two owners one stays."""
    if person_pk != by.pk:
        _owner_of(team, by)
    member = Member.objects.select_related("user").filter(team=team, user=person_pk).first()
    if member is None:
        raise EditError("this account is not in this team")
    _somebody_stays(team, person_pk)
    member.delete()
    note(Event.ROLE, by, f"{name_of(member.user)} left {team.name}")


def _owner_of(team: Team, by: User) -> None:
    if not Member.objects.filter(team=team, user=by, role=Role.OWNER).exists():
        raise EditError(f"only owners of {team.name} can change its members")


def _somebody_stays(team: Team, without: int) -> None:
    if not Member.objects.filter(team=team, role=Role.OWNER).exclude(user=without).exists():
        raise EditError(f"{team.name} needs an owner. Make another member owner first.")


# links


@transaction.atomic
def make_link(pk: int, by: User, number: int, words: str, days: int) -> tuple[RevisionLink, str]:
    """A link to a revision, with the secret of its address."""
    stored = _to_give(pk, by)
    revision = Revision.objects.filter(template=stored, number=number).first()
    if revision is None:
        raise EditError("this template does not have this revision")
    words = one_line(words, "the recipient", "name the recipient of the link")
    if not 1 <= days <= LONGEST_DAYS:
        raise EditError(f"{days} days; 1 to {LONGEST_DAYS} are allowed")
    until: date = in_days(days)
    note(Event.LINK, by, f"{name_of(by)} created a link to revision {number} of {stored.name} for {words}")
    if report_in_pack(revision) is None:  # available to whoever opens the link
        transaction.on_commit(lambda: begin_pack_of(revision))
    return RevisionLink.make(revision, by, words, until)


@transaction.atomic
def revoke_link(pk: int, by: User, number: int) -> None:
    stored = _to_give(pk, by)
    RevisionLink.objects.filter(revision__template=stored, pk=number, revoked_at=None).update(revoked_at=timezone.now())
    note(Event.LINK, by, f"{name_of(by)} revoked a link to {stored.name}")
