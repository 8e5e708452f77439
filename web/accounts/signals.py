"""The log of sign-ins.

A failed sign-in is logged with its name only if the account exists: users type passwords into the wrong field.
"""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User, update_last_login
from django.contrib.auth.signals import user_logged_in, user_login_failed
from django.dispatch import receiver
from django.http import HttpRequest

from web.accounts.models import Event, note
from web.accounts.names import name_of
from web.accounts.sessions import begin
from web.accounts.signed_in import address_of
from web.shared.full_disk import written_if_there_is_room

# Django's own does not bear a full disk.
user_logged_in.disconnect(dispatch_uid="update_last_login")


@receiver(user_logged_in)
def signed_in(request: HttpRequest, user: User, **_rest: Any) -> None:
    begin(request, user)
    with written_if_there_is_room():
        update_last_login(User, user)
        note(Event.SIGN_IN, user, f"{name_of(user)} signed in", address_of(request))


@receiver(user_login_failed)
def refused(credentials: dict[str, Any], request: HttpRequest | None = None, **_rest: Any) -> None:
    user = User.objects.filter(username=credentials.get("username")).first()
    words = f"wrong password for {name_of(user)}" if user else "an unknown user name"
    note(Event.FAILED, user, words, address_of(request))
