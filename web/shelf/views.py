"""The shelf: which templates are there, making, bringing, copying, taking off."""

from __future__ import annotations

from django.core.exceptions import RequestDataTooBig
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from lattice.errors import DocumentError
from lattice.exports import EXPORTS
from lattice.model.names import slug
from web.shared.numbers import number_of
from web.shelf import services
from web.shelf.access import own_template_or_404, signed_in_user
from web.shelf.forms import BringForm, NewForm
from web.shelf.models import StoredTemplate
from web.shelf.reading import Read, read
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
    form = NewForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            return redirect("map", services.store(signed_in_user(request), form.template()).pk)
        except DocumentError as error:
            form.add_error("name", error.problems[0])
    return render(request, "shelf/new.html", {"form": form})


@require_http_methods(["GET", "HEAD", "POST"])
def bring(request: HttpRequest) -> HttpResponse:
    """A file or paste, and a preview of what was understood; nothing is stored yet."""
    try:
        form = BringForm(request.POST or None, request.FILES or None)
    except RequestDataTooBig:
        form = BringForm({})
        form.add_error(None, "That is more than 20 MiB of text; bring it as a file, which may have 64.")
        return render(request, "shelf/import.html", {"form": form}, status=413)
    if request.method != "POST" or not form.is_valid():
        return render(request, "shelf/import.html", {"form": form}, status=422 if request.method == "POST" else 200)
    read_file = read(*form.data_and_name())
    context = {"form": form, "read": read_file, "rows": _preview(read_file)}
    if read_file.template is not None:
        pieces = (
            (read_file.template.strips, "strip"),
            (read_file.template.routes, "route"),
            (read_file.template.sections, "section"),
        )
        context["counts"] = [(len(known), word) for known, word in pieces]
        context["draft"] = services.keep_draft(signed_in_user(request), read_file.template)
    return render(request, "shelf/import.html", context, status=200 if read_file.template else 422)


def _preview(read_file: Read) -> list[dict[str, object]]:
    if read_file.template is None:
        return []
    names = {strip.id: strip.name for strip in read_file.template.strips}
    sections = {section.id: section.name for section in read_file.template.sections}
    feeds: dict[str, list[str]] = {}
    for route in read_file.template.routes:
        if route.kind == "feed":
            feeds.setdefault(route.from_strip, []).append(names[route.to])
    return [
        {
            "strip": strip,
            "section": sections.get(strip.section or "", ""),
            "feeds": ", ".join(feeds.get(strip.id, [])),
            "guessed": strip.id in read_file.guessed,
        }
        for strip in read_file.template.strips[:200]
    ]


@require_POST
def keep(request: HttpRequest) -> HttpResponse:
    """Puts what the preview showed on the shelf."""
    stored = services.store_draft(signed_in_user(request), number_of(request.POST.get("draft", ""), -1))
    return redirect("map", stored.pk) if stored else redirect("shelf-import")


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
