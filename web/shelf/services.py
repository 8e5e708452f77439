"""Everything that is written about templates. Each write is one short transaction that checks what it was based on.

What takes time (the edit itself, its audit, reading back what will be stored) is done before the lock is taken.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import msgspec
from django.contrib.auth.models import User
from django.db import OperationalError, connection, transaction
from django.utils import timezone
from msgspec.structs import replace

from lattice.edits import Patch, apply_steps, diff
from lattice.errors import DocumentError, EditError
from lattice.formats.document_json import encode, read_back
from lattice.model.document import Profile, Template
from lattice.model.edit_step import EditStep
from lattice.model.inventory import Inventory
from web.shelf.heads import deflated
from web.shelf.models import JournalEntry, KeptInventory, KeptProfile, StoredTemplate
from web.shelf.sheets import folded_of, folded_sections
from web.shelf.workspace import Workspace, keep, workspace

PACKERS = ThreadPoolExecutor(2, "packer")


class StaleVersionError(Exception):
    """The edit was made on an older version; `since` says what was written after it."""

    def __init__(self, since: list[JournalEntry]) -> None:
        super().__init__("the template has changed since")
        self.since = since


def of_owner(user: User) -> Any:
    """The templates on a person's shelf."""
    return StoredTemplate.objects.filter(owner=user, deleted_at=None)


class PreparedState:
    """A state worked out and found good before anything is locked: bytes, audit, map, figures for the shelf.

    `stored` is the template it will be a state of, whose map it keeps, None for a new one; `before` the state that was
    edited, where it is at hand.
    Raises DocumentError where the bytes would not read back as a template.
    """

    def __init__(
        self, template: Template, stored: StoredTemplate | None = None, before: Workspace | None = None
    ) -> None:
        document = encode(template)
        if encode(read_back(document)) != document:
            raise DocumentError(["this state would not be read back as it is, and is not stored"])
        packing = PACKERS.submit(deflated, document)  # beside the audit: packing needs no lock of the interpreter
        self.template = template
        self.space = Workspace(template, before)
        counts = {"strips": len(template.strips), "routes": len(template.routes)}
        self.summary = {**self.space.audit.summary, **counts}
        self.head = packing.result()
        self.slots_before = bytes(stored.slots) if stored else b""
        folded = folded_sections(self.space, stored.folded if stored else None)
        self.slots = self.space.drawn(folded, self.slots_before)[1]

    @property
    def fields(self) -> dict[str, Any]:
        """What of the row it makes anew."""
        return {"head": self.head, "name": self.template.name, "summary": self.summary}


def store(user: User, template: Template) -> StoredTemplate:
    """A new template on a person's shelf."""
    made = PreparedState(template)
    stored: StoredTemplate = StoredTemplate.objects.create(owner=user, slots=made.slots, **made.fields)
    keep(stored, made.space)
    return stored


def edit(pk: int, user: User, base: int, label: str, steps: Iterable[EditStep]) -> StoredTemplate:
    """Applies steps as one edit.

    Raises StaleVersionError, or DocumentError with what is wrong; then nothing is written.
    """
    steps = list(steps)
    return change(pk, user, base, label, lambda template: apply_steps(template, steps))


def change(pk: int, user: User, base: int, label: str, work: Callable[[Template], Template]) -> StoredTemplate:
    """Writes what `work` makes of the template as one edit of the journal."""
    stored = based_on(pk, user, base)
    space = workspace(stored)
    after = work(space.template)
    patch = diff(space.template, after)
    if not patch:
        return stored
    made = PreparedState(after, stored, space)
    entry = JournalEntry(kind=JournalEntry.EDIT, label=label[:300], patch=patch.dump(), before=stored.cursor)
    return commit_state(pk, user, base, made, entry, entry)


def undo(pk: int, user: User, base: int) -> StoredTemplate:
    """Takes the last edit back that has not been taken back. Raises EditError where there is none."""
    stored = based_on(pk, user, base)
    entry = stored.cursor
    if entry is None:
        raise EditError("there is nothing to undo")
    space = workspace(stored)
    made = PreparedState(Patch.load(bytes(entry.patch)).inverse().apply(space.template), stored, space)
    undoing = JournalEntry(kind=JournalEntry.UNDO, label=f"Undo: {entry.label}"[:300], of=entry)
    return commit_state(pk, user, base, made, undoing, entry.before)


def redo(pk: int, user: User, base: int) -> StoredTemplate:
    """Does again what was last undone. Raises EditError where there is nothing."""
    stored = based_on(pk, user, base)
    entry = undone(stored)
    if entry is None:
        raise EditError("there is nothing to redo")
    space = workspace(stored)
    made = PreparedState(Patch.load(bytes(entry.patch)).apply(space.template), stored, space)
    redoing = JournalEntry(kind=JournalEntry.REDO, label=f"Redo: {entry.label}"[:300], of=entry)
    return commit_state(pk, user, base, made, redoing, entry)


def undone(stored: StoredTemplate) -> JournalEntry | None:
    """The edit that redo would do again: the newest one that stands on the present one."""
    edits = JournalEntry.objects.filter(template=stored, kind=JournalEntry.EDIT, before=stored.cursor)
    return edits.order_by("-pk").first()


