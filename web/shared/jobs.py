"""Background jobs: the queue, and the progress that every job reports."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone
from huey import SqliteHuey

from web.shared.heartbeat import is_alive

queue = SqliteHuey("lattice", filename=str(settings.JOBS_DATABASE), immediate=settings.JOBS_AT_ONCE)


MOST_STOPPED = 1


class CancelledError(Exception):
    """The job was cancelled."""


class Job(models.Model):
    """Something made in the background, with progress, and kept when it is whole."""

    WAITING, MAKING, DONE, CANCELLED, FAILED = "waiting", "making", "done", "cancelled", "failed"
    UNDER_WAY = (WAITING, MAKING)

    state = models.CharField(max_length=9, default=WAITING)
    step = models.CharField(max_length=80, default="")
    percent = models.PositiveIntegerField(default=0)
    said = models.CharField(max_length=300, default="")  # why it failed
    stopped = models.PositiveSmallIntegerField(default=0)  # how often a worker ended while it was at it
    began_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        abstract = True
        ordering = ("-pk",)

    @property
    def is_under_way(self) -> bool:
        return self.state in self.UNDER_WAY

    @property
    def is_stuck(self) -> bool:
        """Return whether it waits for a worker that is not there."""
        return self.state == self.WAITING and not is_alive()

    def report(self, step: str, percent: int) -> None:
        """Report progress. Raises CancelledError after a cancel."""
        still = type(self)._default_manager.filter(pk=self.pk, state__in=self.UNDER_WAY)
        if not still.update(state=self.MAKING, step=step, percent=percent):
            raise CancelledError

    def end(self, state: str, **fields: Any) -> None:
        """Its last state, unless it was cancelled in the meantime."""
        still = type(self)._default_manager.filter(pk=self.pk).exclude(state=self.CANCELLED)
        still.update(state=state, ended_at=timezone.now(), **fields)

    def make(self, work: Callable[[], Any], refused: tuple[type[Exception], ...] = ()) -> None:
        """Run the job, whose result is stored as `content`; nothing is stored after a cancel.

        Exceptions in `refused` are shown as they are: the input is at fault, not the application.
        """
        try:
            content = work()
        except CancelledError:
            return
        except refused as wrong:
            self.end(self.FAILED, said=str(wrong)[:300])
            return
        except Exception as wrong:
            self.fail(wrong)
            raise
        self.end(self.DONE, content=content, percent=100, step="")

    def fail(self, wrong: Exception) -> None:
        """Store the reason for a missing result."""
        self.end(self.FAILED, said=f"{type(wrong).__name__}: {wrong}"[:300])

    @classmethod
    def take_up(cls, make: Callable[[int], object]) -> None:
        """Restart jobs that were interrupted by the end of a worker; called when one starts.

        A job during which workers have ended twice may be the cause: it is not restarted a third time.
        """
        for job in list(cls._default_manager.filter(state__in=cls.UNDER_WAY)):
            stopped = job.stopped + (job.state == cls.MAKING)
            cls._default_manager.filter(pk=job.pk).update(state=cls.WAITING, step="", percent=0, stopped=stopped)
            if stopped > MOST_STOPPED:
                job.end(cls.FAILED, said=f"the worker ended {stopped} times during this job; start it again")
            else:
                make(job.pk)

    def cancel(self) -> None:
        """Cancel it; its task stops at the next step."""
        still = type(self)._default_manager.filter(pk=self.pk, state__in=self.UNDER_WAY)
        still.update(state=self.CANCELLED, ended_at=timezone.now())
