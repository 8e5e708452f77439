"""The account data beside name and password, invitations, and the log of accounts and roles."""

from __future__ import annotations

import hashlib
import secrets
from contextlib import suppress
from datetime import datetime, timedelta

from django.conf import settings
from django.contrib.auth.models import User
from django.db import OperationalError, models, transaction
from django.utils import timezone

from web.accounts.names import name_of

INVITED_FOR = timedelta(days=7)


def digest_of(token: str) -> str:
    """The digest of a secret in an address: a copy of the database does not give the secret."""
    return hashlib.sha256(token.encode()).hexdigest()


def new_secret() -> tuple[str, str]:
    """A secret for an address, of 256 random bits, and its digest; only the digest is stored."""
    token = secrets.token_urlsafe(32)
    return token, digest_of(token)


class Account(models.Model):
    """Account data beside Django's."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="account")
    # Sessions of an older generation have ended, whatever the clock.
    generation = models.PositiveIntegerField(default=0)

    def __str__(self) -> str:
        return str(self.user)


class Invitation(models.Model):
    """A link by which one person may make one account."""

    digest = models.CharField(max_length=64, unique=True)
    note = models.CharField(max_length=120)  # the invited user
    is_administrator = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="invitations")
    at = models.DateTimeField(auto_now_add=True)
    used_at = models.DateTimeField(null=True)
    used_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.note

    @classmethod
    def make(cls, by: User | None, note: str, *, is_administrator: bool = False) -> tuple[Invitation, str]:
        """A new one, with the secret of its address, which is not kept."""
        token, digest = new_secret()
        made = cls.objects.create(digest=digest, note=note, by=by, is_administrator=is_administrator)
        return made, token

    @property
    def ends_at(self) -> datetime:
        return self.at + INVITED_FOR

    @property
    def why_not(self) -> str:
        """Why it cannot be used; nothing where it can."""
        if self.used_at is not None:
            return "This invitation was used. Sign in with that account, or request a new invitation."
        if self.withdrawn_at is not None:
            return "This invitation was withdrawn. Request a new one from an administrator."
        if self.by is not None and not (self.by.is_active and self.by.is_staff):
            return "This invitation is void: its sender is not an administrator any longer. Request a new one."
        if timezone.now() > self.ends_at:
            return "This invitation has expired after 7 days. Request a new one from an administrator."
        return ""


class Event(models.Model):
    """A change of an account or a role: a row of the administrator's page."""

    SIGN_IN, FAILED, ACCOUNT, ROLE, LINK, EXPORT = "sign-in", "failed", "account", "role", "link", "export"
    KINDS = (
        (SIGN_IN, "sign-ins"), (FAILED, "refused sign-ins"), (ACCOUNT, "accounts"), (ROLE, "roles"), (LINK, "links"),
        (EXPORT, "exports"),
    )  # fmt: skip

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    kind = models.CharField(max_length=7, choices=KINDS)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    words = models.CharField(max_length=300)
    address = models.GenericIPAddressField(null=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.words


def note_taken_out(user: User, what: str) -> None:
    """Log a download. If the log cannot be written, the download continues."""
    with suppress(OperationalError), transaction.atomic():
        note(Event.EXPORT, user, f"{name_of(user)} downloaded {what}")


def note(kind: str, user: User | None, words: str, address: str | None = None) -> None:
    """Puts down that something happened."""
    Event.objects.create(kind=kind, user=user, words=words[:300], address=address)
