"""The data of the bench: kits, readings of prints, test tones, measured prints of a programme."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models

from lattice.bench.tone import Wanted
from web.shared.jobs import Job
from web.shelf.models import StoredTemplate


class StoredKit(models.Model):
    """A pilot kit of one version of a template; its expected values are stored with it."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="kits")
    version = models.PositiveIntegerField()  # of the template, when it was made
    digest = models.CharField(max_length=64)  # of the document (lattice.changes.digests)
    head = models.BinaryField()
    content = models.BinaryField()  # kit.json
    slots = models.PositiveIntegerField()
    seconds = models.FloatField()
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.template}: {self.slots} slots"


class FilesJob(Job):
    """Work on files that were sent: they lie in a folder of its own until it is done."""

    GATHERING = "gathering"  # files are still being sent; no worker looks at it

    # The user who began it: its files count for them, whatever the owner of the template.
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta(Job.Meta):
        abstract = True

    @property
    def folder(self) -> Path:
        """Where its files lie; it may not be there."""
        return Path(settings.PRINTS) / f"{type(self).__name__.lower()}-{self.pk}"

    @property
    def files(self) -> list[Path]:
        """Its files by name, those that are still coming left out."""
        if not self.folder.is_dir():
            return []
        return sorted(
            (path for path in self.folder.iterdir() if path.suffix != ".part"), key=lambda path: path.name.casefold()
        )

    def forget_files(self) -> None:
        """Takes its files away."""
        for path in self.folder.iterdir() if self.folder.is_dir() else ():
            path.unlink()
        if self.folder.is_dir():
            self.folder.rmdir()

    def delete(self, *args: Any, **wanted: Any) -> tuple[int, dict[str, int]]:
        """With its files."""
        self.forget_files()
        return super().delete(*args, **wanted)


class Reading(FilesJob):
    """A reading of prints of a kit, or of a simulated session."""

    kit = models.ForeignKey(StoredKit, on_delete=models.CASCADE, related_name="readings")
    stand_in = models.JSONField(null=True)  # its faults; None: real prints
    assigned = models.JSONField(default=dict)  # name of a file → stem, as the user chose it
    keeps_files = models.BooleanField(default=False)
    content = models.JSONField(default=dict)  # summary, findings with suspects, prints, slots
    answers = models.JSONField(default=dict)  # matter → "session", "done" or "map"

    def __str__(self) -> str:
        return f"{self.kit}: {self.state}"


class BenchRule(models.Model):
    """Return whether releases of a template require a clean reading."""

    template = models.OneToOneField(StoredTemplate, on_delete=models.CASCADE, related_name="bench_rule")
    is_required = models.BooleanField(default=False)

    def __str__(self) -> str:
        return f"{self.template}: {'required' if self.is_required else 'not required'}"


class ToneRun(FilesJob):
    """A test tone through one state of a template; a recording that it plays stays with it."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="tones")
    version = models.PositiveIntegerField()
    asked = models.JSONField(default=dict)
    content = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"{self.template}: {self.state}"

    def wanted(self, seconds: float) -> Wanted:
        """The signal and its length."""
        files = self.files
        return Wanted(self.asked["signal"], self.asked["level_dbfs"], seconds, files[0] if files else None)


class Programme(FilesJob):
    """Prints of a programme: loudness, peaks, and whether stems add up."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="programmes")
    version = models.PositiveIntegerField()
    content = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"{self.template}: {self.state}"
