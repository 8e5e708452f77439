"""Writes: edits, fixes, undo and redo, and collapsed sections of the map. Answers have the changes."""

from __future__ import annotations

from collections.abc import Callable
from time import perf_counter

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST
from django_htmx.http import retarget

from lattice.edits import EDITS, edit_named
from lattice.errors import DocumentError
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from web.accounts.names import name_of
from web.accounts.signed_in import signed_in_user
from web.editor.conflicts import context as conflict_context
from web.editor.lists import changes
from web.editor.matter_lists import INTO
from web.editor.matters import offered
from web.editor.panels import CHOICES, chosen
from web.editor.places.base import PLACES
from web.editor.presenting import frame
from web.editor.preview import Holder, Preview, planned
from web.editor.views import place_context
from web.shared.notice import notice
from web.shared.numbers import number_of
from web.shelf import services
from web.shelf.access import template_or_404
from web.shelf.history import StaleVersionError, state_at
from web.shelf.models import StoredTemplate
from web.shelf.sheets import folded_of
from web.shelf.workspace import workspace

TEXT_ANSWER = "editor/place_changed.html"


def base_of(request: HttpRequest) -> int:
    """The version the page shows; nothing is written on a guess."""
    return number_of(request.POST.get("base", ""), -1)


def written(
    request: HttpRequest,
    pk: int,
    work: Callable[[StoredTemplate], StoredTemplate],
    action: str = "edit",
) -> HttpResponse:
    """Does the work and answers with the fragments that change; refusals say why and change nothing."""
    start = perf_counter()
    stored = template_or_404(request, pk, action)
    try:
        stored = work(stored)
    except StaleVersionError as stale:
        return notice(request, "editor/stale.html", conflict_context(stale), 409)
    except DocumentError as error:
        return refused(request, error)
    request.timings["write"] = (perf_counter() - start) * 1000  # type: ignore[attr-defined]
    return changed(request, stored)


def changed(request: HttpRequest, stored: StoredTemplate, *, is_asked: bool = True) -> HttpResponse:
    """Everything on the page that depends on the document; another open panel stays unless requested."""
    start = perf_counter()
    context = frame(request, stored)
    audited = perf_counter()
    here = PLACES.get(request.POST.get("place", ""), PLACES["map"])
    context["answer"] = TEXT_ANSWER if here.shows_detail(request) else here.answer
    lists = here.lists if here.is_listed(request) else None
    if lists is None:
        context |= place_context(request, context, here)
    else:
        said = request.POST.get("shown", "")
        context |= chosen(request, context["space"]) | CHOICES
        # The side panel shows the list already, or another part of it is sent whole.
        context["shows_matters"] = context["panel"] == "findings" and f"{INTO}:" in said
        context["brings_margin"] = is_asked and not context["shows_matters"]
        context |= {"place": here.name, "here": here}
        context["changes"] = changes(*lists(request, context), said)
    response = render(request, "editor/changed.html", context)
    response["X-Version"] = str(stored.version)
    request.timings |= {"audit-layout": (audited - start) * 1000, "draw": (perf_counter() - audited) * 1000}  # type: ignore[attr-defined]
    return response


def refused(request: HttpRequest, error: DocumentError) -> HttpResponse:
    """A refused request and its reason; nothing was changed."""
    return notice(request, "editor/refused.html", {"problems": error.problems}, 422)


def _asked(request: HttpRequest, what: str, template: Template) -> tuple[str, EditStep]:
    """The edit of a form, with its text for the history."""
    wanted = edit_named(what)
    # The name of a waiver is that of the signed-in user, whatever the form has.
    said = {**dict(request.POST.lists()), "by": [name_of(signed_in_user(request))]}
    arguments = wanted.read(said, template)
    for waiver in arguments.get("waivers", ()):
        waiver["by"] = said["by"][0]
    wanted.check(arguments)
    return wanted.words(template, arguments), EditStep(what, arguments)


