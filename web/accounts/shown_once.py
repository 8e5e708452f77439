"""Addresses with a secret in them, shown on the page that follows and never again: loading it anew makes no second."""

from __future__ import annotations

from django.http import HttpRequest

KEPT = "shown-once"  # in the session, from the answer that made it to the page that shows it


def show_once(request: HttpRequest, words: str, path: str) -> None:
    """Has the next page say what an address is for, and the address."""
    request.session[KEPT] = [words, request.build_absolute_uri(path)]


def to_show(request: HttpRequest) -> list[str] | None:
    """The words and the address, once."""
    return request.session.pop(KEPT, None)  # type: ignore[no-any-return]
