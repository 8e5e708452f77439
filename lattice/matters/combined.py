"""Fixes of an issue: one for the cause, one with a step for each finding, those common to all."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.fix_kinds import RANK
from lattice.checks.headroom import SINE_DB
from lattice.checks.registry import issue_kind
from lattice.checks.remedies import disabling_steps, measured_remedy, route_words
from lattice.model.document import Source
from lattice.model.edit_step import EditStep

MOST_LABELS = 3
MADE_BY_LATENCY = frozenset(("time.misaligned", "time.key-late", "time.prints-skewed"))


ENDED_BY_A_ROUTE = frozenset(
    (
        "route.trigger-heard",
        "rule.broken",
        "stem.bypassed",
        "stem.forbidden",
        "stem.nested",
        "stem.twice",
    )
)


class Together:
    """Fixes of the issues of one template."""

    def __init__(self, analysis: Analysis) -> None:
        self.analysis, self.graph = analysis, analysis.graph

    def remedies(self, code: str, cause: tuple[str, ...], findings: Sequence[Finding]) -> tuple[Remedy, ...]:
        """Fixes for all findings of one cause.

        Parameters
        ----------
        code, cause
            Of the matter.
        findings
            Its own findings.

        Returns
        -------
        tuple of Remedy
            For one finding, its own. For several, or one without any: the route of the cause disabled, if it makes a
            second or forbidden path. For several: the common ones, and the first fix of each in one step.
        """
        kind = issue_kind(findings[0])
        offered = kind.fixes(self.analysis, findings) if kind else self._offered(code, cause, findings)
        return in_order(map(self._asked, offered))

    def _asked(self, remedy: Remedy) -> Remedy:
        """A fix that removes a send is the user's decision."""
        removed = (route for step in remedy.steps if step.edit == "remove_routes" for route in step.arguments["routes"])
        routes, number_of = self.graph.routes, self.graph.route_index
        is_send = any(routes[number_of[route]].kind == "send" for route in removed if route in number_of)
        return replace(remedy, asks=True) if is_send else remedy

    def _offered(self, code: str, cause: tuple[str, ...], findings: Sequence[Finding]) -> Iterable[Remedy]:
        offered = [*self._measured(cause)] if code in MADE_BY_LATENCY else []
        if code == "level.operating":
            offered += self._to_operating_level(findings)
        if len(findings) == 1:
            return (*offered, *(findings[0].remedies or self._without_route(code, cause)))
        offered += [*self._without_route(code, cause), *_alike(findings), *_each(findings)]
        if len(offered) < 2:
            return tuple(offered)
        by_steps = {repr(remedy.steps): remedy for remedy in reversed(offered)}
        return tuple(reversed(by_steps.values()))

    def _measured(self, cause: tuple[str, ...]) -> list[Remedy]:
        """The cause of a delay, compensated as measured."""
        at = self.graph.insert_at.get(cause[0])
        if at is None:
            return []
        strip = self.analysis.strip(at[0])
        insert = strip.inserts[at[1]]
        measured = insert.measured_latency_samples
        if measured is None or measured == insert.reported_samples:
            return []
        return [measured_remedy(f"{insert.name or insert.id} on {strip.name}", strip.id, insert.id, measured)]

    def _to_operating_level(self, findings: Sequence[Finding]) -> list[Remedy]:
        """The sources before the inserts, louder or softer by the deviation at the first insert of each."""
        template = self.analysis.template
        away_db: dict[str, float] = {}
        for finding in findings:
            rms = finding.figures["rms_dbfs"]
            if rms is not None:
                away_db.setdefault(finding.strips[0], rms + SINE_DB - template.profile.operating_level_dbfs)
        steps = []
        for strip_id, off_db in away_db.items():
            strip = self.analysis.strip(self.graph.index[strip_id])
            if self.graph.index[strip_id] not in self.analysis.levels.sources or not isinstance(strip.source, Source):
                return []
            level = {"peak_dbfs": strip.source.peak_dbfs - off_db, "rms_dbfs": strip.source.rms_dbfs - off_db}
            level = {name: round(value, 1) for name, value in level.items()}
            if level["peak_dbfs"] > 0:
                return []  # a clipped file has no fix
            steps.append(EditStep("change_strip", {"strip": strip_id, "changes": {"source": level}}))
        many = "the source" if len(steps) == 1 else f"the {len(steps)} sources"
        return [Remedy(f"Set {many} to the operating level", tuple(steps))] if steps else []

    def _without_route(self, code: str, cause: tuple[str, ...]) -> list[Remedy]:
        number = self.graph.route_index.get(cause[-1])
        if code not in ENDED_BY_A_ROUTE or number is None:
            return []
        if code == "rule.broken":  # some rules ignore settings, a disabled route among them
            step = EditStep("remove_routes", {"routes": list(cause[-1:])})
            is_send = self.graph.routes[number].kind == "send"
            return [Remedy(f"Remove {route_words(self.analysis, number)}", (step,), asks=True if is_send else None)]
        return [Remedy(f"Disable {route_words(self.analysis, number)}", disabling_steps(cause[-1:]))]


def in_order(remedies: Iterable[Remedy]) -> tuple[Remedy, ...]:
    """Fixes with causes before symptoms; of one kind those that need no decision, in the order they were offered."""
    return tuple(sorted(remedies, key=lambda remedy: (RANK[remedy.kind], remedy.asks)))


def _alike(findings: Sequence[Finding]) -> list[Remedy]:
    """Fixes common to all findings, step for step."""
    return [remedy for remedy in findings[0].remedies if all(remedy in finding.remedies for finding in findings[1:])]


def _each(findings: Sequence[Finding]) -> list[Remedy]:
    """The first fix of each finding, if each has one and they differ."""
    firsts = [finding.remedies[0] for finding in findings if finding.remedies]
    if len(firsts) < len(findings):
        return []
    steps = tuple({repr(step): step for remedy in firsts for step in remedy.steps}.values())
    labels = list(dict.fromkeys(remedy.label for remedy in firsts))
    if len(labels) == 1:
        label = f"All {len(findings)}: {inside(labels[0])}"
    else:
        more = f" and {len(labels) - MOST_LABELS} more" if len(labels) > MOST_LABELS else ""
        label = f"All {len(findings)}: {'; '.join(labels[:MOST_LABELS])}{more}"
    return [Remedy(label, steps)]


def inside(label: str) -> str:
    """The text of a fix inside a sentence."""
    return f"{label[0].lower()}{label[1:]}"
