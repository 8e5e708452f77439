"""Error pages."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return render(
        request,
        "shared/message.html",
        {"title": "Not on this shelf", "words": "There is nothing at this address, or it is not yours."},
        status=404,
    )


def server_error(request: HttpRequest) -> HttpResponse:
    return render(
        request,
        "shared/message.html",
        {
            "title": "That went wrong",
            "words": "The fault is ours. Load the page again to see whether what you did last is there.",
        },
        status=500,
    )
