"""`manage.py work`: does what is asked for in the background, until it is stopped."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from web.bench.models import Programme, Reading, ToneRun
from web.bench.tasks import measure_programme, play_tone_run, read_prints_of
from web.plans.models import PlanJob
from web.plans.tasks import work_out
from web.revisions.models import Pack
from web.revisions.tasks import make
from web.shared.jobs import queue


class Command(BaseCommand):
    help = "Makes plans, release packs, readings and tones as they are asked for. Run one beside the web server."

    def handle(self, *_args: Any, **_options: Any) -> None:
        queue.flush()
        PlanJob.take_up(work_out)
        Pack.take_up(make)
        Reading.take_up(read_prints_of)
        ToneRun.take_up(play_tone_run)
        Programme.take_up(measure_programme)
        queue.create_consumer(workers=1, check_worker_health=False, initial_delay=0.05, max_delay=0.5).run()
