"""The size limit of a request to an address, known before any of it is read: files only for views that take them."""

from __future__ import annotations

from collections.abc import Callable
from http.cookies import CookieError, SimpleCookie
from importlib import import_module
from typing import Any, TypeVar

from django.conf import settings
from django.contrib.auth import SESSION_KEY
from django.urls import Resolver404, resolve

MIB = 1024 * 1024
OF_ANYBODY = MIB  # a name and a password are less
AROUND = MIB  # of a form around a file
View = TypeVar("View", bound=Callable[..., Any])
Asks = Callable[[int, int], bool]  # person, template → whether they may


def takes_files(most_bytes: int, may: Asks | None = None) -> Callable[[View], View]:
    """Mark a view that takes a file of at most so many bytes, from users with the permission `may` on its template."""

    def mark(view: View) -> View:
        view.takes_files = (most_bytes, may)  # type: ignore[attr-defined]
        return view

    return mark


def most_bytes(path: str, cookies: str) -> int:
    """The largest body that is read of a request.

    Parameters
    ----------
    path, cookies
        Its path and its Cookie header.

    Returns
    -------
    int
        Bytes: 1 MiB if not signed in, the limit of forms (DATA_UPLOAD_MAX_MEMORY_SIZE) if signed in; more if the
        address takes files and the user has the permission.
    """
    person = _person(cookies)
    if person is None:
        return OF_ANYBODY
    of_forms = int(settings.DATA_UPLOAD_MAX_MEMORY_SIZE) + AROUND
    try:
        found = resolve(path)
    except Resolver404:
        return OF_ANYBODY
    taken = getattr(found.func, "takes_files", None)
    if taken is None:
        return of_forms
    most, may = taken
    if may is not None and "pk" in found.kwargs and not may(person, found.kwargs["pk"]):
        return OF_ANYBODY
    return max(int(most) + AROUND, of_forms)


def _person(cookies: str) -> int | None:
    """Number of the session's user, or None. The session is checked again when the request is whole."""
    try:
        found = SimpleCookie(cookies).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return None
    if found is None:
        return None
    store = import_module(settings.SESSION_ENGINE).SessionStore(found.value)
    number = str(store.get(SESSION_KEY, ""))
    return int(number) if number.isdecimal() else None
