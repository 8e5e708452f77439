"""Earlier versions of a template, by its history: the bases of edits made on them."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from typing import Any

from django.contrib.auth.models import User
from django.db.models import QuerySet

from lattice.changes.patch import Patch, diff
from lattice.changes.rebase import MISSING, Conflict, ConflictError, rebase
from lattice.formats.document_json import to_plain
from lattice.model.document import Template
from web.shelf.models import JournalEntry, StoredTemplate

MOST_BACK = 1000  # entries that may follow an edit's base; an older page has to reload


class StaleVersionError(Exception):
    """The edit was made on an older version and cannot be rebased; `since` has the later edits."""

    def __init__(self, since: Collection[JournalEntry]) -> None:
        super().__init__("the template has changed since")
        self.since = list(since)


class EditConflictError(StaleVersionError):
    """Another user has changed the same field since: the old value, our new one, and theirs."""

    def __init__(self, since: Collection[JournalEntry], clashes: Sequence[Conflict], states: States) -> None:
        super().__init__(since)
        self.clashes, self.states = clashes, states


States = tuple[Template, Template, Template]  # the base, ours, theirs


def since(stored: StoredTemplate, version: int) -> list[JournalEntry]:
    """The edits after a version, the oldest first."""
    return list(stored.journal.filter(version__gt=version).select_related("by", "of"))


def state_at(stored: StoredTemplate, now: Template, version: int) -> Template:
    """The state that a template had at a version, from the one it has now. Raises StaleVersionError."""
    if version == stored.version:
        return now
    entries = since(stored, version)
    if not 0 < version < stored.version or len(entries) != stored.version - version or len(entries) > MOST_BACK:
        raise StaleVersionError(entries)
    state, at = now, stored.version
    for entry in reversed(entries):
        if entry.version > at:  # left behind with a state that did not read
            continue
        change = entry.change
        if entry.state_of is not None and version <= entry.state_of:
            at = entry.state_of
        elif entry.state_of is not None or change is None:
            raise StaleVersionError(entries)
        else:
            state = change.inverse().apply(state)
    return state


def rebase_onto(stored: StoredTemplate, version: int, ours: tuple[Template, Template], now: Template) -> Template:
    """The result of a change of an earlier version (before, after) on the current one. Raises EditConflictError."""
    before, after = ours
    if before == now:
        return after
    try:
        _refuse_made_anew(stored, version, before, after, now)
        return rebase(before, after, now)
    except ConflictError as clash:
        entries = since(stored, version)
        touching = [entry for entry in entries if touches(entry.change, clash.clashes)]
        raise EditConflictError(touching or entries, clash.clashes, (before, after, now)) from None


def _refuse_made_anew(stored: StoredTemplate, version: int, before: Template, after: Template, now: Template) -> None:
    """Raises ConflictError where a change is about a piece that was removed since, and another one has its id now.

    A piece that is back because its removal was undone is the same piece.
    """
    gone: set[tuple[str, str]] = set()
    anew: set[tuple[str, str]] = set()
    for entry in since(stored, version):
        change = entry.change
        for name, of in change.lists.items() if change is not None else ():
            gone |= {(name, piece["id"]) for _at, piece in of.removed}
            back = {(name, piece["id"]) for _at, piece in of.added} & gone
            anew = anew | back if entry.kind == JournalEntry.EDIT else anew - back
    if not anew:
        return
    ours = diff(before, after)
    clashes = []
    for name, of in ours.lists.items():
        touched = {piece["id"] for _at, piece in of.removed} | {piece["id"] for piece, _new in of.changed}
        for found in sorted(piece for piece in touched if (name, piece) in anew):
            was, mine, theirs = (_piece(state, name, found) for state in (before, after, now))
            clashes.append(Conflict((name, found), was, mine, theirs))
    if clashes:
        raise ConflictError(clashes)


def _piece(state: Template, name: str, wanted: str) -> Any:
    return next((to_plain(piece) for piece in getattr(state, name) if piece.id == wanted), MISSING)


def touches(change: Patch | None, clashes: Sequence[Conflict]) -> bool:
    """Return whether a patch changes a piece, or a field of the template, that is clashed about."""
    if change is None:
        return True
    return any(
        clash.path[0] in change.fields or (len(clash.path) > 1 and clash.path[1] in set(_pieces(change, clash.path[0])))
        for clash in clashes
    )


def _pieces(change: Patch, name: str) -> Iterator[str]:
    of = change.lists.get(name)
    if of is None:
        return
    yield from (piece["id"] for _at, piece in (*of.removed, *of.added))
    yield from (after["id"] for _before, after in of.changed)
    if of.order is not None:
        yield "order"


def to_undo(stored: StoredTemplate, user: User) -> JournalEntry | None:
    """A user's newest edit that is in force. Every page needs it, so its patch is fetched only on use."""
    return _edits(stored, user).filter(is_undone=False).defer("patch").last()


def to_redo(stored: StoredTemplate, user: User) -> JournalEntry | None:
    """A user's last undone edit, if they have made none since."""
    newest = _edits(stored, user).values_list("pk", flat=True).last()
    undoings = JournalEntry.objects.filter(template=stored, by=user, kind=JournalEntry.UNDO, of__is_undone=True)
    first = undoings.filter(pk__gt=newest or 0).order_by("of__pk").values_list("of", flat=True).first()
    return JournalEntry.objects.defer("patch").get(pk=first) if first is not None else None


def _edits(stored: StoredTemplate, user: User) -> QuerySet[JournalEntry]:
    return JournalEntry.objects.filter(template=stored, by=user, kind=JournalEntry.EDIT).order_by("pk")


def needed_for(change: Patch) -> str:
    """The permission to undo a change: users who may waive may undo their waivers."""
    return "waive" if not change.lists and set(change.fields) <= {"waivers"} else "edit"
