"""All writes of templates. Each is one short transaction that checks its base version.

Slow steps (the edit itself, its audit, reading the result back) are done before the lock is taken.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import timedelta
from typing import Any

import msgspec
from django.conf import settings
from django.contrib.auth.models import User
from django.db import OperationalError, connection, transaction
from django.utils import timezone
from msgspec.structs import replace

from lattice.edits import apply_steps, diff
from lattice.errors import DocumentError, EditError
from lattice.formats.document_json import encode, read_back
from lattice.model import document
from lattice.model.document import Profile, Template
from lattice.model.edit_step import EditStep
from lattice.model.inventory import Inventory
from lattice.model.names import sparing
from web.shelf.access import FullShelfError, found, need, shelf_of
from web.shelf.heads import deflated
from web.shelf.history import StaleVersionError, needed_for, rebase_onto, since, state_at, to_redo, to_undo
from web.shelf.models import JournalEntry, KeptInventory, KeptProfile, MapView, ShelfEntry, StoredTemplate
from web.shelf.sheets import folded_of, folded_sections
from web.shelf.spent import SpentIds, spend
from web.shelf.workspace import Workspace, keep, workspace

PACKERS = ThreadPoolExecutor(2, "packer")
OPENED_ANEW = timedelta(minutes=1)
MOST_TAGS, LONGEST_TAG = 12, 40  # of one template in a list; characters
MOST_TRIES = 5  # attempts to write on top of other writers


class PreparedState:
    """A version computed and validated before any lock: bytes, audit, map, figures for the list of templates.

    `stored` is the template it will be a state of, whose map it keeps, None for a new one; `before` the state that was
    edited, where it is at hand.
    Raises DocumentError where the bytes would not read back as a template.
    """

    def __init__(
        self, template: Template, stored: StoredTemplate | None = None, before: Workspace | None = None
    ) -> None:
        document = encode(template)
        if encode(read_back(document)) != document:
            raise DocumentError(["not saved: this version could not be read back unchanged"])
        packing = PACKERS.submit(deflated, document)  # beside the audit: packing needs no lock of the interpreter
        self.template = template
        self.space = Workspace(template, before)
        counts = {"strips": len(template.strips), "routes": len(template.routes)}
        self.summary = {**self.space.audit.summary, **counts}
        self.head = packing.result()
        self.slots_before = bytes(stored.slots) if stored else b""
        folded = folded_sections(self.space, stored.folded if stored else None)
        self.slots = self.space.drawn(folded, self.slots_before).after

    @property
    def fields(self) -> dict[str, Any]:
        """The changed fields of the row."""
        return {"head": self.head, "name": self.template.name, "summary": self.summary}


def refuse_full_shelf(user: User) -> None:
    """Raises FullShelfError if a user has the maximum number of templates; pending transfers do not count."""
    number = StoredTemplate.objects.filter(owner=user, team=None, is_offered=False).count()
    if number >= settings.MOST_TEMPLATES:
        raise FullShelfError(number, settings.MOST_TEMPLATES)


def take_offered(stored: StoredTemplate, user: User) -> None:
    """Takes a template that was handed to a person: from then on it counts as theirs."""
    if stored.is_offered and stored.owner_id == user.pk:
        refuse_full_shelf(user)
        StoredTemplate.objects.filter(pk=stored.pk).update(is_offered=False)


def store(user: User, template: Template) -> StoredTemplate:
    """A new template on a person's shelf. Raises FullShelfError where they have as many as they may."""
    refuse_full_shelf(user)
    made = PreparedState(template)
    stored: StoredTemplate = StoredTemplate.objects.create(owner=user, slots=made.slots, **made.fields)
    keep(stored, made.space)
    return stored


def edit(
    pk: int, user: User, base: int, label: str, steps: Iterable[EditStep], action: str = "edit"
) -> StoredTemplate:  # fmt: skip
    """Apply steps as one edit, on top of others' edits since its base version.

    Raises StaleVersionError, or DocumentError with the errors; then nothing is written.
    """
    steps = list(steps)
    return change(pk, user, base, label, lambda template: apply_steps(template, steps), action)


def change(
    pk: int, user: User, base: int, label: str, work: Callable[[Template], Template], action: str = "edit"
) -> StoredTemplate:  # fmt: skip
    """Write the result of `work` on version `base` as one edit."""
    ours: list[tuple[Template, Template]] = []

    def made(stored: StoredTemplate, now: Template) -> tuple[Template, JournalEntry]:
        if not ours:
            before = state_at(stored, now, base)
            ours.append((before, work(before)))
        return rebase_onto(stored, base, ours[0], now), JournalEntry(kind=JournalEntry.EDIT, label=label[:300])

    return _write(pk, user, made, action)


def undo(pk: int, user: User, base: int) -> StoredTemplate:
    """Undo a user's last edit in force. Raises EditError if there is none."""
    return _turn(pk, user, base, JournalEntry.UNDO, to_undo)


