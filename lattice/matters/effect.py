"""The effect of a fix, computed by an audit of the result before the user applies it."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

from lattice.analysis import Analysis
from lattice.checks.audit import Audit, audit_of
from lattice.checks.finding import SEVERITIES, Finding, Remedy
from lattice.checks.fix_kinds import RANK
from lattice.edits import apply_steps
from lattice.errors import DocumentError
from lattice.gain_staging.chain import level_of, likely_db
from lattice.gc_paused import gc_paused
from lattice.matters.consequences import trial_work
from lattice.matters.matter import Matter
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from lattice.model.inventory import Inventory
from lattice.model.names import capitalised

LEAST_DB = 0.05  # of a change of level that is worth a line
# Kinds of strips whose levels people look at first.
KINDS = ("output", "print", "master", "bus", "return")


class State:
    """A template with its analysis and audit."""

    def __init__(
        self, template: Template, inventory: Inventory | None = None, made_from: Analysis | None = None
    ) -> None:
        self.template, self.inventory = template, inventory
        self._made_from = made_from  # the analysis of the state that an edit has made it of

    @staticmethod
    def of(analysis: Analysis, audit: Audit) -> State:
        """The state that was analysed and audited already."""
        state = State(analysis.template, analysis.inventory)
        state.analysis, state.audit = analysis, audit
        return state

    @cached_property
    def analysis(self) -> Analysis:
        """Its analysis."""
        made, self._made_from = Analysis(self.template, self.inventory, self._made_from), None
        return made

    @cached_property
    def audit(self) -> Audit:
        """Its audit."""
        with gc_paused():
            return audit_of(self.analysis)

    @cached_property
    def open(self) -> dict[str, Finding]:
        """Open findings by fingerprint, in the order of the audit."""
        return {finding.fingerprint: finding for finding in self.audit.findings if not finding.waived}

    def after(self, steps: Iterable[EditStep]) -> State:
        """The state behind some edits. Raises DocumentError."""
        return State(apply_steps(self.template, steps), self.inventory, self.analysis)


@dataclass(frozen=True)
class LevelChange:
    """A level at an endpoint or sum, dBFS, before and after."""

    name: str
    now: float
    then: float

    @property
    def change(self) -> float:
        """Its rise, dB."""
        return self.then - self.now


class Ledger(NamedTuple):
    """The difference of two audits: fingerprints that a fix resolves, adds and changes.

    Unlike the lists that are shown, a finding that only names other things along with its first goes and comes.
    """

    gone: tuple[str, ...]
    come: tuple[str, ...]
    changed: Mapping[str, tuple[str, str]]  # fingerprint → severity before and after

    def as_json(self) -> dict[str, Any]:
        """The lists of `plan --json`."""
        eases = {mark: list(severities) for mark, severities in self.changed.items()}
        return {"puts_right": list(self.gone), "brings": list(self.come), "eases": eases}


@dataclass(frozen=True)
class Effect:
    """The effect of a fix on a version.

    Attributes
    ----------
    before, after
        The state it is made on, and the one it gives.
    puts_right, brings
        Findings that go, and findings that come. One that only names other things along with its first is neither.
    """

    before: State
    after: State
    puts_right: tuple[Finding, ...]
    brings: tuple[Finding, ...]

    @property
    def score(self) -> tuple[int, int, int]:
        """Reduction of blockers, warnings and notes: larger is better."""
        now, then = (Counter(f.severity for f in state.open.values()) for state in (self.before, self.after))
        blockers, warnings, notes = (now[severity] - then[severity] for severity in SEVERITIES)
        return blockers, warnings, notes

    @property
    def eased(self) -> list[Finding]:
        """Findings that stay, and are less severe."""
        rank = SEVERITIES.index
        return [
            finding
            for mark, finding in self.after.open.items()
            if (was := self.before.open.get(mark)) is not None and rank(finding.severity) > rank(was.severity)
        ]

    @property
    def ledger(self) -> Ledger:
        """The exact difference of the two audits, by fingerprint."""
        now, then = self.before.open, self.after.open
        changed = {
            mark: (str(finding.severity), str(then[mark].severity))
            for mark, finding in now.items()
            if mark in then and then[mark].severity != finding.severity
        }
        return Ledger(
            tuple(mark for mark in now if mark not in then), tuple(mark for mark in then if mark not in now), changed
        )

    @property
    def sentence(self) -> str:
        """“Fixes 21, adds 1 note”."""
        return effect_words(self.puts_right, self.brings, self.eased)

    @property
    def brings_blockers(self) -> bool:
        """Return whether a blocker comes that was not there."""
        return any(finding.severity == "blocker" for finding in self.brings)

    @property
    def levels(self) -> list[LevelChange]:
        """Endpoints and sums whose likely peak changes."""
        return level_changes(self.before.analysis, self.after.analysis)

    @property
    def latency_samples(self) -> tuple[int, int]:
        """The latency of the whole template, before and after."""
        before, after = (state.analysis.arrivals.total_samples or 0 for state in (self.before, self.after))
        return before, after

    @property
    def changed_routes(self) -> list[str]:
        """Routes that are other than they were, those that go and those that come among them."""
        was, will_be = ({route.id: route for route in state.template.routes} for state in (self.before, self.after))
        return [route for route in {**was, **will_be} if was.get(route) != will_be.get(route)]


def effect_words(puts_right: Sequence[Finding], brings: Sequence[Finding], eased: Sequence[Finding] = ()) -> str:
    """“Fixes 21, eases 1 to warning, adds 1 note”; of several new ones, how many have the worst severity.

    Parameters
    ----------
    puts_right, brings
        Findings that go, and that come.
    eased
        Findings that stay and are less severe.
    """
    parts = [f"fixes {len(puts_right)}"] if puts_right else []
    parts += [f"eases {len(eased)} to {eased[0].severity}"] if eased else []
    parts = parts or ["fixes none"]
    if brings:
        worst = min((finding.severity for finding in brings), key=SEVERITIES.index)
        worse = sum(finding.severity == worst for finding in brings)
        plural = "s" if worse > 1 else ""
        alike = worse == len(brings)
        parts.append(f"adds {worse} {worst}{plural}" if alike else f"adds {len(brings)} ({worse} {worst}{plural})")
    return capitalised(", ".join(parts))


def effect_of(state: State, remedy: Remedy) -> Effect | None:
    """The effect of a fix.

    Parameters
    ----------
    state
        The current template.
    remedy
        One of its fixes.

    Returns
    -------
    Effect or None
        None if the fix cannot be applied to this version. Costs an audit of the result.
    """
    try:
        after = state.after(remedy.steps)
    except DocumentError:
        return None
    return compared(state, after)


class EffectSummary(NamedTuple):
    """The cached part of a computed effect: its figures without the two versions."""

    sentence: str
    score: tuple[int, int, int]
    brings_blockers: bool
    changed_routes: tuple[str, ...]

    @property
    def lights(self) -> str:
        """Routes to light on a map, as one text."""
        return " ".join(self.changed_routes[:40])


Effects = dict[tuple[str, str], EffectSummary]  # (fingerprint of the issue, key of the fix)


def effects_of(state: State, matters: Iterable[Matter], work: int) -> Effects:
    """The effects of the fixes of issues, within a work limit.

    Parameters
    ----------
    state
        The current template.
    matters
        Its matters, those looked at first in front.
    work
        The limit of all audits together, by `trial_work`.

    Returns
    -------
    dict
        (fingerprint of the issue, key of the fix) → effect.
    """
    size = trial_work(state.analysis, state.open.values())
    found: Effects = {}
    for matter in matters:
        for remedy in matter.remedies:
            if work < size:
                return found
            work -= size
            effect = effect_of(state, remedy)
            if effect is not None:
                routes = tuple(effect.changed_routes)
                found[matter.fingerprint, remedy.key] = EffectSummary(
                    effect.sentence, effect.score, effect.brings_blockers, routes
                )
    return found


def best_first(matter: Matter, effects: Effects) -> list[Remedy]:
    """Fixes of an issue, causes before symptoms; of one kind by the findings they resolve minus those they add."""

    def rank(remedy: Remedy) -> tuple[int, bool, tuple[int, ...]]:
        effect = effects.get((matter.fingerprint, remedy.key))
        return RANK[remedy.kind], bool(remedy.asks), tuple(-part for part in effect.score) if effect else ()

    return sorted(matter.remedies, key=rank)


def compared(before: State, after: State) -> Effect:
    """The findings of two states side by side."""
    gone = [finding for mark, finding in before.open.items() if mark not in after.open]
    come = [finding for mark, finding in after.open.items() if mark not in before.open]
    changed = {_place(finding) for finding in gone} & {_place(finding) for finding in come}
    return Effect(
        before,
        after,
        tuple(finding for finding in gone if _place(finding) not in changed),
        tuple(finding for finding in come if _place(finding) not in changed),
    )


def _place(finding: Finding) -> tuple[object, ...]:
    return (
        finding.code,
        finding.severity,
        finding.strips[:1],
        finding.inserts[:1],
        finding.stems[:1],
        finding.others[:1],
    )


def expected_changes(before: Analysis, after: Analysis) -> list[LevelChange]:
    """Outputs whose expected level would change, for comparing both equally loud."""
    then = {strip.id: number for number, strip in enumerate(after.graph.strips)}
    changes = []
    for number in before.graph.by_kind["output"]:
        strip = before.graph.strips[number]
        if strip.id in then:
            levels = _expected(before, number), _expected(after, then[strip.id])
            if all(map(math.isfinite, levels)) and abs(levels[1] - levels[0]) >= LEAST_DB:
                changes.append(LevelChange(strip.name, *levels))
    return changes


def _expected(analysis: Analysis, number: int) -> float:
    stage = analysis.levels.at_end(number)
    return level_of(stage.levels.e2, stage.rms_gain) if stage is not None else float("-inf")


def level_changes(before: Analysis, after: Analysis) -> list[LevelChange]:
    """Endpoints and sums whose likely peak would change, outputs and prints first."""
    then = {strip.id: number for number, strip in enumerate(after.graph.strips)}
    changes = []
    for kind in KINDS:
        for number in before.graph.by_kind[kind]:
            strip = before.graph.strips[number]
            other = then.get(strip.id)
            if other is None:
                continue
            levels = _likely(before, number), _likely(after, other)
            if levels[0] != levels[1] and not abs(levels[1] - levels[0]) < LEAST_DB:
                changes.append(LevelChange(strip.name, *levels))
    return changes


def _likely(analysis: Analysis, number: int) -> float:
    stage = analysis.levels.at_end(number)
    return likely_db(stage) if stage is not None else float("-inf")
