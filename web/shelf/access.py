"""Who may see and do what with a template. Today one person owns it; everything asks here."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from web.shelf.models import StoredTemplate
from web.shelf.services import of_owner


def signed_in_user(request: HttpRequest) -> User:
    """Whoever is signed in; the middleware lets nobody else in, but for the views that say so."""
    if not isinstance(request.user, User):
        raise PermissionDenied
    return request.user


def own_template_or_404(request: HttpRequest, pk: int, permission: str = "edit") -> StoredTemplate:
    """A template of the person signed in, for what needs a permission; another's is a 404.

    The owner may do everything, so `permission` decides nothing yet: it says what each caller needs.
    """
    found: StoredTemplate = get_object_or_404(of_owner(signed_in_user(request)), pk=pk)
    return found
