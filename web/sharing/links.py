"""The page of a share link: one revision's map, report and pack, and no other page."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from lattice.model.names import slug
from web.accounts.models import digest_of
from web.revisions.models import Pack
from web.revisions.pack import facts_of, report_in_pack
from web.revisions.reports import map_svg
from web.revisions.services import workspace_of
from web.revisions.tasks import begin_pack_of
from web.revisions.views import pack_of
from web.shared.downloads import as_file
from web.sharing.models import RevisionLink


def by_link(view: Callable[[HttpRequest, RevisionLink, str], HttpResponse]) -> Callable[..., HttpResponse]:
    """For valid links; an invalid one gives no reason. Search engines do not index it."""

    @login_not_required
    @require_safe
    @wraps(view)
    def asked(request: HttpRequest, token: str, **_named: Any) -> HttpResponse:
        links = RevisionLink.objects.select_related("revision__template", "by")
        found = links.filter(digest=digest_of(token)).first()
        if found is None or not found.is_good:
            raise Http404
        response = view(request, found, token)
        response["X-Robots-Tag"], response["Cache-Control"] = "noindex, nofollow", "no-store"
        response["Referrer-Policy"] = "no-referrer"  # the address is the key
        return response

    return asked


@by_link
def link(request: HttpRequest, found: RevisionLink, token: str) -> HttpResponse:
    revision = found.revision
    space = workspace_of(revision)
    facts = facts_of(revision, space.template)
    context = {
        "link": found, "revision": revision, "facts": facts, "summary": space.audit.summary, "token": token,
        "has_pack": revision.packs.filter(state=Pack.DONE).exists(),
    }  # fmt: skip
    return render(request, "sharing/link.html", context)


@by_link
def link_map(_request: HttpRequest, found: RevisionLink, _token: str) -> HttpResponse:
    """The map as a picture with its own styles: the page allows no inline ones."""
    space = workspace_of(found.revision)
    answer = HttpResponse(map_svg(space, facts_of(found.revision, space.template)), content_type="image/svg+xml")
    # As a file it may have its own styles, and nothing else: no script, and no other source.
    answer["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'"
    return answer


@by_link
def link_report(request: HttpRequest, found: RevisionLink, _token: str) -> HttpResponse:
    """The report out of the pack, which the worker makes: a page without an account costs the server nothing."""
    revision = found.revision
    made = report_in_pack(revision)
    if made is None:
        begin_pack_of(revision)
        words = "The report is being created. Reload this page in a minute."
        return render(request, "shared/message.html", {"title": "Report in progress", "words": words}, status=202)
    return as_file(
        made, f"{slug(revision.template.name)}-r{revision.number}-report.pdf", "application/pdf", is_shown=True
    )


@by_link
def link_pack(_request: HttpRequest, found: RevisionLink, _token: str) -> HttpResponse:
    return pack_of(found.revision)


@login_not_required
@require_safe
def robots(_request: HttpRequest) -> HttpResponse:
    """Nothing here is for search engines."""
    return HttpResponse("User-agent: *\nDisallow: /\n", content_type="text/plain")
