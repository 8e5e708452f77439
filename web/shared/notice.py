"""What is said above a page at work instead of what was asked for; the page itself stays as it is."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django_htmx.http import reswap, retarget


def notice(request: HttpRequest, page: str, context: dict[str, Any], status: int) -> HttpResponse:
    """A note over the page, before those that stand there already, wherever the answer was to go."""
    return reswap(retarget(render(request, page, context, status=status), "#notice"), "afterbegin")
