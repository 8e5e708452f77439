"""What people are called."""

from __future__ import annotations

from django.contrib.auth.models import User


def name_of(user: User) -> str:
    """The name somebody signs with: their own, or that of their account where they have given none."""
    return user.get_full_name() or user.get_username()
