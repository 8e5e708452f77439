"""Display names in templates."""

from __future__ import annotations

from django import template
from django.contrib.auth.models import User

from web.accounts.names import name_of

register = template.Library()


@register.filter
def person(user: User | None) -> str:
    """A person's name; nothing where the account is gone."""
    return name_of(user) if user is not None else ""
