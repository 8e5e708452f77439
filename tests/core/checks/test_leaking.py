"""Private sections against an obvious reading on random small templates; the fix closes the way."""

from __future__ import annotations

import networkx as nx
from hypothesis import given
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.checks.finding import Finding
from lattice.edits import apply_steps
from lattice.model.document import Template
from tests.build import template
from tests.core.brute import Stages
from tests.deep import tries
from tests.strategies import templates


def private(made: Template) -> Template:
    """The template with its first section private; the second one may lie in it."""
    return replace(made, sections=(replace(made.sections[0], private=True), *made.sections[1:]))


def leaks(made: Template) -> list[Finding]:
    return [finding for finding in audit(made).findings if finding.code == "section.private"]


def by_paths(made: Template) -> set[tuple[str, str | None, str]]:
    """(source, outlet, strip where a way leaves) by walking the stage graph within the section."""
    main = Analysis(made).destinations.main_output
    if main is None:
        return set()
    end, stages = (made.strips[main].id, "in fed"), Stages(made)
    parents = {section.id: section.parent for section in made.sections}
    own = made.sections[0].id
    inside = {s.id for s in made.strips if s.section is not None and own in (s.section, parents[s.section])}
    within = stages.open.subgraph(node for node in stages.open if node[0] in inside)
    found = set()
    for strip, outlet in stages.sources():
        start = (strip, "source" if outlet is None else f"source {outlet}")
        if strip not in inside or start not in within:
            continue
        for node in nx.descendants(within, start):
            for _node, head in stages.open.out_edges(node):
                is_out = head[0] not in inside or (head[0] == end[0] and node[0] != end[0])
                if is_out and head[0] != "end" and (head == end or end in nx.descendants(stages.open, head)):
                    found.add((strip, outlet, node[0]))
    return found


@given(templates())
@tries(400)
def test_every_way_out_of_a_private_section_is_found_and_no_other(made: Template) -> None:
    made = private(made)
    if made.strips and any(strip.id == "end" for strip in made.strips):
        return
    mains = {
        s.id: next((o.id for o in s.outlets if o.main), s.outlets[0].id if s.outlets else None) for s in made.strips
    }
    found = set()
    for finding in leaks(made):
        outlet = finding.outlets[0].partition("/")[2] if finding.outlets else None
        found.add((finding.strips[0], None if outlet == mains[finding.strips[0]] else outlet, finding.strips[1]))
    assert found == by_paths(made)


@given(templates())
@tries(100)
def test_the_fix_closes_the_way(made: Template) -> None:
    made = private(made)
    for finding in leaks(made)[:2]:
        after = apply_steps(made, finding.remedies[0].steps)
        assert finding.fingerprint not in {one.fingerprint for one in leaks(after)}


CUE = template(
    ["a:talk", "a:click", "b:cue", "x:mix", "o:out", {"id": "phones", "name": "Phones", "kind": "output"}],
    ["talk>cue", "click>cue", "cue>phones", "send cue>mix -20", "mix>out"],
    sections=[{"id": "s", "name": "Cue", "private": True}],
)  # fmt: skip


def test_sources_through_one_strip_are_one_issue_with_one_fix() -> None:
    strips = tuple(replace(s, section="s") if s.id in ("talk", "click", "cue") else s for s in CUE.strips)
    found = leaks(replace(CUE, strips=strips))
    assert [finding.strips for finding in found] == [("talk", "cue"), ("click", "cue")]
    assert {finding.cause for finding in found} == {("r4",)}
    assert {finding.remedies[0].label for finding in found} == {"Remove the send cue → mix"}
    assert found[0].message == "talk of private section Cue reaches out from cue"
