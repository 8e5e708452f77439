"""Reads and writes of comments."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import F, QuerySet, Subquery
from django.utils import timezone
from django.utils.text import Truncator

from lattice.errors import EditError
from web.editor.differences import names_of
from web.remarks.models import LONGEST, Line, Remark, RemarkRule
from web.shared.words import lines
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace, workspace

MOST = 2000  # threads of one template
SHOWN_CHARACTERS = 60  # of their comment


def about(space: Workspace, kind: str, subject: str) -> str:
    """The name of a part of a template. Raises EditError if it does not exist."""
    if kind in ("strip", "route", "stem"):
        found = names_of(space.template).get((kind, subject))
    elif kind == "matter":
        found = next((matter.message for matter in space.matters if matter.fingerprint == subject), None)
    else:
        found = f"revision {subject}" if kind == "revision" and subject.isdecimal() else None
    if found is None:
        raise EditError("the subject of this comment was removed")
    return found[:200]


def _words(text: str) -> str:
    return lines(text, "the comment", "a comment needs text", LONGEST)


def _note(template: int, remark: int) -> None:
    """Number the changes of a thread, so that open pages load them."""
    StoredTemplate.objects.filter(pk=template).update(remarked=F("remarked") + 1)
    number = StoredTemplate.objects.filter(pk=template).values("remarked")
    Remark.objects.filter(pk=remark).update(changed_in=Subquery(number))


@transaction.atomic
def begin(stored: StoredTemplate, user: User, kind: str, subject: str, called: str, text: str) -> Remark:
    """A new thread with its first line."""
    if stored.remarks.count() >= MOST:
        raise EditError(f"this template has {MOST} comments, the most allowed")
    made = Remark.objects.create(template=stored, kind=kind, subject=subject, about=called[:200])
    Line.objects.create(remark=made, by=user, text=_words(text))
    _note(stored.pk, made.pk)
    return made


@transaction.atomic
def answer(remark: Remark, user: User, text: str) -> None:
    """A further comment; it reopens a resolved thread."""
    Line.objects.create(remark=remark, by=user, text=_words(text))
    Remark.objects.filter(pk=remark.pk).update(is_open=True, settled_by=None, settled_at=None)
    _note(remark.template_id, remark.pk)


@transaction.atomic
def settle(remark: Remark, user: User) -> None:
    still_open = Remark.objects.filter(pk=remark.pk, is_open=True)
    if still_open.update(is_open=False, settled_by=user, settled_at=timezone.now()):
        _note(remark.template_id, remark.pk)


class Said(NamedTuple):
    """The last change of a thread: its user, and a sentence."""

    by: User | None
    words: str


def said_since(stored: StoredTemplate, number: int, user: User, most: int) -> list[Said]:
    """What others commented or resolved since a value of `remarked`, the newest first."""
    changed = stored.remarks.filter(changed_in__gt=number).order_by("-changed_in")
    return [said for said in map(_last_of, changed.select_related("settled_by")[:most]) if said.by != user]


def _last_of(thread: Remark) -> Said:
    if not thread.is_open:
        return Said(thread.settled_by, f"{thread.about}: comment resolved")
    line = thread.lines.select_related("by").latest("pk")
    return Said(line.by, f"{thread.about}: “{Truncator(line.text).chars(SHOWN_CHARACTERS)}”")


def threads(stored: StoredTemplate) -> QuerySet[Remark]:
    """Threads of a template, open ones first, with their lines."""
    return stored.remarks.select_related("settled_by").prefetch_related("lines__by")


def open_count(stored: StoredTemplate) -> int:
    return stored.remarks.filter(is_open=True).count()


def open_on(stored: StoredTemplate) -> Counter[tuple[str, str]]:
    """How many threads are open on each thing, by kind and id; asked once for an answer."""
    known: Counter[tuple[str, str]] | None = stored.__dict__.get("open_remarks")
    if known is None:
        known = Counter(stored.remarks.filter(is_open=True).order_by().values_list("kind", "subject"))
        stored.__dict__["open_remarks"] = known
    return known


def strips_with_open(stored: StoredTemplate) -> dict[str, int]:
    """The number of open threads on each strip and its outgoing routes, if any."""
    on, found = open_on(stored), Counter[str]()
    if on:
        template = workspace(stored).template
        for strip in template.strips:
            found[strip.id] += on["strip", strip.id]
        for route in template.routes:
            found[route.from_strip] += on["route", route.id]
    return {strip: count for strip, count in found.items() if count}


def is_required(stored: StoredTemplate) -> bool:
    """Return whether releases require that no comment is open."""
    return RemarkRule.objects.filter(template=stored, is_required=True).exists()


def require(stored: StoredTemplate, *, wanted: bool) -> None:
    RemarkRule.objects.update_or_create(template=stored, defaults={"is_required": wanted})
