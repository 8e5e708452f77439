"""Plans of what puts a template right: worked out in the background, kept for the state they are of."""

from __future__ import annotations

from django.db import models

from web.shared.jobs import Job
from web.shelf.models import StoredTemplate


class PlanJob(Job):
    """A plan of one state of a template: what `lattice plan` gives, with the sentences that a page shows."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="plans")
    version = models.PositiveIntegerField()  # of the state it is of
    content = models.JSONField(default=dict)  # empty until it is done

    def __str__(self) -> str:
        return f"{self.template} at {self.version}: {self.state}"
