"""Guessing of passwords is slowed at its source; one user cannot lock another out of their account.

Wrong passwords are counted for a name from one address, for one address, and for a name from anywhere. The last has a
much higher limit, and does not stop a browser in which that account has signed in before.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from axes.attempts import get_cool_off_threshold
from axes.handlers.database import AxesDatabaseHandler
from axes.helpers import get_client_username
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth.models import User
from django.core import signing
from django.db.models import Sum
from django.http import HttpRequest, HttpResponse

from web.shared.full_disk import written_if_there_is_room

KNOWN = "known"  # cookie: accounts that have signed in in this browser
KNOWN_FOR_S = 180 * 24 * 3600
MOST_KNOWN = 20  # accounts a browser
# Wrong passwords within the time of AXES_COOLOFF_TIME.
OF_NAME_AND_ADDRESS = 15
OF_ADDRESS = 30
OF_NAME = 300


class Throttle(AxesDatabaseHandler):  # type: ignore[misc]
    """The counts of axes, three of them with a limit each."""

    def get_failures(self, request: HttpRequest, credentials: dict[str, Any] | None = None) -> int:
        """Wrong passwords as a part of AXES_FAILURE_LIMIT, by whichever count is nearest to its limit."""
        name, address = get_client_username(request, credentials), request.axes_ip_address  # type: ignore[attr-defined]
        recent = AccessAttempt.objects.filter(attempt_time__gte=get_cool_off_threshold(request))
        counts = [
            (recent.filter(username=name, ip_address=address), OF_NAME_AND_ADDRESS),
            (recent.filter(ip_address=address), OF_ADDRESS),
        ]
        if name and not is_known(request, name):
            counts.append((recent.filter(username=name), OF_NAME))
        shares = ((counted.aggregate(n=Sum("failures_since_start"))["n"] or 0) / limit for counted, limit in counts)
        return int(settings.AXES_FAILURE_LIMIT * max(shares))

    def user_logged_in(self, sender: Any, request: HttpRequest, user: User, **rest: Any) -> None:
        """Forgets the wrong passwords of that name from there; `KnownBrowsers` then knows the browser."""
        with written_if_there_is_room():
            super().user_logged_in(sender, request, user, **rest)
            AccessAttempt.objects.filter(username=user.get_username(), ip_address=request.axes_ip_address).delete()  # type: ignore[attr-defined]
        request.has_signed_in = user  # type: ignore[attr-defined]


def _known(request: HttpRequest) -> list[int]:
    try:
        found = request.get_signed_cookie(KNOWN, default="", salt=__name__, max_age=KNOWN_FOR_S)
    except signing.BadSignature:
        return []
    return [int(word) for word in (found or "").split(".") if word.isdecimal()]


def is_known(request: HttpRequest, name: str) -> bool:
    """Return whether the account of a name has signed in in this browser."""
    known = _known(request)
    return bool(known) and User.objects.filter(username=name, pk__in=known).exists()


class KnownBrowsers:
    """Gives a browser the cookie by which it is known to an account that has signed in there."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        user = getattr(request, "has_signed_in", None)
        if user is not None:
            known = list(dict.fromkeys((user.pk, *_known(request))))[:MOST_KNOWN]
            response.set_signed_cookie(
                KNOWN, ".".join(map(str, known)), salt=__name__, max_age=KNOWN_FOR_S, httponly=True, samesite="Lax",
                secure=settings.SESSION_COOKIE_SECURE,
            )  # fmt: skip
        return response
