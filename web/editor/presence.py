"""Users with a template open now. It is in memory: the application is one process, and no record is needed."""

from __future__ import annotations

from threading import Lock
from time import monotonic
from typing import NamedTuple

from django.contrib.auth.models import User

from web.accounts.names import name_of

GONE_S = 10  # without a word from their page


class Here(NamedTuple):
    """A user with the template open, and the page."""

    name: str
    place: str

    @property
    def initials(self) -> str:
        return "".join(word[0] for word in self.name.split()[:3]).upper()


_seen: dict[int, dict[int, tuple[float, Here]]] = {}  # template → user → time of the last request
_lock = Lock()


def forget_everybody() -> None:
    """As after a restart."""
    with _lock:
        _seen.clear()


def others_here(template: int, user: User, place: str) -> list[Here]:
    """Note that a user has a template open; returns the others, by name."""
    now = monotonic()
    with _lock:
        there = _seen.setdefault(template, {})
        there[user.pk] = now, Here(name_of(user), place)
        for person in [person for person, (when, _here) in there.items() if now - when > GONE_S]:
            del there[person]
        return sorted(here for person, (_when, here) in there.items() if person != user.pk)
