"""Actions of plans: start, cancel, preview of some steps, apply as one edit."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from django.contrib.auth.models import User

from lattice.errors import DocumentError, EditError
from lattice.matters.consequences import trial_work
from lattice.matters.effect import Effect, State, compared
from lattice.model.edit_step import EditStep
from web.plans.models import PlanJob
from web.plans.showing import steps_of
from web.plans.tasks import work_out
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace, workspace

# Smaller plans (issues times the work of a trial) are computed within the request: about a second.
AT_ONCE = 60_000


def plan_of(stored: StoredTemplate) -> PlanJob | None:
    """The newest plan of a template, of whatever state."""
    return stored.plans.first()


def begin(stored: StoredTemplate) -> PlanJob:
    """A plan of the current version; an existing or running one is reused."""
    known = PlanJob.objects.filter(template=stored, version=stored.version).exclude(
        state__in=(PlanJob.CANCELLED, PlanJob.FAILED)
    )
    if (there := known.first()) is not None:
        return there
    stored.plans.all().delete()  # of older versions; their jobs find that they are cancelled
    job = PlanJob.objects.create(template=stored, version=stored.version)
    if _size(workspace(stored)) <= AT_ONCE:
        work_out.call_local(job.pk)
    else:
        work_out(job.pk)
    job.refresh_from_db()
    return job


def _size(space: Workspace) -> int:
    return trial_work(space.analysis, space.open.values()) * len(space.matters)


def chosen_steps(
    job: PlanJob, ticked: Collection[str], answers: Collection[str]
) -> Iterator[tuple[str, list[EditStep]]]:
    """(sentence, edits) of the steps that are ticked, by their places, and of answers to questions, `place.place`."""
    for place, step in enumerate(job.content["steps"]):
        if str(place) in ticked:
            yield step["sentence"], steps_of(step["edits"])
    for number, question in enumerate(job.content["questions"]):
        for place, answer in enumerate(question["remedies"]):
            if f"{number}.{place}" in answers:
                yield answer["remedy"], steps_of(answer["edits"])


def tried(space: Workspace, steps: list[tuple[str, list[EditStep]]]) -> Effect:
    """The common effect of some steps of a plan. Raises EditError naming the step that needs another one."""
    state: State = space
    for sentence, edits in steps:
        try:
            state = state.after(edits)
        except DocumentError as error:
            raise EditError(f"“{sentence}” needs a step that is not selected: {error}") from None
    return compared(space, state)


def carry_out(
    stored: StoredTemplate, user: User, base: int, job: PlanJob, steps: list[tuple[str, list[EditStep]]]
) -> StoredTemplate:
    """Steps of a plan as one edit.

    Raises StaleVersionError where the plan is of another state than the present one, EditError where there is nothing
    to do or a step cannot be done.
    """
    services.based_on(stored.pk, user, min(base, job.version))
    if not steps:
        raise EditError("select a step first")
    tried(workspace(stored), steps)
    label = steps[0][0] if len(steps) == 1 else f"Apply repair plan, {len(steps)} steps: {steps[0][0]} and others"
    edits = [edit for _sentence, its in steps for edit in its]
    return services.edit(stored.pk, user, base, label, edits)