def based_on(pk: int, user: User, base: int) -> StoredTemplate:
    """The template, where it is the state that a page shows. Raises StaleVersionError.

    Asked again inside a transaction it holds to the end of it: transactions are immediate, nobody writes in between.
    """
    stored = StoredTemplate.objects.select_related("cursor").get(pk=pk, owner=user, deleted_at=None)
    if stored.version != base:
        raise StaleVersionError(list(stored.journal.filter(version__gt=base)))
    return stored


@transaction.atomic
def commit_state(
    pk: int, user: User, base: int, made: PreparedState, entry: JournalEntry, cursor: JournalEntry | None
) -> StoredTemplate:
    """Writes a state with its entry of the journal. Under the lock only the version is looked at again.

    The map's slots are left as they are where somebody has tidied or folded it since.
    """
    stored: StoredTemplate = StoredTemplate.objects.defer("head").get(pk=pk, owner=user, deleted_at=None)
    if stored.version != base:
        raise StaleVersionError(list(stored.journal.filter(version__gt=base)))
    entry.template, entry.by, entry.version = stored, user, base + 1
    entry.save(force_insert=True)
    slots = made.slots if bytes(stored.slots) == made.slots_before else stored.slots
    fields = {**made.fields, "version": base + 1, "cursor": cursor, "slots": slots, "changed_at": timezone.now()}
    for name, value in fields.items():
        setattr(stored, name, value)
    stored.save(update_fields=list(fields))
    transaction.on_commit(lambda: keep(stored, made.space))
    return stored


def duplicate(stored: StoredTemplate, user: User) -> StoredTemplate:
    """A copy under a name of its own; its journal starts anew, its map stands as it did."""
    template = workspace(stored).template
    name = _copy_name(template.name, {known.name for known in of_owner(user)})
    copy = store_variant(stored, user, replace(template, name=name))
    StoredTemplate.objects.filter(pk=copy.pk).update(slots=stored.slots, folded=stored.folded)
    return copy


def store_starter(user: User, template: Template) -> StoredTemplate:
    """A starter under its own name, or as a copy where that is taken."""
    taken = {known.name for known in of_owner(user)}
    name = template.name if template.name not in taken else _copy_name(template.name, taken)
    return store(user, replace(template, name=name))


def store_variant(stored: StoredTemplate, user: User, template: Template) -> StoredTemplate:
    """A template made from another one; what that was by then is kept, so that later changes can be carried over."""
    made = store(user, template)
    StoredTemplate.objects.filter(pk=made.pk).update(variant_of=stored, variant_base=bytes(stored.head))
    return made


def _copy_name(name: str, taken: set[str]) -> str:
    number = 1
    while True:
        ending = " (copy)" if number == 1 else f" (copy {number})"
        if (wanted := name[: 120 - len(ending)] + ending) not in taken:
            return wanted
        number += 1


def delete(stored: StoredTemplate) -> None:
    """Off the shelf; `restore` brings it back."""
    StoredTemplate.objects.filter(pk=stored.pk).update(deleted_at=timezone.now())


def restore(pk: int, user: User) -> StoredTemplate:
    stored: StoredTemplate = StoredTemplate.objects.get(pk=pk, owner=user)
    StoredTemplate.objects.filter(pk=stored.pk).update(deleted_at=None)
    return stored


def keep_profile(user: User, profile: Profile) -> None:
    """Keeps a profile under its name, for other templates; one of that name is replaced."""
    KeptProfile.objects.update_or_create(
        owner=user, name=profile.name, defaults={"figures": msgspec.to_builtins(profile)}
    )


def forget_profile(user: User, name: str) -> None:
    """No longer kept; templates that took its figures keep them."""
    KeptProfile.objects.filter(owner=user, name=name).delete()


def keep_inventory(user: User, inventory: Inventory) -> KeptInventory:
    """Keeps what a machine has under its name; one of that name is replaced."""
    kept, _is_new = KeptInventory.objects.update_or_create(
        owner=user, name=inventory.name, defaults={"content": msgspec.to_builtins(inventory)}
    )
    return kept


def redraw(stored: StoredTemplate, **fields: Any) -> None:
    """The map with other folds, or laid out anew from other slots; where its strips then stand is kept."""
    for name, value in fields.items():
        setattr(stored, name, value)
    space = workspace(stored)
    stored.slots = space.drawn(folded_of(stored, space), bytes(stored.slots))[1]
    _remember_sheet(stored, folded=stored.folded, slots=stored.slots)


def _remember_sheet(stored: StoredTemplate, **fields: Any) -> None:
    """Keeps slots and folds of the map: how it looks, not what it says, so no version and no journal.

    Nobody waits for that: where somebody else is writing, the map is laid out again next time.
    """
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA busy_timeout")
        (before_ms,) = cursor.fetchone()
        cursor.execute("PRAGMA busy_timeout = 0")
        try:
            StoredTemplate.objects.filter(pk=stored.pk).update(**fields)
        except OperationalError as error:
            if "locked" not in str(error):
                raise
        finally:
            cursor.execute(f"PRAGMA busy_timeout = {int(before_ms)}")


__all__ = ["DocumentError", "EditError", "StaleVersionError", "change", "edit", "redo", "store", "undo"]