@require_POST
def write(request: HttpRequest, pk: int, what: str) -> HttpResponse:
    """One edit by its name."""
    if what not in EDITS:
        raise Http404

    def work(stored: StoredTemplate) -> StoredTemplate:
        # The form is read against the document that the page shows.
        seen = state_at(stored, workspace(stored).template, base_of(request))
        label, step = _asked(request, what, seen)
        action = EDITS[what].permission
        return services.edit(pk, signed_in_user(request), base_of(request), label, [step], action)

    return written(request, pk, work, EDITS[what].permission)


def holder(request: HttpRequest, stored: StoredTemplate, version: int) -> Holder:
    """The user, template and version of a preview."""
    return [signed_in_user(request).pk, stored.pk, version]


@require_POST
def preview(request: HttpRequest, pk: int, what: str) -> HttpResponse:
    """The preview of an edit; nothing is written."""
    if what not in EDITS:
        raise Http404
    stored = template_or_404(request, pk, EDITS[what].permission)
    space = workspace(stored)
    try:
        shown = Preview(space, holder(request, stored, stored.version), *_asked(request, what, space.template))
    except DocumentError as error:
        return refused(request, error)
    place = request.POST.get("place", "map")
    context = {"stored": stored, "preview": shown, "strips": request.POST.get("strips", ""), "place": place}
    return retarget(render(request, "editor/panel_preview.html", context), "#panel")


@require_POST
def write_planned(request: HttpRequest, pk: int) -> HttpResponse:
    """The edit that a preview showed, as one step."""

    def work(stored: StoredTemplate) -> StoredTemplate:
        label, step = planned(request.POST.get("planned", ""), holder(request, stored, base_of(request)))
        return services.edit(pk, signed_in_user(request), base_of(request), label, [step])

    return written(request, pk, work)


@require_POST
def remedy(request: HttpRequest, pk: int, fingerprint: str, key: str) -> HttpResponse:
    """Apply a fix of a finding, or of an issue."""

    def work(stored: StoredTemplate) -> StoredTemplate:
        space = workspace(stored)
        for one, remedy in offered(space, fingerprint):
            if remedy.key == key:
                label = f"{one.message}: {remedy.label}"
                # The current finding, whatever was edited since the page was loaded.
                return services.edit(pk, signed_in_user(request), stored.version, label, remedy.steps)
        raise DocumentError(["this finding no longer exists; the list shows current findings"])

    return written(request, pk, work)


@require_POST
def undo(request: HttpRequest, pk: int) -> HttpResponse:
    return written(request, pk, lambda _stored: services.undo(pk, signed_in_user(request), base_of(request)), "waive")


@require_POST
def redo(request: HttpRequest, pk: int) -> HttpResponse:
    return written(request, pk, lambda _stored: services.redo(pk, signed_in_user(request), base_of(request)), "waive")


@require_POST
def fold(request: HttpRequest, pk: int) -> HttpResponse:
    """Collapse or expand one section, or all; the look of the map is not an edit."""
    stored = template_or_404(request, pk, "look")
    space = workspace(stored)
    everything = {section.id for section in space.template.sections}
    folded = set(folded_of(stored, space)) & everything
    section = request.POST.get("section", "")
    if section in everything:
        folded ^= {section}
    elif section in ("all", "none"):
        folded = everything if section == "all" else set()
    services.fold(stored, signed_in_user(request), folded)
    return changed(request, stored)


@require_POST
def redraw(request: HttpRequest, pk: int) -> HttpResponse:
    """The map as the person's choices (the figure in the boxes) now want it."""
    return changed(request, template_or_404(request, pk, "look"))


@require_POST
def tidy(request: HttpRequest, pk: int) -> HttpResponse:
    """Draw the map from scratch."""
    stored = template_or_404(request, pk)
    services.tidy(stored)
    return changed(request, stored)


@require_POST
def keep_profile(request: HttpRequest, pk: int) -> HttpResponse:
    """Save the delivery profile under its name; the template itself does not change."""
    stored = template_or_404(request, pk, "look")
    services.keep_profile(signed_in_user(request), workspace(stored).template.profile)
    return changed(request, stored)


@require_POST
def forget_profile(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk, "look")
    services.forget_profile(signed_in_user(request), request.POST.get("name", ""))
    return changed(request, stored)
