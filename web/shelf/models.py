"""What is kept: templates as whole documents, and the journal of their edits."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class WithoutBases(models.Manager["StoredTemplate"]):
    """Templates without what variants began as, which only carrying over asks for."""

    def get_queryset(self) -> models.QuerySet[StoredTemplate]:
        return super().get_queryset().defer("variant_base")


class StoredTemplate(models.Model):
    """One template of one person: its head as a document, and a version that every write raises."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="templates")
    name = models.CharField(max_length=120)  # the document's, so that the shelf needs no decoding
    head = models.BinaryField()
    version = models.PositiveIntegerField(default=1)
    cursor = models.ForeignKey("JournalEntry", null=True, on_delete=models.SET_NULL, related_name="+")
    slots = models.BinaryField(default=bytes)  # where strips stand on the map
    folded = models.JSONField(null=True)  # sections folded on the map; null: as it opens
    summary = models.JSONField(default=dict)  # findings by severity, strips and routes, for the shelf
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)
    deleted_at = models.DateTimeField(null=True)
    revision = models.PositiveIntegerField(default=0)  # the newest sealed one, 0 for none
    released = models.PositiveIntegerField(default=0)  # the newest that is signed off
    sealed_version = models.PositiveIntegerField(default=0)  # at which the newest was sealed
    variant_base = models.BinaryField(default=bytes)  # what it is a variant of, as that was when they were last alike
    variant_of = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="variants")

    objects = WithoutBases()

    class Meta:
        ordering = ("-changed_at", "-pk")
        indexes = (models.Index(fields=["owner", "deleted_at"]),)

    def __str__(self) -> str:
        return self.name

    @property
    def state(self) -> str:
        """“revision 3, released”, “in work since revision 3, edit 41”."""
        if not self.revision:
            return f"in work, edit {self.version - 1}"
        if self.version != self.sealed_version:
            return f"in work since revision {self.revision}, edit {self.version - 1}"
        return f"revision {self.revision}, {'released' if self.released == self.revision else 'sealed'}"


class KeptProfile(models.Model):
    """What a delivery asks for, kept by its name for a person's other templates."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="profiles")
    name = models.CharField(max_length=120)
    figures = models.JSONField()  # the fields of a profile, as in a document

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=["owner", "name"], name="one_profile_a_name"),)

    def __str__(self) -> str:
        return self.name


class KeptInventory(models.Model):
    """What one machine has: plug-ins with versions, names of physical channels; of a person, for all templates."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="inventories")
    name = models.CharField(max_length=120)
    content = models.JSONField()  # lattice.model.inventory.Inventory
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=["owner", "name"], name="one_inventory_a_name"),)

    def __str__(self) -> str:
        return self.name


class JournalEntry(models.Model):
    """One write: an edit with the patch it made, or the undoing or redoing of one. Never changed, never removed."""

    EDIT, UNDO, REDO = "edit", "undo", "redo"

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="journal")
    kind = models.CharField(max_length=4, choices=[(EDIT, "edit"), (UNDO, "undo"), (REDO, "redo")])
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    version = models.PositiveIntegerField()  # of the template after it
    label = models.CharField(max_length=300)
    patch = models.BinaryField(default=bytes)  # of edits: lattice.edits.Patch; its inverse undoes it
    before = models.ForeignKey(
        "self", null=True, on_delete=models.SET_NULL, related_name="after"
    )  # the edit it stands on
    of = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")  # the edit undone or redone

    class Meta:
        ordering = ("pk",)
        constraints = (models.UniqueConstraint(fields=["template", "version"], name="one_entry_a_version"),)

    def __str__(self) -> str:
        return f"{self.version}: {self.label}"
