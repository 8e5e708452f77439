"""Error pages: what happened, and what to do next."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def _message(request: HttpRequest, status: int, title: str, words: str) -> HttpResponse:
    return render(request, "shared/message.html", {"title": title, "words": words}, status=status)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    words = "What was sent cannot be read. Nothing was stored; go back and try again."
    return _message(request, 400, "That cannot be read", words)


def forbidden(request: HttpRequest, exception: Exception | None = None, reason: str = "") -> HttpResponse:
    """A form without the token of its page: mostly a page from before a person signed in or out elsewhere."""
    words = "This page is from before you signed in or out. Nothing was stored; load it again and repeat the step."
    return _message(request, 403, "This page has grown old", words)


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return _message(request, 404, "Not on this shelf", "There is nothing at this address, or it is not yours.")


def server_error(request: HttpRequest) -> HttpResponse:
    words = "The fault is ours. Load the page again to see whether what you did last is there."
    return _message(request, 500, "That went wrong", words)
