"""The shelf: which templates are there, making, bringing, copying, taking off."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from lattice.errors import DocumentError
from lattice.exports import EXPORTS
from lattice.model.names import slug
from web.shared.numbers import number_of
from web.shelf import services
from web.shelf.access import own_template_or_404, signed_in_user
from web.shelf.forms import NewForm
from web.shelf.models import StoredTemplate
from web.shelf.starters import STARTERS
from web.shelf.workspace import workspace


@require_safe
def shelf(request: HttpRequest) -> HttpResponse:
    taken_off = (
        StoredTemplate.objects.filter(owner=signed_in_user(request), pk=number_of(request.GET.get("off", "")))
        .exclude(deleted_at=None)
        .first()
    )
    templates = (
        services.of_owner(signed_in_user(request)).select_related("cursor__by", "variant_of").defer("head", "slots")
    )
    return render(request, "shelf/shelf.html", {"templates": templates, "taken_off": taken_off})


@require_safe
def demo(request: HttpRequest) -> HttpResponse:
    """Where the demo's sign-in link leads: the map of Night Ferry, or the shelf."""
    ferry = services.of_owner(signed_in_user(request)).filter(name="Night Ferry").order_by("pk").first()
    return redirect("map", ferry.pk) if ferry else redirect("shelf")


@require_http_methods(["GET", "HEAD", "POST"])
def new(request: HttpRequest) -> HttpResponse:
    """An empty sheet by its name, or one of the starters as it is."""
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
    services.duplicate(own_template_or_404(request, pk), signed_in_user(request))
    return redirect("shelf")


@require_POST
def delete(request: HttpRequest, pk: int) -> HttpResponse:
    stored = own_template_or_404(request, pk)
    services.delete(stored)
    response = redirect("shelf")
    response["Location"] += f"?off={stored.pk}"
    return response


@require_POST
def restore(request: HttpRequest, pk: int) -> HttpResponse:
    get_object_or_404(StoredTemplate, pk=pk, owner=signed_in_user(request))
    services.restore(pk, signed_in_user(request))
    return redirect("shelf")


@require_safe
def export(request: HttpRequest, pk: int, form: str) -> HttpResponse:
    stored = own_template_or_404(request, pk)
    if form not in EXPORTS:
        raise Http404
    template = workspace(stored).template
    response = HttpResponse(EXPORTS[form].write(template), content_type=EXPORTS[form].media_type)
    response["Content-Disposition"] = f'attachment; filename="{slug(template.name)}.{form}"'
    return response
