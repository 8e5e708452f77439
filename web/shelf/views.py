"""The list of templates: create, import, copy, delete."""

from __future__ import annotations

from django.db.models import OuterRef, Subquery, Value
from django.db.models.functions import Concat, Trim
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from lattice.errors import DocumentError
from lattice.exports import EXPORTS
from lattice.model.names import slug
from web.accounts.models import note_taken_out
from web.accounts.signed_in import signed_in_user
from web.shared.downloads import as_file
from web.shared.numbers import number_of
from web.shelf import services
from web.shelf.access import role_on, seen_by, shelf_of, template_or_404, visible_to
from web.shelf.forms import NewForm
from web.shelf.models import JournalEntry
from web.shelf.starters import STARTERS
from web.shelf.workspace import workspace


@require_safe
def shelf(request: HttpRequest) -> HttpResponse:
    user = signed_in_user(request)
    off = visible_to(user).filter(pk=number_of(request.GET.get("off", "")))
    taken_off = off.exclude(deleted_at=None).first()
    last_by = JournalEntry.objects.filter(template=OuterRef("pk"), version=OuterRef("version"))
    templates = (
        shelf_of(user)
        .select_related("variant_of", "owner", "team")
        .annotate(last_by=Subquery(last_by.values(name=Trim(Concat("by__first_name", Value(" "), "by__last_name")))))
        .defer("head", "slots")
    )
    for one in templates:
        one.role = role_on(one, user)
        one.origin = seen_by(user, one.variant_of)
    return render(request, "shelf/shelf.html", {"templates": templates, "taken_off": taken_off})


@require_safe
def demo(request: HttpRequest) -> HttpResponse:
    """Where the demo's sign-in link leads: the map of Night Ferry, or the shelf."""
    ferry = shelf_of(signed_in_user(request)).filter(name="Night Ferry").order_by("pk").first()
    return redirect("map", ferry.pk) if ferry else redirect("shelf")


@require_http_methods(["GET", "HEAD", "POST"])
def new(request: HttpRequest) -> HttpResponse:
    """An empty template by its name, or one of the starters."""
    starter = STARTERS.get(request.POST.get("starter", ""))
    if starter is not None:
        return redirect("map", services.store_starter(signed_in_user(request), starter.make()).pk)
    form = NewForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            return redirect("map", services.store(signed_in_user(request), form.template()).pk)
        except DocumentError as error:
            form.add_error("name", error.problems[0])
    return render(request, "shelf/new.html", {"form": form, "starters": STARTERS.values()})


@require_POST
def duplicate(request: HttpRequest, pk: int) -> HttpResponse:
    services.duplicate(template_or_404(request, pk, "export"), signed_in_user(request))
    return redirect("shelf")


@require_POST
def delete(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk, "remove")
    services.delete(stored)
    response = redirect("shelf")
    response["Location"] += f"?off={stored.pk}"
    return response


@require_POST
def take(request: HttpRequest, pk: int) -> HttpResponse:
    """A transferred template belongs to its recipient from here on."""
    services.take_offered(template_or_404(request, pk, "give"), signed_in_user(request))
    return redirect("shelf")


@require_POST
def restore(request: HttpRequest, pk: int) -> HttpResponse:
    services.restore(template_or_404(request, pk, "remove", is_off=True))
    return redirect("shelf")


@require_safe
def export(request: HttpRequest, pk: int, form: str) -> HttpResponse:
    stored = template_or_404(request, pk, "export")
    if form not in EXPORTS:
        raise Http404
    template = workspace(stored).template
    note_taken_out(signed_in_user(request), f"{stored.name} as {form}")
    return as_file(EXPORTS[form].write(template), f"{slug(template.name)}.{form}", EXPORTS[form].media_type)
