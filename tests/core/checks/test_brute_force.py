"""The continuity checks against the obvious reading on random small templates."""

from __future__ import annotations

import networkx as nx
from hypothesis import given

from lattice.checks import audit
from lattice.model.document import Template
from lattice.model.strip_kinds import SUMS
from tests.core import brute
from tests.deep import tries
from tests.strategies import templates


def _by_source(template: Template, *codes: str) -> dict[tuple[str, str | None], str]:
    found = {}
    for finding in audit(template).findings:
        if finding.code in codes:
            outlet = finding.outlets[0].partition("/")[2] if finding.outlets else None
            strip = next(strip for strip in template.strips if strip.id == finding.strips[0])
            main = next((o.id for o in strip.outlets if o.main), strip.outlets[0].id if strip.outlets else None)
            found[strip.id, None if outlet == main else outlet] = finding.code
    return found


@given(templates())
@tries(400)
def test_unheard_and_blocked(template: Template) -> None:
    triggers = {strip.id for strip in template.strips if "trigger" in strip.tags} | brute.key_only(template)
    leaves = {(route.from_strip, route.from_outlet) for route in template.routes}
    expected = {
        source: code
        for source, code in brute.unheard(template).items()
        if source[0] not in triggers and (source[1] is None or source in leaves)
    }
    found = {
        source: code
        for source, code in _by_source(template, "route.unheard", "route.blocked").items()
        if source[0] not in triggers
    }
    assert found == expected


@given(templates())
@tries(300)
def test_starved_unfed_and_dead_ends(template: Template) -> None:
    findings = audit(template).findings

    def about(code: str) -> set[str]:
        return {finding.strips[0] for finding in findings if finding.code == code}

    assert about("route.starved") == brute.starved(template)
    assert about("route.dead-end") == brute.dead_ends(template)


@given(templates())
@tries(300)
def test_of_what_nothing_reaches_the_lowest_are_named(template: Template) -> None:
    unfed = brute.unfed(template)
    chains = nx.DiGraph((r.from_strip, r.to) for r in template.routes if r.kind in ("feed", "send", "tie"))
    chains.add_nodes_from(unfed)
    kinds = {strip.id: strip.kind for strip in template.strips}
    first = {one for one in unfed if kinds[one] in SUMS and chains.in_degree(one) == 0}
    waiting = set(first)  # and whatever only such strips feed
    while more := {
        one for one in unfed - waiting if chains.in_degree(one) and set(chains.predecessors(one)) <= waiting
    }:
        waiting |= more
    findings = [finding for finding in audit(template).findings if finding.code == "route.unfed"]
    notes = [finding for finding in findings if finding.severity == "note"]
    assert [set(finding.strips) for finding in notes] == [waiting] * bool(waiting)
    assert all(finding.standing == "unfinished" for finding in notes)
    named = {finding.strips[0] for finding in findings if finding.severity == "warning"}
    rest, behind = unfed - waiting, chains.subgraph(unfed - waiting)
    assert named <= rest
    assert rest <= named.union(*(nx.descendants(behind, one) for one in named))
    begins = {one for one in rest if behind.in_degree(one) == 0}
    assert begins <= named
    assert all(not begins & nx.ancestors(behind, one) for one in named - begins)


@given(templates())
@tries(150)
def test_what_is_said_to_be_blocked_is_heard_once_its_blockers_are_open(template: Template) -> None:
    from lattice.edits import apply_steps

    for finding in audit(template).findings:
        if finding.code == "route.blocked" and finding.remedies:
            opened = apply_steps(template, finding.remedies[0].steps)
            codes = {
                f.code
                for f in audit(opened).findings
                if f.strips[:1] == finding.strips[:1] and f.outlets == finding.outlets
            }
            assert "route.blocked" not in codes
