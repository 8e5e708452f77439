"""The administrator's page: accounts, invitations and activity."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST, require_safe

from lattice.errors import EditError
from web.accounts import mail, two_step
from web.accounts.models import Event, Invitation, note
from web.accounts.names import name_of
from web.accounts.sessions import end_all
from web.accounts.shown_once import show_once, to_show
from web.accounts.signed_in import signed_in_user
from web.shared.words import one_line

SHOWN = 200
View = Callable[..., HttpResponse]


def administrators_only(view: View) -> View:
    """For others there is no such page."""

    @wraps(view)
    def asked(request: HttpRequest, *given: Any, **named: Any) -> HttpResponse:
        if not signed_in_user(request).is_staff:
            raise Http404
        return view(request, *given, **named)

    return asked


def _page(request: HttpRequest, status: int = 200, **said: Any) -> HttpResponse:
    kind = request.GET.get("kind", "")
    events = Event.objects.select_related("user")
    context = {
        "people": User.objects.order_by("-is_active", "username"),
        "invitations": [one for one in Invitation.objects.select_related("by")[:SHOWN] if not one.why_not],
        "events": (events.filter(kind=kind) if kind in dict(Event.KINDS) else events)[:SHOWN],
        "kinds": Event.KINDS,
        "kind": kind,
        "link": to_show(request),
        **said,
    }
    return render(request, "accounts/administration.html", context, status=status)


@never_cache
@require_safe
@administrators_only
def administration(request: HttpRequest) -> HttpResponse:
    return _page(request)


@require_POST
@administrators_only
def invite(request: HttpRequest) -> HttpResponse:
    """Makes an invitation; its address is shown this once."""
    try:
        words = one_line(
            request.POST.get("note", ""), "note", "add a note to the invitation, for example the name of the guest"
        )
    except EditError as wrong:
        return _page(request, 422, problems=wrong.problems)
    by = signed_in_user(request)
    _made, token = Invitation.make(by, words, is_administrator=request.POST.get("is_administrator") == "1")
    note(Event.LINK, by, f"{name_of(by)} invited {words}")
    show_once(request, f"Invitation for {words}, valid once, for 7 days", reverse("invitation", args=[token]))
    return redirect("administration")


@require_POST
@administrators_only
def withdraw(request: HttpRequest, number: int) -> HttpResponse:
    one = get_object_or_404(Invitation, pk=number)
    Invitation.objects.filter(pk=one.pk, withdrawn_at=None).update(withdrawn_at=timezone.now())
    return redirect("administration")


@require_POST
@administrators_only
def reset_link(request: HttpRequest, number: int) -> HttpResponse:
    """A link to reset a password; a sign-in or a new password makes it void."""
    user, by = get_object_or_404(User, pk=number, is_active=True), signed_in_user(request)
    note(Event.LINK, by, f"{name_of(by)} created a reset link for {name_of(user)}")
    show_once(request, f"Reset link for {name_of(user)}, valid once", mail.new_password_path(user, by))
    return redirect("administration")


@require_POST
@administrators_only
def change(request: HttpRequest, number: int) -> HttpResponse:
    """Switches an account on or off, makes it an administrator's or not, or takes its second step away."""
    by, what = signed_in_user(request), request.POST.get("what", "")
    with transaction.atomic():
        user = get_object_or_404(User, pk=number)
        others = User.objects.filter(is_active=True, is_staff=True).exclude(pk=user.pk)
        if what in ("off", "plain") and not others.exists():
            return _page(
                request,
                422,
                problems=["At least one administrator is required. Make another account administrator first."],
            )
        fields = {
            "off": {"is_active": False}, "on": {"is_active": True},
            "administrator": {"is_staff": True}, "plain": {"is_staff": False},
        }.get(what)  # fmt: skip
        if fields is not None:
            User.objects.filter(pk=user.pk).update(**fields)
        elif what == "one-step":
            two_step.switch_off(user)
        else:
            raise Http404
        if what == "off":
            end_all(user)
        note(Event.ACCOUNT, user, f"{name_of(by)}: {name_of(user)} {WORDS[what]}")
    return redirect("administration")


WORDS = {
    "off": "is inactive",
    "on": "is active",
    "administrator": "is now administrator",
    "plain": "is not administrator any longer",
    "one-step": "signs in without the second step",
}
