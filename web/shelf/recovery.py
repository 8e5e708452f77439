"""A template with unreadable bytes: the reason, the bytes themselves, and the last readable version.

No current edit can store such bytes; a disk, an older version or another tool may.
"""

from __future__ import annotations

import json
from collections.abc import Callable

from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from lattice.edits import Patch
from lattice.errors import DocumentError, EditError
from lattice.formats.document_json import load
from lattice.model.document import Template
from lattice.model.names import slug
from web.accounts.signed_in import signed_in_user
from web.shared.downloads import as_file
from web.shared.numbers import number_of
from web.shelf import services
from web.shelf.access import template_or_404
from web.shelf.heads import document_of
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import UnreadableError, workspace

SHOWN_ENTRIES = 50


class UnreadableTemplates:
    """Answers for every view that meets a template that does not read."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if not isinstance(exception, UnreadableError):
            return None
        stored = exception.stored
        if request.headers.get("HX-Request"):
            return HttpResponse(status=409, headers={"HX-Redirect": reverse("map", args=[stored.pk])})
        readable = last_readable(stored)
        context = {
            "stored": stored,
            "problems": exception.problems,
            "readable": readable,
            "entries": stored.journal.select_related("by").defer("patch").order_by("-pk")[:SHOWN_ENTRIES],
        }
        return render(request, "shelf/unreadable.html", context, status=409)


def last_readable(stored: StoredTemplate) -> tuple[Template, list[JournalEntry]] | None:
    """The newest readable version, and the edits undone for it.

    The edits are undone one by one on the plain data. None if no earlier version can be read either.
    """
    try:
        document = json.loads(document_of(bytes(stored.head)))
        back = list[JournalEntry]()
        for entry in stored.journal.filter(kind=JournalEntry.EDIT, is_undone=False).order_by("-pk").iterator():
            document = Patch.load(bytes(entry.patch)).inverse().onto(document)
            back.append(entry)
            try:
                return load(json.dumps(document).encode()), back
            except DocumentError:
                continue
    except (DocumentError, ValueError, TypeError, KeyError, AttributeError):  # the bytes are not a document at all
        return None
    return None


def recover(pk: int, user: User, base: int) -> StoredTemplate:
    """Puts the last state that reads in the place of one that does not. Raises EditError where there is none."""
    stored = services.based_on(pk, user, base)
    found = last_readable(stored)
    if found is None:
        raise EditError("no earlier version of this template can be read. Download the stored data.")
    template, back = found
    label = f"Restore last readable version, {len(back)} edit{'s' if len(back) != 1 else ''} earlier"
    entry = JournalEntry(kind=JournalEntry.UNDO, label=label, state_of=back[-1].version - 1)
    return services.commit_state(pk, user, base, services.PreparedState(template, stored), entry, undone=back)


@require_safe
def raw(request: HttpRequest, pk: int) -> HttpResponse:
    """The stored bytes as they are."""
    stored = template_or_404(request, pk)
    head = bytes(stored.head)
    try:
        document = document_of(head)
    except DocumentError:  # as far as readable: the rest of the row
        document = head
    return as_file(document, f"{slug(stored.name)}-as-stored.json", "application/octet-stream")


@require_POST
def back_to_readable(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    try:
        workspace(stored)
    except UnreadableError:
        try:
            recover(pk, signed_in_user(request), number_of(request.POST.get("base", ""), -1))
        except services.StaleVersionError:
            pass  # another user has done it
        except DocumentError as error:
            raise UnreadableError(stored, error.problems) from None
    return redirect("map", pk)
