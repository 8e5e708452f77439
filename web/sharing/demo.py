"""The demo's people: a team, a reader, and a remark on the loop of Night Ferry."""

from __future__ import annotations

from django.contrib.auth.models import User

from web.people.models import Member
from web.people.roles import Role
from web.remarks import services as remarks
from web.sharing import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

TEAM = "Harbour stage"
REMARK = "This feeds back through the echo. Is the send intended, or left over from the rehearsal?"
ANSWER = "Left over. I remove it when the bells are done."


def with_people(ferry: StoredTemplate, podcast: StoredTemplate, second: User, reader: User) -> None:
    """The templates of a team, its read-only members, and the comments on the loop."""
    owner = ferry.owner
    team = services.make_team(owner, TEAM)
    Member.objects.create(team=team, user=second, role=Role.EDITOR)
    services.hand_over(podcast.pk, owner, team.pk)
    services.give_role(ferry.pk, owner, reader.get_username(), Role.READER)
    space = workspace(ferry)
    strip = next(f.strips[0] for f in space.audit.findings if f.code == "loop.audio")
    called = remarks.about(space, "strip", strip)
    thread = remarks.begin(ferry, second, "strip", strip, called, REMARK)
    remarks.answer(thread, owner, ANSWER)
