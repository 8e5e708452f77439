"""Who may see and do what with a template. Today one person owns it; everything asks here."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from web.shelf.models import StoredTemplate
from web.shelf.services import of_owner


def own_template_or_404(request: HttpRequest, pk: int, permission: str = "edit") -> StoredTemplate:  # noqa: ARG001
    """A template of the person signed in, for what needs a permission; another's is a 404.

    The owner may do everything, so `permission` decides nothing yet: it says what each caller needs.
    """
    found: StoredTemplate = get_object_or_404(of_owner(request.user), pk=pk)
    return found
