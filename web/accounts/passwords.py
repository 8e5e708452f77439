"""The maximum length of a password. Django has the other rules."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.exceptions import ValidationError

MOST = 128  # OWASP ASVS 4.0, 2.1.2


class MaximumLength:
    """Refuses implausibly long passwords: their hashing would only cost time."""

    def validate(self, password: str, user: User | None = None) -> None:
        if len(password) > MOST:
            raise ValidationError(f"This password has {len(password)} characters; at most {MOST} are allowed.")

    def get_help_text(self) -> str:
        return f"At most {MOST} characters."
