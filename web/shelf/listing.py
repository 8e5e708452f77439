"""A user's list of templates: searched, narrowed by tags, sorted; deleted ones in a view of their own."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from django.contrib.auth.models import User
from django.db.models import OuterRef, QuerySet, Subquery, Value
from django.db.models.functions import Concat, Trim

from web.shelf.access import role_on, seen_by, visible_to
from web.shelf.models import JournalEntry, ShelfEntry, StoredTemplate

NEVER = datetime.min.replace(tzinfo=UTC)
# Orders of the list: of the address, in words, the key, whether the largest comes first.
ORDERS: dict[str, tuple[str, Callable[[StoredTemplate], Any], bool]] = {
    "opened": ("last opened", lambda one: one.opened_at or NEVER, True),
    "changed": ("last change", lambda one: one.changed_at, True),
    "name": ("name", lambda one: one.name.casefold(), False),
    "strips": ("strips", lambda one: one.summary.get("strips", 0), True),
    "findings": ("blockers", lambda one: (one.summary.get("blocker", 0), one.summary.get("warning", 0)), True),
}


@dataclass(frozen=True)
class Listing:
    """The list under the filters of the address."""

    templates: list[StoredTemplate]
    all: int
    deleted: int
    tags: list[tuple[str, int]]  # all of the user's, with their number of templates
    asked: Mapping[str, str]

    @property
    def is_narrowed(self) -> bool:
        """Return whether a filter is set."""
        return bool(self.asked["q"] or self.asked["tag"])


def listing(user: User, asked: Mapping[str, str]) -> Listing:
    """The templates of a user.

    Parameters
    ----------
    user
        The user.
    asked
        `q` words of the name, tags, owner or team; `tag`; `sort` of ORDERS; `deleted` for those that were deleted.
    """
    known = {name: asked.get(name, "") for name in ("q", "tag", "sort", "deleted")}
    everything = _with_entries(user, visible_to(user))
    there = [one for one in everything if (one.deleted_at is not None) == bool(known["deleted"])]
    counts = Counter(tag for one in there for tag in one.tags)
    words = known["q"].casefold().split()
    found = [one for one in there if _has(one, words) and (not known["tag"] or known["tag"] in one.tags)]
    _label, key, is_down = ORDERS.get(known["sort"], ORDERS["opened"])
    found.sort(key=key, reverse=is_down)
    for one in found:
        one.role = role_on(one, user)
        one.origin = seen_by(user, one.variant_of)
    deleted = sum(one.deleted_at is not None for one in everything)
    return Listing(found, len(there), deleted, sorted(counts.items()), known)


def _with_entries(user: User, templates: QuerySet[StoredTemplate]) -> list[StoredTemplate]:
    """Templates with the name of the last writer, and with the user's tags and last visit."""
    last_by = JournalEntry.objects.filter(template=OuterRef("pk"), version=OuterRef("version"))
    found: list[StoredTemplate] = list(
        templates.select_related("variant_of", "owner", "team")
        .annotate(last_by=Subquery(last_by.values(name=Trim(Concat("by__first_name", Value(" "), "by__last_name")))))
        .defer("head", "slots")
    )
    entries = {entry.template_id: entry for entry in ShelfEntry.objects.filter(user=user)}
    for one in found:
        entry = entries.get(one.pk)
        one.tags, one.opened_at = (tuple(entry.tags), entry.opened_at) if entry else ((), None)
    return found


def _has(one: StoredTemplate, words: list[str]) -> bool:
    team = one.team.name if one.team else ""
    text = f"{one.name} {' '.join(one.tags)} {one.owner.get_full_name()} {team}".casefold()
    return all(word in text for word in words)
