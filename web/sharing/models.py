"""Share links: one revision without an account."""

from __future__ import annotations

from datetime import date, timedelta

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone

from web.accounts.models import new_secret
from web.revisions.models import Revision

LONGEST_DAYS = 366


class RevisionLink(models.Model):
    """A link to a revision's map, report and pack, until a day."""

    digest = models.CharField(max_length=64, unique=True)
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="links")
    note = models.CharField(max_length=120)  # its recipient
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    until = models.DateField()
    revoked_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.note

    @classmethod
    def make(cls, revision: Revision, by: User, note: str, until: date) -> tuple[RevisionLink, str]:
        """A new one, with the secret of its address, which is not kept."""
        token, digest = new_secret()
        made = cls.objects.create(digest=digest, revision=revision, by=by, note=note, until=until)
        return made, token

    @property
    def is_good(self) -> bool:
        """Return whether it is valid: not revoked, not expired, created by an active account."""
        is_gone = self.revoked_at is not None or self.revision.template.deleted_at is not None
        return not is_gone and timezone.now().date() <= self.until and self.by is not None and self.by.is_active


def in_days(days: int) -> date:
    return timezone.now().date() + timedelta(days=days)
