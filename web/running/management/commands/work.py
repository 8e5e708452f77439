"""`manage.py work`: run background jobs until it is stopped."""

from __future__ import annotations

from fcntl import LOCK_EX, LOCK_NB, flock
from threading import Event
from typing import Any, TextIO

from django.conf import settings
from django.core.management.base import BaseCommand

from web.bench.models import Programme, Reading, ToneRun
from web.bench.tasks import measure_programme, play_tone_run, read_prints_of
from web.bringing import tasks
from web.plans.models import PlanJob
from web.plans.tasks import work_out
from web.revisions.models import Pack
from web.revisions.tasks import make
from web.shared.heartbeat import keep_beating
from web.shared.jobs import queue


class Command(BaseCommand):
    help = "Runs the background worker: plans, release packs, readings and test tones. Run one beside the web server."

    def handle(self, *_args: Any, **_options: Any) -> None:
        with (settings.VAR / "worker.lock").open("w") as lock:
            self._wait_for_others(lock)
            self._work()

    def _wait_for_others(self, lock: TextIO) -> None:
        """Two workers would do the same work twice. The system takes the lock from one that is killed."""
        try:
            flock(lock, LOCK_EX | LOCK_NB)
        except BlockingIOError:
            self.stderr.write("another worker is running; this one starts when it ends")
            flock(lock, LOCK_EX)

    def _work(self) -> None:
        stopped = Event()
        keep_beating(stopped)
        queue.flush()
        PlanJob.take_up(work_out)
        Pack.take_up(make)
        Reading.take_up(read_prints_of)
        ToneRun.take_up(play_tone_run)
        Programme.take_up(measure_programme)
        tasks.take_up()
        # Two, so that a short job is not delayed by an hour of audio; one recording at a time is measured.
        queue.create_consumer(workers=2, check_worker_health=False, initial_delay=0.05, max_delay=0.5).run()
