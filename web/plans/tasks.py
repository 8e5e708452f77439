"""Working plans out in the background."""

from __future__ import annotations

from typing import Any

from lattice.formats.document_json import read_back
from lattice.matters.plan import plan
from web.plans.models import PlanJob
from web.plans.showing import shown
from web.shared.jobs import CancelledError, queue
from web.shelf.heads import document_of


@queue.task()
def work_out(pk: int) -> None:
    """Compute a plan, report progress, and stop if it is cancelled or the template has changed."""
    job = PlanJob.objects.select_related("template").filter(pk=pk).first()
    if job is None:
        return  # one of an older version, no longer needed

    def progress(steps: int, looked: int) -> None:
        job.report(f"{steps} step{'' if steps == 1 else 's'} found, {looked} fixes tried", 0)

    def work() -> dict[str, Any]:
        if job.template.version != job.version:
            raise CancelledError
        return shown(plan(read_back(document_of(bytes(job.template.head))), progress=progress))

    job.make(work)
