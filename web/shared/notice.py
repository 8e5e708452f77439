"""A message above an open page in place of the requested content; the page itself is unchanged."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django_htmx.http import reswap, retarget


def notice(request: HttpRequest, page: str, context: dict[str, Any], status: int) -> HttpResponse:
    """A note over the page, before existing ones, whatever the target of the answer."""
    return reswap(retarget(render(request, page, context, status=status), "#notice"), "afterbegin")
