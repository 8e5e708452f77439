"""Consequences across codes: a finding is below an issue if the issue's fix alone resolves it too.

The test is exact: the fix is applied and the checks in question are run again. Only findings that share an id with the
issue, or levels and times downstream, are tested. The number of tests is limited by a count, so that the same document
gives the same issues.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from lattice.analysis import Analysis
from lattice.checks.audit import findings_of
from lattice.checks.causes import Cause, cause_of
from lattice.checks.finding import SEVERITIES, Finding, Remedy
from lattice.checks.fix_kinds import RANK
from lattice.errors import DocumentError
from lattice.model.layouts import channel_count

Groups = Sequence[tuple[str, Cause, list[Finding]]]
Hung = dict[int, int]  # identity of a finding → place of the group it hangs under
# The limit of all trials together, by `trial_work`: about a second, whatever the template's shape.
MOST_WORK = 45_000
# Independent of changes to routes, levels or settings.
APART = frozenset(("name", "plugin", "budget", "waiver", "audit", "io"))
# Families whose findings may be anywhere downstream of a change.
CARRIED_ON = frozenset(("level", "time"))


def find_consequences(analysis: Analysis, groups: Groups, remedies: Sequence[Sequence[Remedy]]) -> Hung:
    """Findings resolved by another group's fix.

    Parameters
    ----------
    analysis
        The analysis they were found on.
    groups
        (code, cause, findings) of every matter-to-be.
    remedies
        Of each group; the first is the one that is tried.

    Returns
    -------
    dict
        `id(finding)` → number of the group whose consequence it is. If two groups resolve each other, the one that
        explains more findings, its own included, comes first; then the worse, then the first.
    """
    gone = _gone(analysis, groups, remedies)
    rank = sorted(
        gone, key=lambda at: (-len(gone[at]) - len(groups[at][2]), SEVERITIES.index(groups[at][2][0].severity), at)
    )
    group_of = {id(finding): at for at, (*_, ones) in enumerate(groups) for finding in ones}
    hung: Hung = {}
    standing: set[int] = set()
    for at in rank:
        if any(id(finding) in hung for finding in groups[at][2]):
            continue  # it is a consequence itself
        for finding in gone[at]:
            if id(finding) not in hung and group_of[id(finding)] not in standing:
                hung[id(finding)] = at
                standing.add(at)
    return hung


def _gone(analysis: Analysis, groups: Groups, remedies: Sequence[Sequence[Remedy]]) -> dict[int, list[Finding]]:
    """By group, findings of others that its first fix resolves; groups without any are left out."""
    of_id = _by_id(groups)
    left = MOST_WORK
    size = trial_work(analysis, (finding for *_, ones in groups for finding in ones))
    gone: dict[int, list[Finding]] = {}
    for at, (code, _cause, ones) in enumerate(groups):
        if not remedies[at] or code.partition(".")[0] in APART or left < size:
            continue
        first = RANK[remedies[at][0].kind]
        asked = [one for one, other in _asked(analysis, at, ones, of_id) if not _comes_before(remedies[other], first)]
        if asked:
            left -= size
            if found := _taken_away(analysis, remedies[at][0], asked):
                gone[at] = found
    return gone


def trial_work(analysis: Analysis, findings: Iterable[Finding]) -> int:
    """The cost of running the checks on a changed template, in strips and routes of a usual one.

    Parameters
    ----------
    analysis
        The analysis of the template.
    findings
        Its findings.

    Returns
    -------
    int
        Unlike a clock it is the same for the same document. Dense routes, wide channels that mix and long paths in
        findings cost more than their number; the weights are fitted to times of tools/measure_shapes.py and of worn
        templates, some thirty to the millisecond.
    """
    graph = analysis.graph
    strips, routes = len(graph.strips), len(graph.routes)
    channels = [channel_count(strip.layout) for strip in graph.strips]
    mixed = sum(channels[tail] * channels[head] for tail, head in zip(graph.tail, graph.head, strict=True))
    ways = sum(len(one.strips) + len(one.routes) + len(one.path) - 1 for one in findings)
    return strips + routes + routes * routes // (5 * max(strips, 1)) + mixed // 10 + 7 * ways


def _by_id(groups: Groups) -> dict[str, list[tuple[int, Finding]]]:
    """Findings that a fix may resolve, with their groups, by the ids they are about."""
    of_id: dict[str, list[tuple[int, Finding]]] = {}
    for at, (code, _cause, ones) in enumerate(groups):
        if code.partition(".")[0] not in APART:
            for finding in ones:
                if finding.standing == "assumed":
                    continue  # one issue of them all
                for one in (*finding.strips, *finding.routes, *finding.inserts):
                    of_id.setdefault(one, []).append((at, finding))
    return of_id


def _asked(
    analysis: Analysis, at: int, ones: list[Finding], of_id: dict[str, list[tuple[int, Finding]]]
) -> list[tuple[Finding, int]]:
    """Findings of other groups that share an id with a group, and those of levels and times behind its strips.

    Each with its group.
    """
    touched = {one for finding in ones for one in _ids(finding)}
    asked = {id(finding): (finding, other) for one in touched for other, finding in of_id.get(one, ()) if other != at}
    index = analysis.graph.index
    starts = {index[strip] for finding in ones for strip in finding.strips[:1] if strip in index}
    for strip in set().union(*(analysis.downstream(start) for start in starts)):
        for other, finding in of_id.get(analysis.strip(strip).id, ()):
            if other != at and finding.code.partition(".")[0] in CARRIED_ON:
                asked[id(finding)] = finding, other
    return list(asked.values())


def _comes_before(remedies: Sequence[Remedy], rank: int) -> bool:
    """Return whether an own fix is of an earlier kind: a trim is not the consequence of a limiter."""
    return bool(remedies) and RANK[remedies[0].kind] < rank


def _ids(finding: Finding) -> Iterable[str]:
    return (*finding.strips, *finding.routes, *finding.inserts, *finding.path, *finding.cause)


def _taken_away(analysis: Analysis, remedy: Remedy, asked: Sequence[Finding]) -> list[Finding]:
    """Which of some findings are not there any more, with nothing of their code, cause and severity in their place."""
    from lattice.edits import apply_steps  # noqa: PLC0415 - most audits of a pipeline try nothing, and start sooner

    try:
        after = Analysis(apply_steps(analysis.template, remedy.steps), analysis.inventory)
    except DocumentError:
        return []  # an impossible fix resolves nothing
    found = findings_of(after, {finding.code for finding in asked})
    there = {finding.fingerprint for finding in found}
    causes = {(finding.code, finding.severity, cause_of(after, finding)) for finding in found}
    return [
        finding
        for finding in asked
        if finding.fingerprint not in there
        and (finding.code, finding.severity, cause_of(analysis, finding)) not in causes
    ]
