"""`manage.py administrator`: an invitation for the first administrator, or for one without access."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.urls import reverse

from web.accounts.models import Invitation


class Command(BaseCommand):
    help = "Prints an invitation for an administrator, valid once, for 7 days."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--address", default="http://127.0.0.1:8000", help="address of the application")

    def handle(self, *_args: Any, **options: Any) -> None:
        _made, token = Invitation.make(None, "the administrator", is_administrator=True)
        self.stdout.write(f"{options['address'].rstrip('/')}{reverse('invitation', args=[token])}")
