"""The plan keeps its promise: step by step, as a whole, and repeated."""

from __future__ import annotations

from random import Random

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.checks import audit
from lattice.checks.finding import SEVERITIES
from lattice.edits import apply_steps
from lattice.generate import generate
from lattice.matters.effect import State
from lattice.matters.matter import matters_of
from lattice.matters.plan import plan
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from tests.build import template
from tests.core.matters.faults import FAULTS, faulty, with_fault
from tests.deep import tries
from tests.strategies import templates


def open_marks(made: Template) -> dict[str, str]:
    """Fingerprint → severity."""
    return {finding.fingerprint: finding.severity for finding in audit(made).findings if not finding.waived}


def counts(made: Template) -> dict[str, int]:
    summary = audit(made).summary
    return {severity: summary[severity] for severity in SEVERITIES}


def holds(made: Template) -> None:
    """Every promise of a plan, each step on the state that those before it left."""
    planned = plan(made)
    said = planned.as_json()
    assert said["before"] == counts(made)
    state = made
    for step, its in zip(planned.steps, said["steps"], strict=True):
        before = open_marks(state)
        edits = [EditStep(edit["edit"], {k: v for k, v in edit.items() if k != "edit"}) for edit in its["edits"]]
        state = apply_steps(state, edits)
        for mark in its["puts_right"]:
            del before[mark]
        assert not before.keys() & set(its["brings"])
        for mark, (was, now) in its["eases"].items():
            assert before.pop(mark) == was != now
        after = open_marks(state)
        assert (
            before | {m: now for m, (_was, now) in its["eases"].items()} | {m: after[m] for m in its["brings"]} == after
        )
        assert its["after"] == counts(state)
        assert not any(finding.severity == "blocker" for finding in step.brings)
    assert state == planned.template == apply_steps(made, planned.edits)
    assert said["after"] == counts(state)
    assert tuple(said["after"].values()) <= tuple(said["before"].values())  # blockers first
    assert not plan(planned.template).steps


@given(templates())
@tries(40)
def test_a_plan_of_any_template_keeps_its_promises(made: Template) -> None:
    holds(made)


@given(st.integers(0, 2000), st.integers(1, 8))
@tries(30)
def test_faults_are_taken_back_to_no_more_blockers_than_before(seed: int, count: int) -> None:
    sound, made = faulty(seed, count)
    holds(made)
    assert counts(plan(made).template)["blocker"] <= counts(sound)["blocker"]


@pytest.mark.parametrize("fault", FAULTS)
def test_each_fault_is_put_right_or_asked_about(fault: str) -> None:
    sound = generate(80, 5)
    made = with_fault(sound, fault, Random(3))  # noqa: S311 - a seed
    assert made != sound
    planned = plan(made)
    assert counts(planned.template)["blocker"] == counts(sound)["blocker"]
    if counts(made)["blocker"] > counts(sound)["blocker"]:
        assert planned.steps or planned.questions


TWICE = template(["a:kick", "b:one", "b:two", "o:out"], ["kick>one", "kick>two", "one>out", "two>out"])


def test_which_of_two_ways_is_wrong_is_a_question_with_both_effects() -> None:
    planned = plan(TWICE, only=["route.double-path"])
    assert planned.steps == []
    (question,) = planned.questions
    assert [remedy.label for remedy, _effect in question.answers] == [
        "Remove the feed from kick to two",
        "Remove the feed from kick to one",
    ]
    assert len({effect.score for _remedy, effect in question.answers}) == 1
    assert [one["remedy"] for one in question.as_json()["remedies"]] == [
        "Remove the feed from kick to two",
        "Remove the feed from kick to one",
    ]


def test_only_some_codes_or_families() -> None:
    made = generate(300, worn=True)
    planned = plan(made, only=["route"])
    matters = {finding.code.partition(".")[0] for step in planned.steps for finding in step.puts_right}
    assert "route" in matters
    assert counts(planned.template)["blocker"] == 1  # the loop stays
    assert all(step.remedy.steps[0].edit != "split_return" for step in planned.steps)


def test_a_plan_is_told_of_and_can_be_stopped() -> None:
    told: list[tuple[int, int]] = []

    def stop(steps: int, looked: int) -> None:
        told.append((steps, looked))
        if looked == 3:
            raise KeyboardInterrupt

    made = generate(120, worn=True)
    before = msgspec.json.encode(made)
    with pytest.raises(KeyboardInterrupt):
        plan(made, progress=stop)
    assert [looked for _steps, looked in told] == [0, 1, 2, 3]
    assert msgspec.json.encode(made) == before


def test_nothing_wrong_has_an_empty_plan() -> None:
    made = template(["a:kick", "o:out"], ["kick>out"])
    planned = plan(made)
    assert (planned.steps, planned.questions) == ([], [])
    assert planned.effect.sentence == "Fixes none"
    assert State(made).audit.summary == planned.after.audit.summary


def test_levels_are_asked_about_in_one_question_whatever_section_the_sources_are_in() -> None:
    made = generate(120, worn=True)
    planned = plan(made, only=["level.operating"])
    state = State(made)
    matters = [one for one in matters_of(state.analysis, state.audit, hang=False) if one.code == "level.operating"]
    assert planned.steps == []
    (question,) = planned.questions
    (remedy, _effect), *_others = question.answers
    strips = {edit.arguments["strip"] for edit in remedy.steps}
    assert remedy.label == f"Set the {len(strips)} sources to the operating level"
    assert strips == {edit.arguments["strip"] for one in matters if one.remedies for edit in one.remedies[0].steps}
    assert question.matter.fingerprint in {one.fingerprint for one in matters}
    holds(made)


def test_keys_that_are_too_quiet_are_one_step() -> None:
    duck = {"type": "compressor", "key": "external", "threshold_db": -6.0, "ratio": 4.0}
    buses = [
        {"id": name, "kind": "bus", "layout": "stereo", "inserts": [{"id": f"{name}-duck", **duck}]}
        for name in ("strings", "brass")
    ]
    voice = {"id": "voice", "kind": "audio", "source": {"peak_dbfs": -30.0, "rms_dbfs": -40.0}}
    made = template(
        [voice, "a:violin", "a:horn", *buses, "o:out"],
        ["voice>out", "violin>strings", "horn>brass", "strings>out", "brass>out",
         "key voice>strings/strings-duck", "key voice>brass/brass-duck"],
    )  # fmt: skip
    planned = plan(made, only=["key.quiet"])
    (step,) = planned.steps
    assert step.sentence == "Set the thresholds of 2 keyed inserts below their keys"
    assert {edit.arguments["insert"] for edit in step.remedy.steps} == {"strings-duck", "brass-duck"}
    assert not any(finding.code == "key.quiet" for finding in audit(planned.template).findings)
    holds(made)
