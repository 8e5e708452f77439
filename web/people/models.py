"""Teams, which templates may belong to."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from web.people.roles import Role


class Team(models.Model):
    """Users who work on templates together; the team's templates are listed for every member."""

    name = models.CharField(max_length=120, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class Member(models.Model):
    """A member of a team, and the role on all of its templates."""

    team = models.ForeignKey(Team, on_delete=models.CASCADE, related_name="members")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=7, choices=Role.choices)
    since = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("user__username",)
        constraints = (models.UniqueConstraint(fields=["team", "user"], name="once_in_a_team"),)

    def __str__(self) -> str:
        return f"{self.user} in {self.team}: {self.role}"
