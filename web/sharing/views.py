"""Permissions on a template: its page *People*, teams, the table of roles."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from lattice.errors import DocumentError
from web.accounts.shown_once import show_once, to_show
from web.accounts.signed_in import signed_in_user
from web.editor.places.base import PLACES
from web.editor.presenting import frame
from web.people.models import Team
from web.people.roles import ACTIONS, Role
from web.remarks.services import is_required, threads
from web.shared.numbers import number_of
from web.sharing import services
from web.sharing.models import RevisionLink
from web.shelf.access import template_or_404
from web.shelf.models import StoredTemplate

SHOWN_ENTRIES = 100


def _page(request: HttpRequest, stored: StoredTemplate, status: int = 200, **said: Any) -> HttpResponse:
    user = signed_in_user(request)
    links = RevisionLink.objects.filter(revision__template=stored).select_related("revision__template", "by")
    context = {
        **frame(request, stored), "place": "people", "here": PLACES["people"],
        "members": stored.team.members.select_related("user") if stored.team else [],
        "shares": stored.shares.select_related("user"),
        "roles": Role.choices,
        "may_give": stored.role is not None and stored.role.may("give"),
        "may_edit": stored.role is not None and stored.role.may("edit"),
        "teams": Team.objects.filter(members__user=user),
        "link": to_show(request),
        "links": [link for link in links if link.is_good],
        "revisions": stored.revisions.defer("head"),
        "open_remarks": threads(stored).filter(is_open=True)[:20],
        "asks_for_no_remark": is_required(stored),
        "entries": stored.journal.select_related("by").defer("patch").order_by("-pk")[:SHOWN_ENTRIES],
        **said,
    }  # fmt: skip
    return render(request, "sharing/people.html", context, status=status)


def _done(request: HttpRequest, pk: int, work: Callable[[], object], *, leaves: bool = False) -> HttpResponse:
    """Write and redirect, to Templates after leaving; a refusal is shown on the page."""
    try:
        work()
    except DocumentError as wrong:
        return _page(request, template_or_404(request, pk, "look"), 422, problems=wrong.problems)
    return redirect("shelf") if leaves else redirect("people", pk)


@require_safe
def people(request: HttpRequest, pk: int) -> HttpResponse:
    return _page(request, template_or_404(request, pk))


@require_POST
def give_role(request: HttpRequest, pk: int) -> HttpResponse:
    template_or_404(request, pk, "give")
    name, role = request.POST.get("name", ""), request.POST.get("role", "")
    return _done(request, pk, lambda: services.give_role(pk, signed_in_user(request), name, role))


@require_POST
def take_role(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    user = signed_in_user(request)
    leaves = number == user.pk
    template_or_404(request, pk, "look" if leaves else "give")
    return _done(request, pk, lambda: services.take_role(pk, user, number), leaves=leaves)


@require_POST
def hand_over(request: HttpRequest, pk: int) -> HttpResponse:
    template_or_404(request, pk, "give")
    user, team = signed_in_user(request), number_of(request.POST.get("team", ""))
    return _done(request, pk, lambda: services.hand_over(pk, user, team or None, request.POST.get("name", "")))


@require_POST
def make_link(request: HttpRequest, pk: int) -> HttpResponse:
    """Makes a link to a revision; its address is shown this once."""
    stored = template_or_404(request, pk, "give")
    number, days = (number_of(request.POST.get(name, "")) for name in ("revision", "days"))
    try:
        link, token = services.make_link(pk, signed_in_user(request), number, request.POST.get("note", ""), days)
    except DocumentError as wrong:
        return _page(request, stored, 422, problems=wrong.problems)
    words = f"Link to revision {link.revision.number} for {link.note}, valid until {link.until:%Y-%m-%d}"
    show_once(request, words, reverse("link", args=[token]))
    return redirect("people", pk)


@require_POST
def revoke_link(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    template_or_404(request, pk, "give")
    return _done(request, pk, lambda: services.revoke_link(pk, signed_in_user(request), number))


# teams and roles


@require_http_methods(["GET", "HEAD", "POST"])
def teams(request: HttpRequest) -> HttpResponse:
    """The teams that one is in, and making one."""
    user = signed_in_user(request)
    problems: tuple[str, ...] = ()
    if request.method == "POST":
        try:
            return redirect("team", services.make_team(user, request.POST.get("name", "")).pk)
        except DocumentError as wrong:
            problems = wrong.problems
    known = Team.objects.filter(members__user=user).prefetch_related("members__user")
    return render(
        request, "sharing/teams.html", {"teams": known, "problems": problems}, status=422 if problems else 200
    )


def _team(request: HttpRequest, number: int) -> Team:
    found: Team = get_object_or_404(Team.objects.filter(members__user=signed_in_user(request)), pk=number)
    return found


def _team_page(request: HttpRequest, team: Team, status: int = 200, **said: Any) -> HttpResponse:
    members = list(team.members.select_related("user"))
    context = {
        "team": team, "members": members, "roles": Role.choices,
        "is_owner": any(one.user == request.user and one.role == Role.OWNER for one in members),
        "templates": team.templates.filter(deleted_at=None).only("name"),
        **said,
    }  # fmt: skip
    return render(request, "sharing/team.html", context, status=status)


@require_safe
def team(request: HttpRequest, number: int) -> HttpResponse:
    return _team_page(request, _team(request, number))


@require_POST
def set_member(request: HttpRequest, number: int) -> HttpResponse:
    found = _team(request, number)
    try:
        services.set_member(found, signed_in_user(request), request.POST.get("name", ""), request.POST.get("role", ""))
    except DocumentError as wrong:
        return _team_page(request, found, 422, problems=wrong.problems)
    return redirect("team", number)


@require_POST
def remove_member(request: HttpRequest, number: int, person: int) -> HttpResponse:
    found = _team(request, number)
    try:
        services.remove_member(found, signed_in_user(request), person)
    except DocumentError as wrong:
        return _team_page(request, found, 422, problems=wrong.problems)
    return redirect("teams") if person == request.user.pk else redirect("team", number)


@require_safe
def roles(request: HttpRequest) -> HttpResponse:
    """The table that everything asks."""
    rows = [(action.words, [role.may(name) for role in Role]) for name, action in ACTIONS.items()]
    return render(request, "sharing/roles.html", {"roles": Role.choices, "rows": rows})
