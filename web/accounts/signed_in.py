"""Who asks."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest


def address_of(request: HttpRequest | None) -> str | None:
    """From where somebody asks, as far as the proxy is believed."""
    return request.META.get("REMOTE_ADDR") if request is not None else None


def signed_in_user(request: HttpRequest) -> User:
    """Whoever is signed in; the middleware lets nobody else in, but for the views that say so."""
    if not isinstance(request.user, User):
        raise PermissionDenied
    return request.user
