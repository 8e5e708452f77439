"""Pages with a preview and a save: then the map, or the page again with the reason of a refusal."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect

from lattice.errors import DocumentError
from web.shelf.models import StoredTemplate
from web.shelf.services import StaleVersionError


def asked_of(request: HttpRequest) -> QueryDict:
    """The parameters of a page: its address, or the refused form."""
    return request.POST if request.method == "POST" else request.GET


def kept(work: Callable[[], StoredTemplate], page: Callable[..., HttpResponse], place: str = "map") -> HttpResponse:
    """Write, and redirect to a page of the result; a refusal shows the page again and changes nothing."""
    try:
        stored = work()
    except StaleVersionError as stale:
        return page(status=409, is_stale=True, since=[entry.label for entry in stale.since[-6:]])
    except DocumentError as wrong:
        return page(status=422, refused=wrong.problems)
    return redirect(place, stored.pk)
