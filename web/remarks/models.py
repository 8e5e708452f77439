"""Comments: short threads on a part of a template, open or resolved."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from web.shelf.models import StoredTemplate

LONGEST = 4000


class Remark(models.Model):
    """A thread on one thing of a template."""

    KINDS = ("strip", "route", "matter", "stem", "revision")

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="remarks")
    kind = models.CharField(max_length=8)
    subject = models.CharField(max_length=64)  # its id; of a matter its key, of a revision its number
    about = models.CharField(max_length=200)  # its name when the thread began
    is_open = models.BooleanField(default=True)
    settled_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    settled_at = models.DateTimeField(null=True)
    changed_in = models.PositiveIntegerField(default=0)  # the template's `remarked` when something happened to it last

    class Meta:
        ordering = ("-is_open", "-pk")
        indexes = (models.Index(fields=["template", "is_open"]),)

    def __str__(self) -> str:
        return self.about


class Line(models.Model):
    """One comment of a thread. Never changed, never deleted."""

    remark = models.ForeignKey(Remark, on_delete=models.CASCADE, related_name="lines")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    text = models.CharField(max_length=LONGEST)

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.text[:60]


class RemarkRule(models.Model):
    """Return whether releases of a template require that no comment is open."""

    template = models.OneToOneField(StoredTemplate, on_delete=models.CASCADE, related_name="remark_rule")
    is_required = models.BooleanField(default=False)

    def __str__(self) -> str:
        return f"{self.template}: {'required' if self.is_required else 'not required'}"
