"""The refusal for a user who may see a template without this permission."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from web.shared.notice import notice
from web.shelf.access import NotAllowedError

Answer = Callable[[HttpRequest], HttpResponse]


class NotAllowed:
    """States the required role, beside an open page, and changes nothing."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if not isinstance(exception, NotAllowedError):
            return None
        words = str(exception)
        if request.headers.get("HX-Request"):
            return notice(request, "editor/refused.html", {"problems": [words]}, 403)
        return render(request, "shared/message.html", {"title": exception.title, "words": words}, status=403)
