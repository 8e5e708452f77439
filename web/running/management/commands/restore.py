"""`manage.py restore FILE`: replace the data by a backup. The server and the worker have to be stopped."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser

from web.running.backups import BackupError, restore


class Command(BaseCommand):
    help = "Restores a backup and updates it. The data it replaces is saved beside it."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *_args: Any, **options: Any) -> None:
        try:
            before = restore(options["file"])
        except BackupError as wrong:
            raise CommandError(str(wrong)) from None
        call_command("migrate", verbosity=0)
        kept = f"; the replaced data is {before}" if before else ""
        self.stdout.write(f"{options['file']} is restored{kept}")
