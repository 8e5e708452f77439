"""The list of templates: create, import, copy, delete."""

from __future__ import annotations

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from lattice.drawing import small_svg
from lattice.errors import DocumentError
from lattice.exports import EXPORTS
from lattice.model.names import slug
from web.accounts.models import note_taken_out
from web.accounts.signed_in import signed_in_user
from web.shared.downloads import as_file
from web.shared.numbers import number_of
from web.shelf import services
from web.shelf.access import role_on, shelf_of, template_or_404, visible_to
from web.shelf.forms import NewForm, NewFromForm
from web.shelf.listing import ORDERS, listing
from web.shelf.models import StoredTemplate
from web.shelf.sheets import map_of
from web.shelf.starting import STARTERS, picture_of
from web.shelf.workspace import workspace

YEAR_S = 365 * 24 * 3600


@require_safe
def shelf(request: HttpRequest) -> HttpResponse:
    user = signed_in_user(request)
    off = visible_to(user).filter(pk=number_of(request.GET.get("off", "")))
    taken_off = off.exclude(deleted_at=None).first()
    found = listing(user, request.GET.dict())
    orders = [(name, words) for name, (words, _key, _is_down) in ORDERS.items()]
    context = {"listing": found, "templates": found.templates, "taken_off": taken_off, "orders": orders}
    return render(request, "shelf/shelf.html", context)


@require_POST
def set_tags(request: HttpRequest) -> HttpResponse:
    """Tags of the selected templates, in the user's own list."""
    user = signed_in_user(request)
    try:
        services.set_tags(_chosen(request), user, request.POST.get("tags", "").split(","))
    except DocumentError as error:
        messages.error(request, error.problems[0])
    return redirect("shelf")


@require_POST
def delete_several(request: HttpRequest) -> HttpResponse:
    """The selected templates that the user may delete; the view of deleted ones restores them."""
    for stored in _chosen(request):
        if stored.role is not None and stored.role.may("remove"):
            services.delete(stored)
    return redirect(reverse("shelf") + "?deleted=1")


def _chosen(request: HttpRequest) -> list[StoredTemplate]:
    """The templates that a form names, with the user's role; unknown ones are left out."""
    user = signed_in_user(request)
    numbers = [number_of(text, -1) for text in request.POST.getlist("template")]
    found = list(shelf_of(user).filter(pk__in=numbers))
    for one in found:
        one.role = role_on(one, user)
    return found


@require_safe
@cache_control(private=True, max_age=YEAR_S, immutable=True)  # the address has the version
def small(request: HttpRequest, pk: int) -> HttpResponse:
    """A small picture of the map, in its initial view."""
    stored = template_or_404(request, pk)
    space = workspace(stored)
    return HttpResponse(small_svg(map_of(stored, space).sheet), content_type="image/svg+xml")


@require_safe
@cache_control(private=True, max_age=3600)
def starter_small(request: HttpRequest, starter: str) -> HttpResponse:
    """A small picture of a starter."""
    if starter not in STARTERS:
        raise Http404
    return HttpResponse(picture_of(starter), content_type="image/svg+xml")


@require_http_methods(["GET", "HEAD", "POST"])
def new_from(request: HttpRequest, pk: int) -> HttpResponse:
    """A template as the start of a new one: asks its name, tempo, rate and file tags."""
    stored = template_or_404(request, pk, "export")
    template = workspace(stored).template
    form = NewFromForm(request.POST or None, initial=NewFromForm.of(template))
    if request.method == "POST" and form.is_valid():
        try:
            made = services.store_new_from(stored, signed_in_user(request), form.template(template))
            return redirect("map", made.pk)
        except DocumentError as error:
            form.add_error("name", error.problems[0])
    return render(request, "shelf/new_from.html", {"form": form, "stored": stored})


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
