"""`manage.py tidy`: delete expired data; a timer runs it once a day."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand
from django.utils import timezone

from web.running.tidying import is_usual, since_last, tidy


class Command(BaseCommand):
    help = "Deletes expired sessions, events, links and templates."

    def handle(self, *_args: Any, **_options: Any) -> None:
        since = since_last(timezone.now())
        if not is_usual(since):
            self.stdout.write(f"{since} since the last run: nothing was deleted, in case the clock has jumped")
            return
        said = ", ".join(f"{number} {what}" for what, number in tidy().items() if number)
        self.stdout.write(f"deleted: {said or 'nothing'}")
