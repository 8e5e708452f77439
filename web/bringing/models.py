"""What somebody has brought, until it is kept; and what they said of tables, for the next one with the same heads."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from web.shelf.models import StoredTemplate


class Brought(models.Model):
    """A file or a pasted range as it was brought, with what a person chose so far. Nothing of it is on the shelf."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="brought")
    name = models.CharField(max_length=120)  # of what it becomes
    content = models.BinaryField()
    choices = models.JSONField(default=dict)  # lattice.formats.tables.choices.Choices
    remembered = models.BooleanField(default=False)  # whether they come from an earlier table with the same heads
    into = models.ForeignKey(StoredTemplate, null=True, on_delete=models.CASCADE, related_name="+")  # to keep in step
    turned = models.JSONField(default=list)  # keys of differences that are ticked otherwise than at first
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name


class KeptChoices(models.Model):
    """What a person said of a table, for others with the same row of heads."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="table_choices")
    fingerprint = models.CharField(max_length=40)  # of the heads (lattice.formats.tables.choices)
    choices = models.JSONField()
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["owner", "fingerprint"], name="one_choice_a_head_row"),)

    def __str__(self) -> str:
        return self.fingerprint
