"""Comments in the side panel: those on one subject, or all."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST, require_safe
from django_htmx.http import retarget

from lattice.errors import DocumentError
from web.accounts.signed_in import signed_in_user
from web.editor.writes import refused
from web.remarks import services
from web.remarks.models import Remark
from web.shelf.access import template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace


def _panel(request: HttpRequest, stored: StoredTemplate, kind: str, subject: str) -> HttpResponse:
    """The threads on a thing; without one, all."""
    threads = services.threads(stored)
    called = ""
    if kind:
        threads = threads.filter(kind=kind, subject=subject)
        try:
            called = services.about(workspace(stored), kind, subject)
        except DocumentError:
            kind = ""
    context = {"stored": stored, "threads": threads, "kind": kind, "subject": subject, "called": called}
    return retarget(render(request, "remarks/panel.html", context), "#panel")


def _done(request: HttpRequest, pk: int, work: Callable[[StoredTemplate], None]) -> HttpResponse:
    """Write, and show the panel again; a refusal states its reason, and typed text stays."""
    stored = template_or_404(request, pk, "remark")
    try:
        work(stored)
    except DocumentError as wrong:
        return refused(request, wrong)
    stored.refresh_from_db(fields=["remarked"])
    return _panel(request, stored, request.POST.get("kind", ""), request.POST.get("subject", ""))


def _thread(stored: StoredTemplate, number: int) -> Remark:
    found: Remark = get_object_or_404(Remark, template=stored, pk=number)
    return found


@require_safe
def panel(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    return _panel(request, stored, request.GET.get("kind", ""), request.GET.get("of", ""))


@require_POST
def begin(request: HttpRequest, pk: int) -> HttpResponse:
    kind, subject = request.POST.get("kind", ""), request.POST.get("subject", "")

    def work(stored: StoredTemplate) -> None:
        called = services.about(workspace(stored), kind, subject)
        services.begin(stored, signed_in_user(request), kind, subject, called, request.POST.get("text", ""))

    return _done(request, pk, work)


@require_POST
def answer(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    user, text = signed_in_user(request), request.POST.get("text", "")
    return _done(request, pk, lambda stored: services.answer(_thread(stored, number), user, text))


@require_POST
def settle(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    user = signed_in_user(request)
    return _done(request, pk, lambda stored: services.settle(_thread(stored, number), user))


@require_POST
def require(request: HttpRequest, pk: int) -> HttpResponse:
    """Return whether releases require that no comment is open."""
    services.require(template_or_404(request, pk), wanted=request.POST.get("required") == "1")
    return redirect("people", pk)
