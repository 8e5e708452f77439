"""Stored data: templates as whole documents, and the history of their edits."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from functools import cached_property

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models

from lattice.changes.patch import Patch
from web.people.models import Team
from web.people.roles import Role


class WithoutBases(models.Manager["StoredTemplate"]):
    """Templates without the base of variants, and without spent ids: few queries need those."""

    def get_queryset(self) -> models.QuerySet[StoredTemplate]:
        return super().get_queryset().defer("variant_base", "spent")


class StoredTemplate(models.Model):
    """One template of a person or a team: its head as a document, and a version that every write raises."""

    # The owner: its creator or the user it was transferred to; a team's template is the team's, whatever its creator.
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="templates")
    team = models.ForeignKey(Team, null=True, on_delete=models.PROTECT, related_name="templates")
    name = models.CharField(max_length=120)  # the document's, so that the shelf needs no decoding
    head = models.BinaryField()
    version = models.PositiveIntegerField(default=1)
    slots = models.BinaryField(default=bytes)  # positions of strips on the map
    remarked = models.PositiveIntegerField(default=0)  # count of changes to comments
    summary = models.JSONField(default=dict)  # findings by severity, strips and routes, for the shelf
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)
    deleted_at = models.DateTimeField(null=True)
    revision = models.PositiveIntegerField(default=0)  # the newest sealed one, 0 for none
    released = models.PositiveIntegerField(default=0)  # the newest that is signed off
    sealed_version = models.PositiveIntegerField(default=0)  # at which the newest was sealed
    variant_base = models.BinaryField(default=bytes)  # the original when both were last equal
    is_offered = models.BooleanField(default=False)  # a transfer that its recipient has not accepted yet
    spent = models.TextField(default="", blank=True)  # ids of pieces that were removed, with a space before each
    variant_of = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="variants")

    objects = WithoutBases()
    # The requesting user, and their role (web.shelf.access); None without a request.
    asked_by: User | None = None
    role: Role | None = None
    origin: StoredTemplate | None = None  # the original, if the user may see it
    tags: Sequence[str] = ()  # of the requesting user, in their list
    opened_at: datetime | None = None

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

    @cached_property
    def map_view(self) -> MapView | None:
        """The map as the user has it; None if it is in its initial view."""
        views = MapView.objects.filter(template=self.pk, user=self.asked_by)
        return views.first() if self.asked_by is not None else None

    @property
    def folded(self) -> list[str] | None:
        """Sections that the user has collapsed on their map; None if it is in its initial view."""
        return None if self.map_view is None else self.map_view.folded


class MapView(models.Model):
    """A user's view of a map: collapsed sections, hidden kinds. Positions of strips belong to the template."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="views")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="map_views")
    folded = models.JSONField()
    hidden_kinds = models.JSONField(default=list)  # of strips
    hidden_routes = models.JSONField(default=list)
    name = models.CharField(max_length=120, default="", blank=True)  # of the template's view that it is

    class Meta:
        constraints = (models.UniqueConstraint(fields=["template", "user"], name="one_view_a_person"),)

    def __str__(self) -> str:
        return f"{self.template} as {self.user} sees it"


class ShelfEntry(models.Model):
    """A template in the list of one user: their tags for it, and when they opened it last."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="entries")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="shelf_entries")
    tags = models.JSONField(default=list)
    opened_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["template", "user"], name="one_entry_a_person"),)

    def __str__(self) -> str:
        return f"{self.template} in the list of {self.user}"


class Share(models.Model):
    """A role on one template, for a user who is not its owner."""

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="shares")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="shares")
    role = models.CharField(max_length=7, choices=Role.choices)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("user__username",)
        constraints = (models.UniqueConstraint(fields=["template", "user"], name="one_role_a_person"),)

    def __str__(self) -> str:
        return f"{self.user} on {self.template}: {self.role}"


class KeptProfile(models.Model):
    """A delivery profile, saved by its name for a user's other templates."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="profiles")
    name = models.CharField(max_length=120)
    figures = models.JSONField()  # the fields of a profile, as in a document

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=["owner", "name"], name="one_profile_a_name"),)

    def __str__(self) -> str:
        return self.name


class KeptInventory(models.Model):
    """The contents of one machine: plug-ins with versions, names of physical channels; of a user, for all templates."""

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
    """One write: an edit with the patch it made, or the undoing or redoing of one. Never removed.

    All that changes of it is whether it is undone.
    """

    EDIT, UNDO, REDO = "edit", "undo", "redo"

    template = models.ForeignKey(StoredTemplate, on_delete=models.CASCADE, related_name="journal")
    kind = models.CharField(max_length=4, choices=[(EDIT, "edit"), (UNDO, "undo"), (REDO, "redo")])
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    version = models.PositiveIntegerField()  # of the template after it
    label = models.CharField(max_length=300)
    patch = models.BinaryField(default=bytes)  # lattice.changes.Patch from the state before it; empty where unknown
    of = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")  # the edit undone or redone
    # Where a state that did not read was left behind: the version whose state it brought back.
    state_of = models.PositiveIntegerField(null=True)
    is_undone = models.BooleanField(default=False)  # of edits: undone, and not redone since

    class Meta:
        ordering = ("pk",)
        constraints = (models.UniqueConstraint(fields=["template", "version"], name="one_entry_a_version"),)
        indexes = (models.Index(fields=["template", "by", "kind"]),)

    def __str__(self) -> str:
        return f"{self.version}: {self.label}"

    @property
    def change(self) -> Patch | None:
        """The patch of the document. Old entries of undos have none: they always reverted the last edit."""
        if self.patch:
            return Patch.load(bytes(self.patch))
        if self.kind == self.EDIT or self.of is None:
            return None
        patch = Patch.load(bytes(self.of.patch))
        return patch.inverse() if self.kind == self.UNDO else patch
