"""Headers every answer carries: how long the server took, and what the page may load."""

from __future__ import annotations

from collections.abc import Callable
from time import perf_counter

from django.http import HttpRequest, HttpResponse

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


class ContentPolicy:
    """Nothing is loaded from anywhere else. Inline style attributes carry section colours and positions."""

    POLICY = (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
        "frame-ancestors 'none'; form-action 'self'"
    )

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.setdefault("Content-Security-Policy", self.POLICY)
        return response
