"""The repair plan of a template as a selectable list, and the selected steps as one edit."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from lattice.errors import DocumentError
from lattice.matters.plan import counts_of
from lattice.model.edit_step import EditStep
from web.accounts.signed_in import signed_in_user
from web.editor.places.base import PLACES
from web.editor.presenting import frame
from web.editor.writes import base_of
from web.plans import services
from web.plans.models import PlanJob
from web.plans.showing import outcome
from web.shared.numbers import number_of
from web.shelf.access import template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.services import StaleVersionError
from web.shelf.workspace import workspace

Steps = list[tuple[str, list[EditStep]]]


@require_safe
def plan_page(request: HttpRequest, pk: int) -> HttpResponse:
    return _page(request, template_or_404(request, pk))


def _page(request: HttpRequest, stored: StoredTemplate, status: int = 200, **said: Any) -> HttpResponse:
    done = number_of(request.GET.get("done", ""), 0)
    context = {
        **frame(request, stored),
        "place": "findings",
        "here": PLACES["findings"],
        "done": done,
        **_of(stored),
        **said,
    }
    return render(request, "plans/plan.html", context, status=status)


def _of(stored: StoredTemplate) -> dict[str, Any]:
    """The newest plan, whether it is current, and its content."""
    job = services.plan_of(stored)
    is_present = job is not None and job.version == stored.version
    return {"stored": stored, "job": job, "is_present": is_present, "plan": job.content if job and is_present else {}}


@require_POST
def begin(request: HttpRequest, pk: int) -> HttpResponse:
    """Compute the plan of the current version, at once or in the background."""
    services.begin(template_or_404(request, pk))
    return redirect("plan", pk)


@require_safe
def progress(request: HttpRequest, pk: int) -> HttpResponse:
    """How far the plan is; the plan itself once it is there."""
    stored = template_or_404(request, pk)
    return render(request, "plans/body.html", _of(stored))


@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    """Stops working it out. Nothing has changed."""
    for job in template_or_404(request, pk).plans.filter(state__in=PlanJob.UNDER_WAY):
        job.cancel()
    return redirect("plan", pk)


def _chosen(request: HttpRequest, job: PlanJob) -> Steps:
    ticked = set(request.POST.getlist("step"))
    answers = {value for name in request.POST if name.startswith("answer-") for value in request.POST.getlist(name)}
    return list(services.chosen_steps(job, ticked, answers))


@require_POST
def check(request: HttpRequest, pk: int) -> HttpResponse:
    """The common effect of the selected steps; nothing is written."""
    stored = template_or_404(request, pk)
    job = services.plan_of(stored)
    if job is None or job.version != stored.version or not job.content:
        return render(request, "plans/outcome.html", {"problems": ["the template has changed; reload the page"]})
    steps = _chosen(request, job)
    try:
        effect = services.tried(workspace(stored), steps)
    except DocumentError as error:
        return render(request, "plans/outcome.html", {"problems": error.problems})
    context = {"after": counts_of(effect.after), "count": len(steps), **outcome(effect)}
    return render(request, "plans/outcome.html", context)


@require_POST
def carry_out(request: HttpRequest, pk: int) -> HttpResponse:
    """Apply the selected steps as one edit; a plan of an older version is refused with the changes."""
    stored, user = template_or_404(request, pk), signed_in_user(request)
    job = services.plan_of(stored)
    try:
        if job is None or not job.content:
            raise StaleVersionError([])
        steps = _chosen(request, job)
        services.carry_out(stored, user, base_of(request), job, steps)
    except StaleVersionError as stale:
        return _page(request, template_or_404(request, pk), 409, is_stale=True, since=stale.since[-6:])
    except DocumentError as error:
        return _page(request, stored, 422, problems=error.problems)
    return redirect(f"{reverse('plan', args=[pk])}?done={len(steps)}")
