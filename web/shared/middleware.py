"""Rules for every request: headers, the encoding of forms, and a busy database."""

from __future__ import annotations

import errno
import logging
import secrets
from collections.abc import Callable
from time import perf_counter

from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from web.shared.logs import view_of
from web.shared.notice import notice

Answer = Callable[[HttpRequest], HttpResponse]
log = logging.getLogger("web.requests")


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


class NoBodyForHead:
    """The head alone, as it would be with the body: on a kept connection a body would be taken for the next answer."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if request.method == "HEAD":
            if response.streaming:
                response.streaming_content = ()  # type: ignore[attr-defined]
            else:
                response.setdefault("Content-Length", str(len(response.content)))
                response.content = b""
        return response


class RequestLog:
    """A line a request in the log: which view, how it ended, how long it took, and a number that its answer has too.

    The address is left out: it may hold a secret, or a search text.
    """

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        start, number = perf_counter(), secrets.token_hex(8)
        response = self.get_response(request)
        said = {
            "request": number, "method": request.method, "view": view_of(request), "status": response.status_code,
            "ms": round((perf_counter() - start) * 1000, 1),
        }  # fmt: skip
        log.info("answered", extra=said)
        response["X-Request-Id"] = number
        return response


class Headers:
    """Pages of signed-in users are not cached, and pages use no device features."""

    DEVICE = "camera=(), microphone=(), geolocation=(), payment=(), usb=(), midi=()"

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.setdefault("Permissions-Policy", self.DEVICE)
        response.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        if getattr(request, "user", None) is not None and request.user.is_authenticated:
            response.setdefault("Cache-Control", "no-store")
        return response


class PlainForms:
    """Forms are UTF-8: a request with another declared encoding is refused before it is read."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        charset = (request.content_params or {}).get("charset", "utf-8")
        if charset.lower().replace("-", "") not in ("utf8", "usascii", "ascii"):
            return HttpResponse("Forms must be in UTF-8; this one has a different encoding.", status=415)
        return self.get_response(request)


class Busy:
    """A write that found the database busy or full gets an error page; the typed text is preserved."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        why = _why_not(exception)
        if why is None:
            return None
        context = {"fields": _posted(request), "why": why}
        if request.headers.get("HX-Request"):
            response = notice(request, "shared/busy_note.html", context, 503)
        else:
            response = render(request, "shared/busy.html", context, status=503)
        response["Retry-After"] = "5"
        return response


def _why_not(exception: Exception) -> str | None:
    """The reason for a failed write, if neither the application nor the request is at fault."""
    is_full = isinstance(exception, OSError) and exception.errno == errno.ENOSPC
    if isinstance(exception, OperationalError):
        is_full = "full" in str(exception) or "disk I/O" in str(exception)
        if "locked" in str(exception):
            return "another user was saving"
    return "the disk of the server is full. An administrator must free some space" if is_full else None


def _posted(request: HttpRequest) -> list[tuple[str, str]]:
    """The fields of a form, for a second attempt with one press; files have to be selected again."""
    return [(name, value) for name, values in request.POST.lists() for value in values if name != "csrfmiddlewaretoken"]
