"""Sessions end by their age, by idle time, and everywhere if the user ends them."""

from __future__ import annotations

from collections.abc import Callable
from time import time

from django.conf import settings
from django.contrib.auth import logout
from django.contrib.auth.models import User
from django.db.models import F
from django.http import HttpRequest, HttpResponse

from web.accounts.models import Account

Answer = Callable[[HttpRequest], HttpResponse]
BEGAN, SEEN, GENERATION = "began", "seen", "generation"
NOTED_EVERY_S = 60  # accuracy of the time of the last activity
ASKED_BY_PAGES = ("/news/", "/progress/")  # what an open page asks by itself is nothing that somebody does


def begin(request: HttpRequest, user: User) -> None:
    """Notes when a session began, and of which generation it is."""
    request.session[BEGAN] = request.session[SEEN] = int(time())
    request.session[GENERATION] = generation_of(user)


def generation_of(user: User) -> int:
    """Which sessions of a person are good now."""
    return Account.objects.filter(user=user).values_list("generation", flat=True).first() or 0


def end_all(user: User) -> None:
    """Ends all sessions of a person that have begun."""
    Account.objects.get_or_create(user=user)
    Account.objects.filter(user=user).update(generation=F("generation") + 1)


class SessionEnds:
    """Signs out whose session is over, before anything is looked at."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if isinstance(request.user, User):
            if is_over(request, request.user):
                logout(request)
            elif not request.path.endswith(ASKED_BY_PAGES) and time() - request.session.get(SEEN, 0) > NOTED_EVERY_S:
                request.session[SEEN] = int(time())
        return self.get_response(request)


def is_over(request: HttpRequest, user: User) -> bool:
    """Return whether a session is too old, was left alone too long, or was ended with all of its person's."""
    now = time()
    session, account = request.session, getattr(user, "account", None)  # asked for with the user
    if BEGAN not in session:  # from before sessions noted it
        begin(request, user)
    return bool(
        now - session[BEGAN] > settings.SESSION_LASTS_S
        or now - session.get(SEEN, session[BEGAN]) > settings.SESSION_IDLE_S
        or session.get(GENERATION, 0) != (account.generation if account is not None else 0)
    )
