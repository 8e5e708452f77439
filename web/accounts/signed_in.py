"""The user of a request."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest


def address_of(request: HttpRequest | None) -> str | None:
    """The client's address, as far as the proxy is trusted."""
    return request.META.get("REMOTE_ADDR") if request is not None else None


def signed_in_user(request: HttpRequest) -> User:
    """The signed-in user; the middleware admits no others, except to views marked for it."""
    if not isinstance(request.user, User):
        raise PermissionDenied
    return request.user
