"""Background jobs: their messages, their ends, and the result if a worker stops."""

from __future__ import annotations

import pytest

from web.plans.models import PlanJob
from web.shared.jobs import CancelledError
from web.shelf.models import StoredTemplate


@pytest.fixture
def job(stored: StoredTemplate) -> PlanJob:
    made: PlanJob = PlanJob.objects.create(template=stored, version=stored.version)
    return made


def test_it_says_how_far_it_is_until_nobody_waits(job: PlanJob) -> None:
    job.report("3 steps found", 40)
    job.refresh_from_db()
    assert (job.state, job.step, job.percent, job.is_under_way) == (PlanJob.MAKING, "3 steps found", 40, True)
    job.cancel()
    with pytest.raises(CancelledError):
        job.report("4 steps found", 50)
    job.refresh_from_db()
    assert (job.state, job.step, job.is_under_way) == (PlanJob.CANCELLED, "3 steps found", False)


def test_one_that_was_cancelled_stays_so_whatever_comes_of_it(job: PlanJob) -> None:
    job.cancel()
    job.end(PlanJob.DONE, content={"steps": []})
    job.fail(RuntimeError("out of paper"))
    job.refresh_from_db()
    assert (job.state, job.content, job.said) == (PlanJob.CANCELLED, {}, "")


def test_one_that_fails_says_why_in_one_line(job: PlanJob) -> None:
    job.fail(ValueError("x" * 999))
    job.refresh_from_db()
    assert job.state == PlanJob.FAILED
    assert job.said == ("ValueError: " + "x" * 999)[:300]
    assert job.ended_at is not None


@pytest.mark.parametrize(
    ("state", "is_taken_up"),
    [("waiting", True), ("making", True), ("done", False), ("cancelled", False), ("failed", False)],
)
def test_a_worker_that_starts_takes_up_what_was_left(job: PlanJob, state: str, is_taken_up: bool) -> None:
    PlanJob.objects.filter(pk=job.pk).update(state=state, step="half", percent=50)
    begun: list[int] = []
    PlanJob.take_up(begun.append)
    job.refresh_from_db()
    assert begun == ([job.pk] if is_taken_up else [])
    assert (job.step, job.percent) == (("", 0) if is_taken_up else ("half", 50))


def test_what_ends_the_worker_twice_is_not_begun_a_third_time(stored: StoredTemplate) -> None:
    """A file may crash the worker each time: it must not block all other jobs."""
    job = PlanJob.objects.create(template=stored, version=1, state=PlanJob.MAKING)
    waits = PlanJob.objects.create(template=stored, version=1)
    begun: list[int] = []
    PlanJob.take_up(begun.append)
    assert sorted(begun) == [job.pk, waits.pk]
    PlanJob.objects.filter(pk=job.pk).update(state=PlanJob.MAKING)
    PlanJob.take_up(begun.append)
    job.refresh_from_db()
    assert begun.count(job.pk) == 1
    assert begun.count(waits.pk) == 2
    assert (job.state, "ended 2 times" in job.said) == (PlanJob.FAILED, True)
