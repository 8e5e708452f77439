"""Who may do what with a template: one table, asked in `web.shelf.access`, shown on the page *Roles*."""

from __future__ import annotations

from typing import NamedTuple

from django.db import models


class Role(models.TextChoices):
    """What somebody is to a template; each may all that those before it may."""

    READER = "reader", "Reader"
    CHECKER = "checker", "Checker"
    EDITOR = "editor", "Editor"
    OWNER = "owner", "Owner"

    @property
    def rank(self) -> int:
        return list(Role).index(self)

    def may(self, action: str) -> bool:
        """Whether the role may do something."""
        return self.rank >= ACTIONS[action].least.rank


class Action(NamedTuple):
    """Something that can be done with a template, and from which role on."""

    least: Role
    words: str


ACTIONS: dict[str, Action] = {
    "look": Action(Role.READER, "look at every page"),
    "export": Action(Role.READER, "take it out: documents, papers, packs, sound"),
    "tick": Action(Role.CHECKER, "tick sections off"),
    "waive": Action(Role.CHECKER, "answer findings: waive them, and take that back"),
    "answer": Action(Role.CHECKER, "answer readings of prints, for the fix list"),
    "remark": Action(Role.CHECKER, "make remarks, and settle them"),
    "edit": Action(Role.EDITOR, "edit, undo, bring in, put right"),
    "seal": Action(Role.EDITOR, "seal revisions and sign them off"),
    "remove": Action(Role.EDITOR, "take it off the shelf, and put it back"),
    "give": Action(Role.OWNER, "give roles, hand it to a team, make links for others"),
}
