"""Revisions of templates, approvals, and release packs in production."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from web.shared.jobs import Job
from web.shelf.models import StoredTemplate


class Revision(models.Model):
    """A sealed, numbered state of a template. Its content never changes; signing it off locks the rest."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    note = models.CharField(max_length=500)
    by = models.CharField(max_length=120)  # the name of its creator
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    version = models.PositiveIntegerField()  # of the template, when it was sealed
    head = models.BinaryField()
    digest = models.CharField(max_length=64)  # of the document (lattice.changes.digests)
    summary = models.JSONField(default=dict)
    signed_by = models.CharField(max_length=120, default="")
    signed_user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    signed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-number",)
        constraints = (models.UniqueConstraint(fields=["template", "number"], name="one_revision_a_number"),)

    def __str__(self) -> str:
        return f"{self.template} {self.number}"


class Tick(models.Model):
    """An approval of a section; valid while the section's digest is the approved one."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="ticks")
    section = models.CharField(max_length=64)  # its id; "" for strips without one
    digest = models.CharField(max_length=64)
    by = models.CharField(max_length=120)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("pk",)
        constraints = (models.UniqueConstraint(fields=["template", "section"], name="one_tick_a_section"),)

    def __str__(self) -> str:
        return f"{self.section or 'no section'}: {self.by}"


class Pack(Job):
    """A release pack of a revision: made in the background, with progress, and kept when it is whole."""

    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="packs")
    content = models.BinaryField(default=bytes)

    def __str__(self) -> str:
        return f"{self.revision}: {self.state}"
