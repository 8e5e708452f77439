"""What holds for every request: headers, the form forms come in, and a database that is busy."""

from __future__ import annotations

from collections.abc import Callable
from time import perf_counter

from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

Answer = Callable[[HttpRequest], HttpResponse]


class ServerTiming:
    """`Server-Timing: total;dur=…` in ms, with the parts a view has noted in `request.timings`."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        start = perf_counter()
        request.timings = {}  # type: ignore[attr-defined]
        response = self.get_response(request)
        parts = {**request.timings, "total": (perf_counter() - start) * 1000}  # type: ignore[attr-defined]
        response["Server-Timing"] = ", ".join(f"{name};dur={ms:.1f}" for name, ms in parts.items())
        return response


class Headers:
    """What a page may load, and that nobody keeps what a person has seen signed in.

    Nothing is loaded from anywhere else. Inline style attributes carry section colours and positions.
    """

    POLICY = (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
        "frame-ancestors 'none'; form-action 'self'"
    )

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.setdefault("Content-Security-Policy", self.POLICY)
        if getattr(request, "user", None) is not None and request.user.is_authenticated:
            response.setdefault("Cache-Control", "no-store")
        return response


class PlainForms:
    """Forms are UTF-8: what says that it is written otherwise is refused before anybody reads it."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        charset = (request.content_params or {}).get("charset", "utf-8")
        if charset.lower().replace("-", "") not in ("utf8", "usascii", "ascii"):
            return HttpResponse("Forms are read as UTF-8; this one says it is written otherwise.", status=415)
        return self.get_response(request)


class Busy:
    """A write that waited its time for somebody else's is told to try again; what was typed is kept."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if not isinstance(exception, OperationalError) or "locked" not in str(exception):
            return None
        is_fragment = bool(request.headers.get("HX-Request"))
        page = "shared/busy_note.html" if is_fragment else "shared/busy.html"
        response = render(request, page, {"fields": _posted(request)}, status=503)
        response["Retry-After"] = "5"
        if is_fragment:
            response["HX-Retarget"], response["HX-Reswap"] = "#notice", "innerHTML"
        return response


def _posted(request: HttpRequest) -> list[tuple[str, str]]:
    """What a form brought, to be sent again by one press; files have to be chosen again."""
    return [(name, value) for name, values in request.POST.lists() for value in values if name != "csrfmiddlewaretoken"]
