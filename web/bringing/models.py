"""Drafts of imports, and users' choices for tables with the same heads."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from contextlib import contextmanager

from django.conf import settings
from django.db import models

from web.shelf.models import StoredTemplate

THIS_RUN = secrets.token_hex(16)


class Brought(models.Model):
    """An imported file or pasted range with the user's choices so far. It is not a template yet."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="brought")
    name = models.CharField(max_length=120)  # of the result
    content = models.BinaryField()
    choices = models.JSONField(default=dict)  # lattice.formats.tables.choices.Choices
    remembered = models.BooleanField(default=False)  # whether they come from an earlier table with the same heads
    into = models.ForeignKey(StoredTemplate, null=True, on_delete=models.CASCADE, related_name="+")  # to keep in step
    turned = models.JSONField(default=list)  # keys of differences that are ticked otherwise than at first
    read_by = models.CharField(max_length=32, default="")  # the run of the server that reads it, or did when it ended
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name

    @property
    def ended_a_server(self) -> bool:
        """Return whether the server ended while reading it: then it is not read again without a request."""
        return self.read_by not in ("", THIS_RUN)

    @contextmanager
    def being_read(self) -> Iterator[None]:
        """Marks it during the reading, so that it cannot end the server twice."""
        mine = type(self)._default_manager.filter(pk=self.pk)
        mine.update(read_by=THIS_RUN)
        try:
            yield
        finally:
            mine.update(read_by="")


class KeptChoices(models.Model):
    """A user's choices for a table, for others with the same row of heads."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="table_choices")
    fingerprint = models.CharField(max_length=40)  # of the heads (lattice.formats.tables.choices)
    choices = models.JSONField()
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["owner", "fingerprint"], name="one_choice_a_head_row"),)

    def __str__(self) -> str:
        return self.fingerprint


class Recordings(models.Model):
    """Recordings that are being measured, one file after the other; the files themselves are not kept."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="recordings")
    into = models.ForeignKey(StoredTemplate, null=True, on_delete=models.CASCADE, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"recordings {self.pk}"


class Recording(models.Model):
    """The measurements of one recording, or the reason for missing ones."""

    WAITING, MEASURING = "waiting", "measuring"

    of = models.ForeignKey(Recordings, on_delete=models.CASCADE, related_name="files")
    state = models.CharField(max_length=9, default="", blank=True)  # nothing: it is measured, or cannot be
    name = models.CharField(max_length=500)  # of the file, without its ending
    layout = models.CharField(max_length=20, default="")
    rate_hz = models.PositiveIntegerField(default=0)
    seconds = models.FloatField(default=0)
    sample_peak_dbfs = models.FloatField(null=True)
    peak_dbfs = models.FloatField(null=True)  # the true peak; null: it does not sound
    rms_dbfs = models.FloatField(null=True)
    said = models.CharField(max_length=300, default="")  # why it could not be measured

    class Meta:
        ordering = ("name", "pk")
        constraints = (models.UniqueConstraint(fields=["of", "name"], name="one_recording_a_name"),)

    def __str__(self) -> str:
        return self.name
