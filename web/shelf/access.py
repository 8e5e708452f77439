"""Access to templates. Every view uses it; the permissions of each role are in `web.people.roles`."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.db.models import Q, QuerySet
from django.http import Http404, HttpRequest

from web.accounts.signed_in import signed_in_user
from web.people.models import Member
from web.people.roles import ACTIONS, Role
from web.shelf.models import Share, StoredTemplate

READING = ("GET", "HEAD")


class NotAllowedError(PermissionDenied):
    """A user may see a template without this permission; the text names the required role."""

    title = "Role not sufficient"

    def __init__(self, role: Role, action: str) -> None:
        least, words = ACTIONS[action]
        super().__init__(f"You need the role {least.label.lower()} to {words}. Yours is {role.label.lower()}.")


class FullShelfError(NotAllowedError):
    """A user has the maximum number of templates."""

    title = "Too many templates"

    def __init__(self, number: int, most: int) -> None:
        PermissionDenied.__init__(
            self,
            f"You have {number} templates, including those deleted in the last 90 days (limit {most}). Transfer some "
            "to a team, or ask an administrator to raise the limit.",
        )


def visible_to(user: User) -> QuerySet[StoredTemplate]:
    """All templates on which a user has a role, deleted ones too."""
    shared = Share.objects.filter(user=user).values("template")
    teams = Member.objects.filter(user=user).values("team")
    return StoredTemplate.objects.filter(Q(team=None, owner=user) | Q(pk__in=shared) | Q(team__in=teams))


def shelf_of(user: User) -> QuerySet[StoredTemplate]:
    """The templates in a user's list."""
    return visible_to(user).filter(deleted_at=None)


def role_on(stored: StoredTemplate, user: User) -> Role | None:
    """A user's role on a template: the higher of their own and their team's; None without one."""
    if stored.team_id is None and stored.owner_id == user.pk:
        return Role.OWNER
    given = list(Share.objects.filter(template=stored.pk, user=user.pk).values_list("role", flat=True))
    if stored.team_id is not None:
        given += Member.objects.filter(team=stored.team_id, user=user.pk).values_list("role", flat=True)
    return max(map(Role, given), key=lambda role: role.rank, default=None)


def may(action: str) -> Callable[[int, int], bool]:
    """Return whether a person, by number, may do something with a template, by number."""

    def asked(person: int, pk: int) -> bool:
        stored = StoredTemplate.objects.filter(pk=pk, deleted_at=None).only("owner", "team").first()
        user = User.objects.filter(pk=person, is_active=True).first()
        role = role_on(stored, user) if stored is not None and user is not None else None
        return role is not None and role.may(action)

    return asked


def seen_by(user: User, other: StoredTemplate | None, action: str = "look") -> StoredTemplate | None:
    """Another template that something leads to, where a person may do this with it and it is on the shelf; else None.

    Checked for every reference between templates: roles may have been removed since it was created.
    """
    if other is None or other.deleted_at is not None:
        return None
    role = role_on(other, user)
    return other if role is not None and role.may(action) else None


def found(pk: int, user: User, *, is_off: bool = False, without: Sequence[str] = ()) -> StoredTemplate:
    """A template by its number, with the user's role. Plain queries: it is part of every request.

    Raises StoredTemplate.DoesNotExist, also where they have no role on it.
    """
    stored: StoredTemplate = StoredTemplate.objects.select_related("team").defer("variant_base", *without).get(pk=pk)
    stored.asked_by, stored.role = user, role_on(stored, user)
    if stored.role is None or (stored.deleted_at is not None and not is_off):
        raise StoredTemplate.DoesNotExist
    return stored


def template_or_404(
    request: HttpRequest, pk: int, action: str = "", *, is_off: bool = False, is_light: bool = False
) -> StoredTemplate:  # fmt: skip
    """A template for a user with a permission.

    Users without a role get no information, not even that it exists; users with a lower role get the required one.

    Parameters
    ----------
    request, pk
        The user and the template.
    action
        Of `ACTIONS`; by default view for reads and edit for writes.
    is_off
        Whether it may be off the shelf.
    is_light
        Without its document and map, for frequent requests.

    Raises
    ------
    Http404, NotAllowedError
    """
    user = signed_in_user(request)
    try:
        stored = found(pk, user, is_off=is_off, without=("head", "slots") if is_light else ())
    except (StoredTemplate.DoesNotExist, OverflowError):  # a number beyond the database's integers
        raise Http404 from None
    need(stored, action or ("look" if request.method in READING else "edit"))
    return stored


def need(stored: StoredTemplate, action: str) -> None:
    """Raises NotAllowedError where the role is too small."""
    if stored.role is None or not stored.role.may(action):
        raise NotAllowedError(stored.role or Role.READER, action)
