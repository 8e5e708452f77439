"""Display names of users."""

from __future__ import annotations

from django.contrib.auth.models import User


def name_of(user: User) -> str:
    """The name a user signs with: their own, or that of their account if it is empty."""
    return user.get_full_name() or user.get_username()
