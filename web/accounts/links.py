"""Sign-in links that work without typing, signed and for one day."""

from __future__ import annotations

from django.core import signing

SALT = "web.accounts.sign-in-link"
MAX_AGE_S = 24 * 3600


def token_for(user_id: int) -> str:
    return signing.dumps(user_id, salt=SALT)


def user_of(token: str) -> int | None:
    """The user a token was made for; None where it is forged or too old."""
    try:
        return int(signing.loads(token, salt=SALT, max_age=MAX_AGE_S))
    except (signing.BadSignature, ValueError, TypeError):
        return None
