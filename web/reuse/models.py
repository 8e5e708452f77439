"""Blocks on the shelf, and where each was put in."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from web.shelf.models import StoredTemplate


class KeptBlock(models.Model):
    """A block of a person, under a name; keeping another one under it makes the next version."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="blocks")
    name = models.CharField(max_length=120)
    content = models.JSONField()  # lattice.formats.block_json
    version = models.PositiveIntegerField(default=1)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=["owner", "name"], name="one_block_a_name"),)

    def __str__(self) -> str:
        return self.name


class BlockUse(models.Model):
    """A block in a template: the strips here by those of the block."""

    block = models.ForeignKey(KeptBlock, on_delete=models.CASCADE, related_name="uses")
    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="block_uses")
    version = models.PositiveIntegerField()  # of the block
    content = models.JSONField()  # the block at that version
    ids = models.JSONField()  # strip of the block → strip there
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.block} in {self.template}"
