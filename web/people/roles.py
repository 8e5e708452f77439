"""Permissions on a template: one table, used by `web.shelf.access` and shown on the page *Roles*."""

from __future__ import annotations

from typing import NamedTuple

from django.db import models


class Role(models.TextChoices):
    """The role of a user on a template; each has the permissions of those before it."""

    READER = "reader", "Viewer"
    CHECKER = "checker", "Reviewer"
    EDITOR = "editor", "Editor"
    OWNER = "owner", "Owner"

    @property
    def rank(self) -> int:
        return list(Role).index(self)

    def may(self, action: str) -> bool:
        """Return whether the role may do something."""
        return self.rank >= ACTIONS[action].least.rank


class Action(NamedTuple):
    """Something that can be done with a template, and from which role on."""

    least: Role
    words: str


ACTIONS: dict[str, Action] = {
    "look": Action(Role.READER, "view every page"),
    "export": Action(Role.READER, "download documents, packs, audio"),
    "tick": Action(Role.CHECKER, "approve sections"),
    "waive": Action(Role.CHECKER, "waive findings and remove waivers"),
    "answer": Action(Role.CHECKER, "resolve issues of readings, with the fix list"),
    "remark": Action(Role.CHECKER, "write and resolve comments"),
    "edit": Action(Role.EDITOR, "edit, undo, import, apply fixes"),
    "seal": Action(Role.EDITOR, "create revisions and sign them off"),
    "remove": Action(Role.EDITOR, "delete and restore the template"),
    "give": Action(Role.OWNER, "manage roles, transfer, share"),
}
