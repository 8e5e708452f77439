"""Error pages: what happened, and the next step."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def _message(request: HttpRequest, status: int, title: str, words: str) -> HttpResponse:
    return render(request, "shared/message.html", {"title": title, "words": words}, status=status)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    words = "Not saved: the form cannot be read. Go back and try again."
    return _message(request, 400, "Form not readable", words)


def forbidden(request: HttpRequest, exception: Exception | None = None, reason: str = "") -> HttpResponse:
    """A form without the token of its page: mostly a page from before a person signed in or out elsewhere."""
    words = "Not saved: you signed in or out after this page was loaded. Reload it and repeat the step."
    return _message(request, 403, "Page expired", words)


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return _message(request, 404, "Page not found", "This page does not exist, or you have no access.")


def server_error(request: HttpRequest) -> HttpResponse:
    words = "Server error. Reload to see if your change was saved."
    return _message(request, 500, "Server error", words)