def redo(pk: int, user: User, base: int) -> StoredTemplate:
    """Redo a user's last undone edit. Raises EditError if there is none."""
    return _turn(pk, user, base, JournalEntry.REDO, to_redo)


def _turn(
    pk: int, user: User, base: int, kind: str, which: Callable[[StoredTemplate, User], JournalEntry | None]
) -> StoredTemplate:  # fmt: skip
    """An edit of a user undone, or redone, on top of the current version.

    Raises StaleVersionError where the page does not show that edit.
    """

    def made(stored: StoredTemplate, now: Template) -> tuple[Template, JournalEntry]:
        entry = which(stored, user)
        if entry is None:
            raise EditError(f"you have no edit to {kind}")
        change = entry.change
        if not entry.version <= base <= stored.version or change is None:
            raise StaleVersionError(since(stored, base))
        need(stored, needed_for(change))
        after = state_at(stored, now, entry.version)
        before = change.inverse().apply(after)
        turned = (after, before) if kind == JournalEntry.UNDO else (before, after)
        label = f"{kind.capitalize()}: {entry.label}"[:300]
        return rebase_onto(stored, entry.version, turned, now), JournalEntry(kind=kind, label=label, of=entry)

    return _write(pk, user, made, "waive")


def _write(
    pk: int, user: User, made: Callable[[StoredTemplate, Template], tuple[Template, JournalEntry]], action: str
) -> StoredTemplate:
    """Write a version based on the current one; if another user is faster, on top of theirs."""
    for tries_left in reversed(range(MOST_TRIES)):
        stored = found(pk, user)
        space = workspace(stored)
        with sparing(SpentIds(pk)):
            after, entry = made(stored, space.template)
        patch = diff(space.template, after)
        if not patch and entry.kind == JournalEntry.EDIT:
            return stored
        entry.patch = patch.dump()
        try:
            return commit_state(pk, user, stored.version, PreparedState(after, stored, space), entry, action)
        except StaleVersionError:
            if not tries_left:
                raise
    raise AssertionError("the last try returns or raises")


def based_on(pk: int, user: User, base: int) -> StoredTemplate:
    """The template, where it is the state that a page shows. Raises StaleVersionError.

    Checked again inside a transaction it holds to its end: transactions are immediate, no write comes between.
    """
    stored = found(pk, user)
    if stored.version != base:
        raise StaleVersionError(since(stored, base))
    return stored


@transaction.atomic
def commit_state(
    pk: int, user: User, base: int, made: PreparedState, entry: JournalEntry, action: str = "edit",
    undone: Iterable[JournalEntry] = (),
) -> StoredTemplate:  # fmt: skip
    """Write a version with its entry of the history. Under the lock the version and the role are checked again.

    The map's slots are unchanged if another user has tidied or collapsed it since. `undone` are edits that are not part
    of the version, beside the one that `entry` undoes.
    """
    stored = found(pk, user, without=("head",))
    need(stored, action)
    if stored.version != base:
        raise StaleVersionError(since(stored, base))
    entry.template, entry.by, entry.version = stored, user, base + 1
    entry.save(force_insert=True)
    if (change := entry.change) is not None:
        spend(pk, change)
    if entry.of is not None:
        JournalEntry.objects.filter(pk=entry.of.pk).update(is_undone=entry.kind == JournalEntry.UNDO)
    JournalEntry.objects.filter(pk__in=[one.pk for one in undone]).update(is_undone=True)
    slots = made.slots if bytes(stored.slots) == made.slots_before else stored.slots
    fields = {**made.fields, "version": base + 1, "slots": slots, "changed_at": timezone.now()}
    for name, value in fields.items():
        setattr(stored, name, value)
    stored.save(update_fields=list(fields))
    transaction.on_commit(lambda: keep(stored, made.space))
    return stored


def duplicate(stored: StoredTemplate, user: User) -> StoredTemplate:
    """A copy under a name of its own; its history is empty, its map is the same."""
    template = workspace(stored).template
    name = _copy_name(template.name, {known.name for known in shelf_of(user)})
    copy = store_variant(stored, user, replace(template, name=name))
    StoredTemplate.objects.filter(pk=copy.pk).update(slots=stored.slots)
    if stored.map_view is not None:
        MapView.objects.create(template=copy, user=user, folded=stored.map_view.folded)
    return copy


def store_starter(user: User, template: Template) -> StoredTemplate:
    """A starter under its own name, or as a copy where that is taken."""
    taken = {known.name for known in shelf_of(user)}
    name = template.name if template.name not in taken else _copy_name(template.name, taken)
    return store(user, replace(template, name=name))


def store_variant(stored: StoredTemplate, user: User, template: Template) -> StoredTemplate:
    """A template derived from another one; the original's version is stored, so that later changes can be applied."""
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
    """Delete; `restore` reverts it."""
    StoredTemplate.objects.filter(pk=stored.pk).update(deleted_at=timezone.now())


