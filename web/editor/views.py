"""Pages of one template: each place by its entry in the registry."""

from __future__ import annotations

from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_safe

from web.editor.matters import OTHERS
from web.editor.places.base import PLACES, Context, Place, wanted
from web.editor.presenting import frame
from web.shelf.access import template_or_404

TEXT_PAGE = "editor/place.html"
# Addresses of regrouped pages: the page with their content, and its parameters.
OLD_PLACES = (
    ("strip", "strips", ""),
    ("delivery", "setup", ""),
    ("inventory", "setup", ""),
    ("hygiene", "findings", urlencode({"family": OTHERS})),
)


@require_safe
def led_on(request: HttpRequest, pk: int, now: str, with_query: str) -> HttpResponse:
    """An old address redirects, with its parameters."""
    template_or_404(request, pk)
    query = "&".join(part for part in (with_query, request.GET.urlencode()) if part)
    return redirect(reverse(now, args=[pk]) + (f"?{query}" if query else ""))


@require_safe
def place_page(request: HttpRequest, pk: int, place: str) -> HttpResponse:
    """A page of a template: its frame, and the body that writes replace."""
    here, context = PLACES[place], frame(request, template_or_404(request, pk))
    context |= place_context(request, context, here)
    return render(request, TEXT_PAGE if here.shows_detail(request) else here.page, context)


def place_context(request: HttpRequest, context: Context, here: Place) -> Context:
    """The parts of a page outside the frame, on its page and after a write."""
    shown = here.context(request, context) if here.context else {}
    return {"place": here.name, "here": here, "strip": wanted(request, "strip"), **shown}
