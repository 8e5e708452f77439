"""`manage.py backup FOLDER`: a backup, while people work, checked after it is written; older ones are thinned out."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from web.running.backups import BackupError, back_up, prune


class Command(BaseCommand):
    help = "Writes a backup into a folder. Keeps the newest seven and four weekly ones there, deletes the others."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path)
        parser.add_argument("--keep-all", action="store_true", help="delete no older backup")

    def handle(self, *_args: Any, **options: Any) -> None:
        try:
            made = back_up(options["folder"])
        except BackupError as wrong:
            raise CommandError(str(wrong)) from None
        gone = [] if options["keep_all"] else prune(options["folder"], made)
        size = made.stat().st_size / 1024**2
        self.stdout.write(f"{made}: {size:.1f} MiB, verified; {len(gone)} older ones deleted")
