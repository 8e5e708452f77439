"""Changes by others while a page is open: it polls every two seconds, and is updated as after an edit."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from web.accounts.signed_in import signed_in_user
from web.editor.places.base import PLACES
from web.editor.presence import others_here
from web.editor.writes import changed
from web.shared.numbers import number_of
from web.shelf import services
from web.shelf.access import template_or_404

SHOWN = 3  # lines of others' changes, as many as fit the head of a page


@require_safe
def news(request: HttpRequest, pk: int) -> HttpResponse:
    """Other users on the template and their changes and comments since the page's version; 204 without news."""
    stored, user = template_or_404(request, pk, is_light=True), signed_in_user(request)
    place = PLACES.get(request.GET.get("place", ""), PLACES["map"])
    catches_up = place.lists is not None or place.context is not None
    version = number_of(request.GET.get("version", ""))
    remarked = number_of(request.GET.get("remarked", "")) if catches_up else stored.remarked
    here = others_here(pk, user, place.title)
    names = ", ".join(f"{one.name} {one.place}" for one in here)
    if (stored.version, stored.remarked, names) == (version, remarked, request.GET.get("here", "")):
        return HttpResponse(status=204)
    others = stored.journal.filter(version__gt=version).exclude(by=user).select_related("by").defer("patch")
    entries = list(others.order_by("-pk")[:SHOWN])
    is_newer = stored.version > version
    context = {
        "company": here,
        "names": names,
        "stored": stored,
        "entries": entries,
        "room": SHOWN - len(entries),
        "remarked": remarked,
        "catches_up": catches_up and (is_newer or stored.remarked > remarked),
        "is_behind": is_newer and not catches_up,
    }
    return render(request, "editor/company.html", context)


@require_POST
def catch_up(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything on the page that others have changed; in the side panel only a strip, so other panels stay."""
    return changed(request, template_or_404(request, pk, "look"), is_asked=request.POST.get("margin") == "1")


@require_POST
def opened(request: HttpRequest, pk: int) -> HttpResponse:
    """Remember that the user has a page of the template open; apart from the page, which is read alone."""
    services.note_opened(template_or_404(request, pk, "look", is_light=True), signed_in_user(request))
    return HttpResponse(status=204)