def restore(stored: StoredTemplate) -> None:
    """On the shelf again."""
    StoredTemplate.objects.filter(pk=stored.pk).update(deleted_at=None)


def note_opened(stored: StoredTemplate, user: User) -> None:
    """Remember that a user has opened a template; once a minute, and not while another user is writing."""
    now = timezone.now()
    recent = ShelfEntry.objects.filter(template=stored.pk, user=user, opened_at__gt=now - OPENED_ANEW)
    if not recent.exists():
        with _without_waiting():
            ShelfEntry.objects.update_or_create(template=stored, user=user, defaults={"opened_at": now})


def set_tags(stored: Iterable[StoredTemplate], user: User, tags: Iterable[str]) -> None:
    """A user's tags for some templates, instead of the old ones. Raises DocumentError for too many or too long ones."""
    wanted = list(dict.fromkeys(" ".join(tag.split()) for tag in tags if tag.strip()))
    if len(wanted) > MOST_TAGS:
        raise DocumentError([f"{len(wanted)} tags; at most {MOST_TAGS} are allowed"])
    long = next((tag for tag in wanted if len(tag) > LONGEST_TAG), None)
    if long is not None:
        raise DocumentError([f"tag “{long[:20]}…” is longer than {LONGEST_TAG} characters"])
    for one in stored:
        ShelfEntry.objects.update_or_create(template=one, user=user, defaults={"tags": wanted})


def store_new_from(stored: StoredTemplate, user: User, template: Template) -> StoredTemplate:
    """A template opened as the start of a new one: its map is the same, it has no revisions and no readings."""
    made = store_variant(stored, user, template)
    StoredTemplate.objects.filter(pk=made.pk).update(slots=stored.slots)
    return made


def keep_profile(user: User, profile: Profile) -> None:
    """Keeps a profile under its name, for other templates; one of that name is replaced."""
    KeptProfile.objects.update_or_create(
        owner=user, name=profile.name, defaults={"figures": msgspec.to_builtins(profile)}
    )


def forget_profile(user: User, name: str) -> None:
    """Delete; templates with its figures keep them."""
    KeptProfile.objects.filter(owner=user, name=name).delete()


def keep_inventory(user: User, inventory: Inventory) -> KeptInventory:
    """Save the contents of a machine under its name; an existing one is replaced."""
    kept, _is_new = KeptInventory.objects.update_or_create(
        owner=user, name=inventory.name, defaults={"content": msgspec.to_builtins(inventory)}
    )
    return kept


def fold(stored: StoredTemplate, user: User, sections: Iterable[str]) -> None:
    """Folds these sections of a person's map, and no others. It waits for other writers: it is the person's choice."""
    _look(stored, user, folded=sorted(sections))


def hide(stored: StoredTemplate, user: User, kinds: Iterable[str], routes: Iterable[str]) -> None:
    """Hide these kinds of strips and routes on a person's map, and no others."""
    folded = sorted(folded_of(stored, workspace(stored)))
    _look(stored, user, folded=folded, hidden_kinds=sorted(kinds), hidden_routes=sorted(routes))


def show_view(stored: StoredTemplate, user: User, view: document.MapView | None) -> None:
    """A view of the template on a person's map; None is the initial view."""
    if view is None:
        MapView.objects.filter(template=stored, user=user).delete()
        stored.map_view = None
        _redraw(stored)
        return
    shown = {"hidden_kinds": list(view.hidden_kinds), "hidden_routes": list(view.hidden_routes), "name": view.name}
    _look(stored, user, folded=list(view.folded), **shown)


def _look(stored: StoredTemplate, user: User, **fields: Any) -> None:
    fields = {"name": "", **fields}
    stored.map_view, _is_new = MapView.objects.update_or_create(template=stored, user=user, defaults=fields)
    _redraw(stored)


def tidy(stored: StoredTemplate) -> None:
    """Draw the map from scratch."""
    stored.slots = b""
    _redraw(stored)


def _redraw(stored: StoredTemplate) -> None:
    """Draw the map, and store the positions of its strips."""
    space = workspace(stored)
    stored.slots = space.drawn(folded_of(stored, space), bytes(stored.slots)).after
    with _without_waiting():
        StoredTemplate.objects.filter(pk=stored.pk).update(slots=stored.slots)


@contextmanager
def _without_waiting() -> Iterator[None]:
    """For what can be found again, like the positions of strips: no version, no history, no waiting for locks.

    If another user is writing, nothing is stored.
    """
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA busy_timeout")
        (before_ms,) = cursor.fetchone()
        cursor.execute("PRAGMA busy_timeout = 0")
        try:
            yield
        except OperationalError as error:
            if "locked" not in str(error):
                raise
        finally:
            cursor.execute(f"PRAGMA busy_timeout = {int(before_ms)}")


__all__ = ["DocumentError", "EditError", "StaleVersionError", "change", "edit", "redo", "store", "undo"]
