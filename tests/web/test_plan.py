"""The repair plan on a page, the effect of its selection, and the selected steps as one edit."""

from __future__ import annotations

import re

import pytest
from django.test import Client

from lattice.matters.plan import plan
from lattice.model.document import Template
from tests.build import template
from tests.web.test_writes import now, write
from web.plans import services as plans
from web.plans import tasks
from web.plans.models import PlanJob
from web.shared import heartbeat
from web.shared.jobs import queue
from web.shelf import services
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import Workspace

FAULTY = template(
    ["a:kick", "a:hat", "a:bass", "b:drums mute", "b:low mute", "o:out"],
    ["kick>drums", "hat>drums", "bass>low", "drums>out", "low>out"],
)
QUIET = {"id": "x", "kind": "audio", "source": {"peak_dbfs": -30, "rms_dbfs": -40}}
FED = [{"id": name, "kind": "audio", "source": QUIET["source"]} for name in "yz"]  # so that no bus would be left unfed
TWO_WAYS = template(
    [QUIET, *FED, "b:one", "b:two", "o:out"], ["x>one", "x>two", "y>one", "z>two", "one>out", "two>out"]
)
CLEAN = template(["a:x", "o:out"], ["x>out"])


def stored_for(owner, made: Template) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, made)


@pytest.fixture
def faulty(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return stored_for(owner, FAULTY)


def page_of(client: Client, stored: StoredTemplate) -> str:
    return client.get(f"/t/{stored.pk}/plan/").content.decode()


def begun(client: Client, stored: StoredTemplate) -> PlanJob:
    assert client.post(f"/t/{stored.pk}/plan/begin/").status_code == 302
    job = plans.plan_of(stored)
    assert job is not None
    return job


def test_the_page_says_what_it_would_do_and_begins_only_when_asked(signed_in: Client, faulty: StoredTemplate) -> None:
    assert "Build plan" in page_of(signed_in, faulty)
    assert not PlanJob.objects.exists()
    begun(signed_in, faulty)
    page = page_of(signed_in, faulty)
    made = plan(FAULTY)
    assert len(re.findall(r'name="step"', page)) == len(made.steps) > 1
    for step in made.steps:
        assert step.sentence in page
        assert step.said in page
    assert now(faulty) == FAULTY


def test_what_is_ticked_is_one_edit_and_gives_what_the_plan_says(signed_in: Client, faulty: StoredTemplate) -> None:
    job, made = begun(signed_in, faulty), plan(FAULTY)
    ticked = [str(place) for place in range(len(made.steps))]
    answer = signed_in.post(f"/t/{faulty.pk}/plan/do/", {"base": 1, "step": ticked})
    assert f"Applied: {len(made.steps)} steps, as one edit" in signed_in.get(answer["Location"]).content.decode()
    assert now(faulty) == made.template
    assert Workspace(now(faulty)).audit.summary["blocker"] == job.content["after"]["blocker"]
    assert JournalEntry.objects.count() == 1
    write(signed_in, faulty, "undo")
    assert now(faulty) == FAULTY


def test_some_of_the_steps_come_to_what_is_said_and_then_done(signed_in: Client, faulty: StoredTemplate) -> None:
    begun(signed_in, faulty)
    said = signed_in.post(f"/t/{faulty.pk}/plan/check/", {"step": ["0"]}).content.decode()
    assert "With 1 step" in said
    assert now(faulty) == FAULTY
    signed_in.post(f"/t/{faulty.pk}/plan/do/", {"base": 1, "step": ["0"]})
    summary = Workspace(now(faulty)).audit.summary
    counts = re.findall(r"(?:blockers|warnings|notes)</span>\s*(\d+)", said)
    assert counts == [str(summary[severity]) for severity in ("blocker", "warning", "note")]


def test_a_step_that_needs_another_is_named(owner) -> None:  # type: ignore[no-untyped-def]
    space = Workspace(CLEAN)
    steps = [("Set it", plans.steps_of([{"edit": "change_strip", "strip": "gone", "changes": {"mute": True}}]))]
    with pytest.raises(plans.EditError, match="“Set it” needs a step that is not selected"):
        plans.tried(space, steps)


def test_nothing_ticked_changes_nothing(signed_in: Client, faulty: StoredTemplate) -> None:
    begun(signed_in, faulty)
    answer = signed_in.post(f"/t/{faulty.pk}/plan/do/", {"base": 1})
    assert answer.status_code == 422
    assert "select a step first" in answer.content.decode()
    assert now(faulty) == FAULTY


def test_a_plan_of_an_older_state_is_refused_with_what_changed(signed_in: Client, faulty: StoredTemplate) -> None:
    begun(signed_in, faulty)
    write(signed_in, faulty, "change_strip", strip="kick", fader_db="-3")
    for base in (1, 2):  # from the old page, and from a forged one
        answer = signed_in.post(f"/t/{faulty.pk}/plan/do/", {"base": base, "step": ["0"]})
        assert answer.status_code == 409
        assert "kick: fader −3" in answer.content.decode()
    assert now(faulty).strips[3].mute
    assert "of an older version" in page_of(signed_in, faulty)
    assert "has changed" in signed_in.post(f"/t/{faulty.pk}/plan/check/", {"step": ["0"]}).content.decode()


def test_a_choice_stands_as_a_question_and_is_done_when_it_is_answered(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = stored_for(owner, TWO_WAYS)
    job = begun(signed_in, stored)
    (question,) = job.content["questions"]
    page = page_of(signed_in, stored)
    assert page.count('type="radio"') == 1 + len(question["remedies"])
    assert all(answer["effect"] in page for answer in question["remedies"])
    signed_in.post(f"/t/{stored.pk}/plan/do/", {"base": 1, "answer-0": "0.1"})
    assert not [one for one in Workspace(now(stored)).audit.findings if one.code == "route.double-path"]


def test_a_template_that_is_right_says_so(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = stored_for(owner, Template(name="Fresh"))
    begun(signed_in, stored)
    assert "No findings." in page_of(signed_in, stored)


class TestInTheBackground:
    """A slow computation is a job: with progress, cancelled by its user, and by an edit."""

    @pytest.fixture(autouse=True)
    def large(self, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(plans, "AT_ONCE", -1)
        queue.immediate = False
        monkeypatch.setattr(tasks.work_out, "call_local", None)  # nothing is worked out while somebody waits

    def test_it_is_queued_and_shown_when_it_is_done(
        self, signed_in: Client, faulty: StoredTemplate, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        queued: list[int] = []
        heartbeat.beat()
        monkeypatch.setattr(plans, "work_out", queued.append)
        job = begun(signed_in, faulty)
        assert begun(signed_in, faulty) == job  # twice is once
        assert queued == [job.pk]
        assert "Waiting for the worker" in page_of(signed_in, faulty)
        monkeypatch.undo()
        tasks.work_out.call_local(job.pk)
        shown = signed_in.get(f"/t/{faulty.pk}/plan/progress/").content.decode()
        assert "data-poll" not in shown
        assert 'name="step"' in shown

    def test_stopped_midway_nothing_has_changed(
        self, signed_in: Client, faulty: StoredTemplate, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        told = PlanJob.report

        def stops(job: PlanJob, step: str, percent: int) -> None:
            told(job, step, percent)
            if step.startswith("1 step"):
                assert "1 step found" in page_of(signed_in, faulty)
                signed_in.post(f"/t/{faulty.pk}/plan/cancel/")

        monkeypatch.setattr(plans, "work_out", lambda _pk: None)
        job = begun(signed_in, faulty)
        monkeypatch.setattr(PlanJob, "report", stops)
        tasks.work_out.func(job.pk)
        job.refresh_from_db()
        assert (job.state, job.content) == (PlanJob.CANCELLED, {})
        assert "Stopped. Nothing has changed" in page_of(signed_in, faulty)
        assert now(faulty) == FAULTY

    def test_an_edit_in_the_meantime_ends_it(
        self, signed_in: Client, faulty: StoredTemplate, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr(plans, "work_out", lambda _pk: None)
        job = begun(signed_in, faulty)
        write(signed_in, faulty, "change_strip", strip="kick", fader_db="-3")
        newer = begun(signed_in, faulty)
        assert newer.version == 2
        tasks.work_out.func(job.pk)  # the worker reaches the old one: nothing is computed, nothing fails
        assert [(one.pk, one.content) for one in PlanJob.objects.all()] == [(newer.pk, {})]

    def test_one_that_fails_says_why(
        self, signed_in: Client, faulty: StoredTemplate, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        def breaks(*_arguments: object, **_more: object) -> None:
            raise RuntimeError("out of paper")

        monkeypatch.setattr(plans, "work_out", lambda _pk: None)
        job = begun(signed_in, faulty)
        monkeypatch.setattr(tasks, "plan", breaks)
        with pytest.raises(RuntimeError):
            tasks.work_out.func(job.pk)
        assert "out of paper" in page_of(signed_in, faulty)
