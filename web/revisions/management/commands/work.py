"""`manage.py work`: does what is asked for in the background, until it is stopped."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from web.revisions.tasks import jobs, take_up


class Command(BaseCommand):
    help = "Makes release packs as they are asked for. Run one beside the web server."

    def handle(self, *_args: Any, **_options: Any) -> None:
        take_up()
        jobs.create_consumer(workers=1, check_worker_health=False, initial_delay=0.05, max_delay=0.5).run()
