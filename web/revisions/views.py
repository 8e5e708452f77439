"""The Revisions page: create, compare, apply, restore, approve, sign, download the pack."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib.auth.models import User
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from lattice.errors import DocumentError
from lattice.model.names import slug
from web.accounts.models import note_taken_out
from web.accounts.signed_in import signed_in_user
from web.editor.places.base import PLACES
from web.editor.presenting import frame
from web.editor.writes import base_of
from web.revisions import services
from web.revisions.comparing import comparison, figures_of
from web.revisions.gate import gate, ticked
from web.revisions.models import Pack, Revision
from web.revisions.tasks import begin_pack_of
from web.shared.downloads import as_file
from web.shelf.access import seen_by, template_or_404
from web.shelf.heads import document_of
from web.shelf.models import StoredTemplate
from web.shelf.services import StaleVersionError
from web.shelf.workspace import Workspace, workspace

PRESENT = "now"
MOST_VARIANTS = 12


@require_safe
def revisions_page(request: HttpRequest, pk: int) -> HttpResponse:
    return _page(request, template_or_404(request, pk))


def _page(request: HttpRequest, stored: StoredTemplate, status: int = 200, **said: Any) -> HttpResponse:
    context = frame(request, stored)
    known = list(stored.revisions.all())
    newest = known[0] if known else None
    context |= {
        "place": "revisions",
        "here": PLACES["revisions"],
        "revisions": known,
        "newest": newest,
        **said,
    }
    if newest is not None:
        points = gate(services.workspace_of(newest), newest) if newest.signed_at is None else []
        context |= {"points": points, "pack": newest.packs.defer("content").first()}
        context["may_sign"] = newest.signed_at is None and all(point.is_met for point in points)
    context["sections"] = ticked(context["space"], stored.pk, newest.user_id if newest else None)
    user = signed_in_user(request)
    context["origin"] = seen_by(user, stored.variant_of)
    context["side_by_side"] = _side_by_side(user, stored, context["space"])
    return render(request, "revisions/revisions.html", context, status=status)


def _side_by_side(user: User, stored: StoredTemplate, space: Workspace) -> list[tuple[StoredTemplate, dict[str, Any]]]:
    """The template, its original, and its own variants: those that the user may see."""
    origin = stored.variant_of
    others = [origin, *stored.variants.all(), *(origin.variants.exclude(pk=stored.pk) if origin else ())]
    family = [stored, *(one for one in others if seen_by(user, one) is not None)]
    return [
        (one, figures_of(space if one.pk == stored.pk else workspace(one))) for one in family[:MOST_VARIANTS]
    ]  # fmt: skip


def _revision(request: HttpRequest, pk: int, number: int, action: str = "") -> Revision:
    found: Revision = get_object_or_404(
        Revision.objects.select_related("template"), template=template_or_404(request, pk, action), number=number
    )
    return found


def _done(request: HttpRequest, pk: int, work: Callable[[], Any], then: str = "revisions") -> HttpResponse:
    """Write and redirect; a refusal is shown on the page."""
    try:
        work()
    except StaleVersionError as stale:
        return _page(request, template_or_404(request, pk, "look"), 409, is_stale=True, since=stale.since[-6:])
    except DocumentError as error:
        return _page(request, template_or_404(request, pk, "look"), 422, problems=error.problems)
    return redirect(then, pk)


@require_POST
def seal(request: HttpRequest, pk: int) -> HttpResponse:
    template_or_404(request, pk, "seal")
    note = request.POST.get("note", "")
    return _done(request, pk, lambda: services.seal(pk, signed_in_user(request), base_of(request), note))


@require_POST
def tick(request: HttpRequest, pk: int) -> HttpResponse:
    template_or_404(request, pk, "tick")
    said = [request.POST.get(name, "") for name in ("section", "digest")]
    return _done(request, pk, lambda: services.tick(pk, signed_in_user(request), *said))


@require_POST
def untick(request: HttpRequest, pk: int) -> HttpResponse:
    template_or_404(request, pk, "tick")
    return _done(request, pk, lambda: services.untick(pk, signed_in_user(request), request.POST.get("section", "")))


@require_POST
def sign(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    revision = _revision(request, pk, number, "seal")
    return _done(request, pk, lambda: services.sign(revision.pk, signed_in_user(request)))


@require_POST
def go_back(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    revision = _revision(request, pk, number)
    return _done(request, pk, lambda: services.go_back(pk, signed_in_user(request), base_of(request), revision), "map")


@require_safe
def compare_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Any two revisions, or one with the present."""
    stored = template_or_404(request, pk)
    known = {str(one.number): one for one in stored.revisions.select_related("template")}
    before, after = request.GET.get("from", ""), request.GET.get("to", PRESENT)
    if before not in known:
        before = next(iter(known), "")
    if after != PRESENT and after not in known:
        raise Http404
    context = frame(request, stored)
    context |= {
        "place": "revisions",
        "revisions": list(known.values()),
        "from": before,
        "to": after,
    }
    if before:
        spaces = [
            context["space"] if name == PRESENT else services.workspace_of(known[name]) for name in (before, after)
        ]
        context |= {
            "comparison": comparison(*spaces),
            "old": known[before],
        }
    return render(request, "revisions/compare.html", context)


@require_POST
def take(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    revision, keys = _revision(request, pk, number), request.POST.getlist("key")
    return _done(request, pk, lambda: services.take(pk, signed_in_user(request), base_of(request), revision, keys))


@require_POST
def begin(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """Start the pack; the page shows its progress."""
    begin_pack_of(_revision(request, pk, number))
    return redirect(reverse("revisions", args=[pk]) + "#pack")


@require_safe
def progress(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """How far the newest pack of a revision is."""
    revision = _revision(request, pk, number)
    pack = revision.packs.defer("content").first()
    return render(request, "revisions/progress.html", {"stored": revision.template, "newest": revision, "pack": pack})


@require_POST
def cancel(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    for pack in _revision(request, pk, number).packs.defer("content"):
        pack.cancel()
    return redirect(reverse("revisions", args=[pk]) + "#pack")


@require_safe
def download(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    revision = _revision(request, pk, number)
    answer = pack_of(revision)
    note_taken_out(signed_in_user(request), f"the pack of {revision.template.name}, revision {number}")
    return answer


def pack_of(revision: Revision) -> HttpResponse:
    """The newest pack of a revision that is made, as a file. Raises Http404 where there is none."""
    pack = revision.packs.filter(state=Pack.DONE).first()
    if pack is None:
        raise Http404
    return as_file(bytes(pack.content), f"{slug(revision.template.name)}-r{revision.number}.zip", "application/zip")


@require_safe
def document(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """A revision's document as created."""
    revision = _revision(request, pk, number)
    name = f"{slug(revision.template.name)}-r{number}.json"
    return as_file(document_of(bytes(revision.head)), name, "application/json")
