"""All writes of revisions; later changes are reported. Nothing is computed under the lock."""

from __future__ import annotations

from functools import lru_cache

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models.functions import Greatest
from django.utils import timezone

from lattice.changes.apply_changes import take_over
from lattice.changes.digests import document_digest, section_digests
from lattice.errors import EditError
from lattice.formats.document_json import load
from lattice.model.document import Template
from web.accounts.names import name_of
from web.revisions.gate import gate
from web.revisions.models import Pack, Revision, Tick
from web.shelf import services
from web.shelf.access import found, need, shelf_of
from web.shelf.heads import document_of, head_of
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace, workspace


def content(revision: Revision) -> Template:
    return load(document_of(bytes(revision.head)))


@lru_cache(maxsize=2)  # pages of a revision come in sequence; a comparison needs two
def _computed(head: bytes) -> Workspace:
    return Workspace(load(document_of(head)))


def workspace_of(revision: Revision) -> Workspace:
    """A revision with its computed results: those of the current version if nothing has changed since."""
    if revision.version == revision.template.version:
        return workspace(revision.template)
    return _computed(bytes(revision.head))


@transaction.atomic
def seal(pk: int, user: User, base: int, note: str) -> Revision:
    """The current version as the next revision. Raises StaleVersionError if the user has seen another one."""
    stored = services.based_on(pk, user, base)
    need(stored, "seal")
    note = note.strip()[:500]
    if not note:
        raise EditError("a revision needs a note: what changed")
    template, newest = workspace(stored).template, stored.revisions.first()
    digest = document_digest(template)
    if newest is not None and newest.digest == digest:
        raise EditError(f"nothing has changed since revision {newest.number}")
    made = Revision.objects.create(
        template=stored, number=(newest.number if newest else 0) + 1, note=note, by=name_of(user), user=user,
        version=stored.version, head=head_of(template), digest=digest, summary=stored.summary,
    )  # fmt: skip
    StoredTemplate.objects.filter(pk=stored.pk).update(revision=made.number, sealed_version=stored.version)
    return made


def tick(pk: int, user: User, section: str, digest: str) -> Tick:
    """Approve a section as seen. Raises EditError if it has changed since."""
    stored = found(pk, user)
    need(stored, "tick")
    now = section_digests(workspace(stored).template).get(section)
    if now is None:
        raise EditError("this section was removed")
    if now != digest:
        raise EditError("this section has changed since you opened it; review it again")
    made, _is_new = Tick.objects.update_or_create(
        template=stored, section=section, defaults={"digest": digest, "by": name_of(user), "user": user}
    )
    return made


def untick(pk: int, user: User, section: str) -> None:
    stored = found(pk, user)
    need(stored, "tick")
    Tick.objects.filter(template=stored, section=section).delete()


def sign(revision_pk: int, user: User) -> Revision:
    """Sign a revision: it is released, and locked. Raises EditError with the open conditions."""
    revision = Revision.objects.select_related("template").get(pk=revision_pk, template__in=shelf_of(user))
    need(found(revision.template_id, user), "seal")
    if revision.signed_at is not None:
        raise EditError(f"revision {revision.number} is signed off already, by {revision.signed_by}")
    open_points = [point.words for point in gate(workspace_of(revision), revision) if not point.is_met]
    if open_points:
        raise EditError(*open_points)
    with transaction.atomic():
        signed = Revision.objects.filter(pk=revision.pk, signed_at=None).update(
            signed_by=name_of(user), signed_user=user, signed_at=timezone.now()
        )
        if not signed:
            raise EditError(f"another user has just signed off revision {revision.number}")
        stored = StoredTemplate.objects.filter(pk=revision.template_id)
        stored.update(released=Greatest("released", revision.number))
    revision.refresh_from_db()
    return revision


def go_back(pk: int, user: User, base: int, revision: Revision) -> StoredTemplate:
    """Restore the version of a revision, as a new edit: later edits stay in the history, and undo reverts it."""
    return services.change(
        pk, user, base, f"Restore revision {revision.number}", lambda _template: content(revision)
    )  # fmt: skip


def take(pk: int, user: User, base: int, revision: Revision, keys: list[str]) -> StoredTemplate:
    """Single differences as they are in a revision, as one edit."""
    other, many = content(revision), f"{len(keys)} change{'s' if len(keys) != 1 else ''}"
    label = f"Apply {many} from revision {revision.number}"
    return services.change(pk, user, base, label, lambda template: take_over(template, other, keys))


def begin_pack(revision: Revision) -> Pack:
    """A pack to be made; one that is being made already is that one."""
    running = revision.packs.filter(state__in=Pack.UNDER_WAY).first()
    return running or Pack.objects.create(revision=revision)
