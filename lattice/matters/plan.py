"""The plan: the shortest list of fixes that resolves the most (docs/reference/causes.md, *The plan*).

Greedy, causes before symptoms: routes, then states, keys and so on; within a kind each step is the fix with the best
computed effect on the template after the previous steps. Fixes that add blockers are left out. Levels, tags, low cuts
and the like only the user decides on; those, and two fixes of an issue that are equally good, are questions.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field
from typing import Any

import msgspec
from msgspec.structs import replace

from lattice.checks.finding import SEVERITIES, Finding, Remedy
from lattice.checks.fix_kinds import FIX_KINDS
from lattice.matters.combined import inside
from lattice.matters.effect import Effect, Ledger, State, compared, effect_of
from lattice.matters.matter import Matter, matters_of
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from lattice.model.inventory import Inventory

Score = tuple[int, int, int]
Key = tuple[str, int]
KindKey = tuple[str, int, str]
NOTHING: Score = (0, 0, 0)
# Of two feeds only the user knows the wrong one; elsewhere the first of equal fixes is the usual one.
OF_TWO_WAYS = frozenset(("stem.twice",))
# Fixes that are one deed, done here and there, whatever section the strips are in: one step.
STEPS_AT_ONCE = {
    "key.quiet": "Set the thresholds of {n} keyed inserts below their keys",
    "chain.odd": "Order {n} chains like the others",
}
MOST_QUESTIONS = 60  # whose answers are worked out
PlanProgress = Callable[[int, int], None]  # steps found so far, fixes tried


@dataclass(frozen=True)
class PlanStep:
    """One fix of a plan and its effect at its place."""

    matter: str
    sentence: str  # the fix, with its subject if its own text does not name it
    remedy: Remedy
    said: str  # its effect in words
    puts_right: tuple[Finding, ...]
    brings: tuple[Finding, ...]
    counts: dict[str, int]  # open findings by severity behind it
    ledger: Ledger  # taken together in their order, those of all steps are the difference of the two audits

    def as_json(self) -> dict[str, Any]:
        """The form of `plan --json`."""
        return {
            "remedy": self.remedy.label,
            "kind": self.remedy.kind,
            "sentence": self.sentence,
            "matter": self.matter,
            "edits": [{"edit": step.edit, **msgspec.to_builtins(step.arguments)} for step in self.remedy.steps],
            "effect": self.said,
            **self.ledger.as_json(),
            "after": self.counts,
        }


@dataclass(frozen=True)
class Question:
    """An issue whose fix the user has to choose, and the effect of each answer."""

    matter: Matter
    answers: tuple[tuple[Remedy, Effect], ...]

    def as_json(self) -> dict[str, Any]:
        """The form of `plan --json`."""
        return {
            "matter": self.matter.fingerprint,
            "message": self.matter.message,
            "remedies": [
                {
                    "remedy": remedy.label,
                    "kind": remedy.kind,
                    "effect": effect.sentence,
                    **effect.ledger.as_json(),
                }
                for remedy, effect in self.answers
            ],
        }


@dataclass
class Plan:
    """Steps in their order, questions that are left, and the states before and after."""

    before: State
    after: State
    steps: list[PlanStep] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)

    @property
    def template(self) -> Template:
        """The template behind all steps."""
        return self.after.template

    @property
    def edits(self) -> list[EditStep]:
        """All of its edits in order."""
        return [step for one in self.steps for step in one.remedy.steps]

    @property
    def effect(self) -> Effect:
        """The effect of all of it together."""
        return compared(self.before, self.after)

    def as_json(self) -> dict[str, Any]:
        """The form of `plan --json` (docs/reference/causes.md)."""
        return {
            "format": "intact-lattice.plan",
            "version": 1,
            "steps": [step.as_json() for step in self.steps],
            "questions": [question.as_json() for question in self.questions],
            "before": counts_of(self.before),
            "after": counts_of(self.after),
        }


def counts_of(state: State) -> dict[str, int]:
    """Open findings by severity."""
    summary = state.audit.summary
    return {severity: summary[severity] for severity in SEVERITIES}


def plan(
    template: Template,
    inventory: Inventory | None = None,
    *,
    only: Collection[str] = (),
    progress: PlanProgress = lambda _steps, _looked: None,
) -> Plan:
    """Build the repair plan: the fewest fixes that resolve the most (docs/reference/causes.md, *The plan*).

    Parameters
    ----------
    template
        A validated template.
    inventory
        The contents of a machine, if known.
    only
        Codes or families of the issues to fix; empty for all.
    progress
        Called before each trial of a fix, with the numbers of steps found and fixes tried; it may raise to cancel.

    Returns
    -------
    Plan
        `steps` with `sentence` and `effect`, `questions`, and `template` with all steps applied. The same document
        gives the same plan. A plan of its result has no steps. Each trial of a fix costs an audit.
    """
    return _Planner(State(template, inventory), only, progress).run()


class _Planner:
    """Tries fixes kind by kind, best estimate first: the effect at the last trial, or else the size of its issue."""

    def __init__(self, before: State, only: Collection[str], progress: PlanProgress) -> None:
        self.plan = Plan(before, before)
        self.only, self.progress, self.looked = only, progress, 0
        self.estimates: dict[KindKey, Score] = {}
        self._promises: dict[Key, Score] = {}

    def run(self) -> Plan:
        state = self.plan.before
        self._promises = {_key(matter): _promised(matter) for matter in matters_of(state.analysis, state.audit)}
        while (best := self._best(self._steps_offered())) is not None:
            matter, remedy, effect = best
            self.plan.after = effect.after
            self.plan.steps.append(
                PlanStep(
                    matter.fingerprint,
                    _sentence(effect.before, matter, remedy),
                    remedy,
                    effect.sentence,
                    effect.puts_right,
                    effect.brings,
                    counts_of(effect.after),
                    effect.ledger,
                )
            )
        self._ask()
        return self.plan

    def _candidates(self) -> list[Matter]:
        state = self.plan.after
        return [
            matter
            for matter in matters_of(state.analysis, state.audit, hang=False)
            if matter.remedies and (not self.only or self._is_wanted(matter))
        ]

    def _steps_offered(self) -> list[Matter]:
        """The same, and those of one deed as one."""
        ones = self._candidates()
        return [*ones, *(matter for code, label in STEPS_AT_ONCE.items() for matter in _at_once(ones, code, label))]

    def _is_wanted(self, matter: Matter) -> bool:
        codes = {finding.code for finding in matter.own}
        return any(code in self.only or code.partition(".")[0] in self.only for code in codes)

    def _best(self, matters: list[Matter]) -> tuple[Matter, Remedy, Effect] | None:
        """The fix of the first kind that helps; what has not helped at its last trial is tried again at the end."""
        for again in (False, True):
            for kind in FIX_KINDS:
                best = self._best_of_kind(matters, kind, again=again)
                if best is not None:
                    return best
        return None

    def _best_of_kind(self, matters: list[Matter], kind: str, *, again: bool) -> tuple[Matter, Remedy, Effect] | None:
        """The fix of a kind with the largest effect now: the most promising are tried first, often that is enough."""
        waiting = sorted(
            ((matter, self._hoped(matter, kind)) for matter in matters if _of_kind(matter, kind)),
            key=lambda entry: entry[1],
            reverse=True,
        )
        best: tuple[Matter, Remedy, Effect] | None = None
        for matter, hoped in waiting:
            if (hoped <= NOTHING) is not again:
                continue
            if best is not None and best[2].score >= hoped:
                break
            answers = self._answers(matter, _of_kind(matter, kind))
            found = [effect.score for _remedy, effect in answers]
            self.estimates[*_key(matter), kind] = max(found, default=NOTHING)
            if not answers or _is_open(matter, answers):
                continue
            if best is None or answers[0][1].score > best[2].score:
                best = matter, *answers[0]
        return best

    def _hoped(self, matter: Matter, kind: str) -> Score:
        promised = self._promises.get(_key(matter)) or _promised(matter)
        return self.estimates.get((*_key(matter), kind), promised)

    def _answers(self, matter: Matter, remedies: Sequence[Remedy]) -> list[tuple[Remedy, Effect]]:
        """The effect of each helpful fix, best first; fixes that add blockers or are impossible are left out."""
        found = []
        for remedy in remedies:
            effect = self._effect(remedy)
            if effect is not None and not effect.brings_blockers and effect.score > NOTHING:
                found.append((remedy, effect))
        return sorted(found, key=lambda entry: (entry[1].score, -len(entry[0].steps)), reverse=True)

    def _effect(self, remedy: Remedy) -> Effect | None:
        self.progress(len(self.plan.steps), self.looked)
        self.looked += 1
        return effect_of(self.plan.after, remedy)

    def _ask(self) -> None:
        """Issues that are left because a person has to choose, with the effect of each answer."""
        left = self._candidates()
        asked = [matter for matter in left if not (matter.severity == "note" and matter.standing == "wrong")]
        for matter in (*_sources_at_once(left), *asked)[:MOST_QUESTIONS]:
            effects = ((remedy, self._effect(remedy)) for remedy in matter.remedies)
            answers = tuple((remedy, effect) for remedy, effect in effects if effect and not effect.brings_blockers)
            if answers:
                self.plan.questions.append(Question(matter, answers))


def _of_kind(matter: Matter, kind: str) -> list[Remedy]:
    """The fixes of a kind that need no decision."""
    return [remedy for remedy in matter.remedies if remedy.kind == kind and not remedy.asks]


def _at_once(matters: list[Matter], code: str, label: str) -> list[Matter]:
    """Matters of a code that are one deed, done here and there; none if there are not several without a decision."""
    ones = [matter for matter in matters if matter.code == code and not matter.remedies[0].asks]
    steps = tuple(step for matter in ones for step in matter.remedies[0].steps)
    many = sum(len(matter.own) for matter in ones)
    return [_as_one(ones, label.format(n=many), steps, ones[0].remedies[0].kind)] if len(ones) > 1 else []


def _sources_at_once(matters: list[Matter]) -> list[Matter]:
    """The same of sources to the operating level: a source before several such inserts is changed once."""
    ones = [matter for matter in matters if matter.code == "level.operating"]
    by_strip = {step.arguments["strip"]: step for matter in reversed(ones) for step in matter.remedies[0].steps}
    steps = tuple(by_strip[strip] for strip in sorted(by_strip))
    return [_as_one(ones, f"Set the {len(steps)} sources to the operating level", steps)] if len(ones) > 1 else []


def _as_one(ones: list[Matter], label: str, steps: tuple[EditStep, ...], kind: str = "") -> Matter:
    """A matter that represents several, under the name of the first."""
    own = tuple(finding for matter in ones for finding in matter.own)
    return replace(ones[0], own=own, remedies=(Remedy(label, steps, kind),))


def _key(matter: Matter) -> Key:
    """The key of an estimate: an issue, or several that are fixed together."""
    return matter.fingerprint, len(matter.own)


def _promised(matter: Matter) -> Score:
    """The gain if all of an issue's findings were resolved: an estimate until its fixes are tried."""
    blockers, warnings, notes = (
        sum(finding.severity == severity for finding in matter.findings) for severity in SEVERITIES
    )
    return blockers, warnings, notes


def _sentence(state: State, matter: Matter, remedy: Remedy) -> str:
    names = {section.id: section.name for section in state.template.sections}
    names |= {strip.id: strip.name for strip in state.template.strips}
    about = (*matter.own[0].strips, *matter.own[0].sections)
    subject = names.get(about[0]) if about else None
    if subject is None or subject in remedy.label or len(matter.own) > 1:
        return remedy.label
    return f"{subject}: {inside(remedy.label)}"


def _is_open(matter: Matter, answers: list[tuple[Remedy, Effect]]) -> bool:
    """An issue of two paths whose fixes are equally good."""
    return matter.code in OF_TWO_WAYS and len(answers) > 1 and answers[0][1].score == answers[1][1].score
