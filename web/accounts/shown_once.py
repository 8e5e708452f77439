"""Addresses with a secret, shown once on the following page: a reload creates no second one."""

from __future__ import annotations

from django.http import HttpRequest

KEPT = "shown-once"  # in the session, from the answer that made it to the page that shows it


def show_once(request: HttpRequest, words: str, path: str) -> None:
    """Show an address and its purpose on the next page."""
    request.session[KEPT] = [words, request.build_absolute_uri(path)]


def to_show(request: HttpRequest) -> list[str] | None:
    """The words and the address, once."""
    return request.session.pop(KEPT, None)  # type: ignore[no-any-return]
