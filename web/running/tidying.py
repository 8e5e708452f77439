"""Expired data is deleted once a day."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.conf import settings
from django.core.management import call_command
from django.db import transaction
from django.utils import timezone

from web.accounts.models import Event, Invitation
from web.sharing.models import RevisionLink
from web.shelf.models import JournalEntry, StoredTemplate

BRIEF = timedelta(days=90)  # events, expired links, deleted templates


USUAL = timedelta(days=8)  # between two times, a week of holidays too


def since_last(now: datetime) -> timedelta | None:
    """How long ago it was done last, and notes that it is done now; None for the first time."""
    kept = settings.VAR / "tidied"
    last = datetime.fromisoformat(kept.read_text()) if kept.exists() else None
    kept.write_text(now.isoformat())
    return now - last if last is not None else None


def is_usual(since: timedelta | None) -> bool:
    """Return whether the clock is plausible: nothing is deleted on a day on which it has jumped."""
    return since is None or timedelta(0) <= since <= USUAL


def tidy() -> dict[str, int]:
    """Delete expired data and report the numbers.

    Ended sessions; events, invitations and links after 90 days; templates 90 days after their deletion; the patches of
    edits after a year (their entries stay in the history).
    """
    call_command("clearsessions")
    now = timezone.now()
    long_ago, brief_ago = now - timedelta(days=settings.JOURNAL_DAYS), now - BRIEF
    done = {
        "events": Event.objects.filter(at__lt=brief_ago).delete()[0],
        "invitations": Invitation.objects.filter(at__lt=brief_ago).delete()[0],
        "links": RevisionLink.objects.filter(until__lt=brief_ago.date()).delete()[0],
        "patches of edits": JournalEntry.objects.filter(at__lt=long_ago).exclude(patch=b"").update(patch=b""),
    }
    gone = 0
    for stored in StoredTemplate.objects.filter(deleted_at__lt=brief_ago).only("pk"):
        with transaction.atomic():
            for kit in stored.kits.all():
                for reading in kit.readings.all():
                    reading.delete()  # with its files
            stored.delete()
        gone += 1
    return {**done, "templates": gone}
