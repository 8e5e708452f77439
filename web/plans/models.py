"""Repair plans: computed in the background, stored for their version."""

from __future__ import annotations

from django.db import models

from web.shared.jobs import Job
from web.shelf.models import StoredTemplate


class PlanJob(Job):
    """A plan of one version of a template: as from `lattice plan`, with the sentences of a page."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="plans")
    version = models.PositiveIntegerField()  # of the state it is of
    content = models.JSONField(default=dict)  # empty until it is done

    def __str__(self) -> str:
        return f"{self.template} at {self.version}: {self.state}"
