"""Reduction: remaining strips, severed routes, and unchanged levels and arrivals without severed routes."""

from __future__ import annotations

import math
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.analysis import Analysis
from lattice.edits.reduce import cut, downstream
from lattice.formats.gate import validated
from lattice.gain_staging.report import as_json as levels_of
from lattice.generate import generate
from lattice.latency.report import as_json as timing_of
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

SHOW = template(
    [
        {"id": "kick", "name": "Kick", "kind": "audio", "section": "inner"},
        {"id": "bass", "name": "Bass", "kind": "audio", "section": "low"},
        {"id": "low-bus", "name": "Low bus", "kind": "bus", "section": "low", "inserts": [{"id": "duck", "type": "compressor", "key": "external"}]},
        {"id": "vox", "name": "Vox", "kind": "audio", "section": "talk"},
        {"id": "hall", "name": "Hall", "kind": "return"}, {"id": "mix", "name": "Mix", "kind": "master"}, {"id": "out", "name": "Out", "kind": "output"},
        {"id": "vox-out", "name": "Vox out", "kind": "output", "section": "talk"},
    ],
    ["kick>low-bus", "bass>low-bus", "low-bus>mix", "vox>mix", "send vox>hall", "send bass>hall", "hall>mix", "mix>out", "key vox>low-bus/duck", "vox>vox-out"],
    sections=[{"id": "low", "name": "Low", "bus": "low-bus"}, {"id": "inner", "name": "Inner", "parent": "low"}, {"id": "talk", "name": "Talk"}],
    stems=[{"id": "s", "name": "Low", "strip": "low-bus"}, {"id": "v", "name": "Vox", "strip": "vox"}],
    choices=[{"id": "c", "name": "Either", "members": ["vox", "bass"]}],
    rules=[{"id": "r", "name": "Apart", "kind": "avoids", "sources": ["strip:vox"], "through": ["strip:low-bus"]}],
)  # fmt: skip


@pytest.mark.parametrize(
    ("strips", "sections", "kept"),
    [
        ([], ["low"], "kick bass low-bus hall mix out"),
        ([], ["inner"], "kick low-bus mix out"),
        (["hall"], [], "hall mix out"),
        (["vox"], [], "low-bus vox hall mix out vox-out"),
        (["out"], [], "out"),
    ],
)
def test_what_is_downstream_is_kept(strips: list[str], sections: list[str], kept: str) -> None:
    assert [strip.id for strip in cut(SHOW, strips, sections).template.strips] == kept.split()


def test_what_is_severed_is_said() -> None:
    found = cut(SHOW, [], ["low"])
    assert [f"{route.kind} {route.from_strip}>{route.to}" for route in found.severed] == [
        "feed vox>mix", "send vox>hall", "key vox>low-bus",
    ]  # fmt: skip
    assert found.changed == {"low-bus", "hall", "mix", "out"}
    assert found.lost == ("stem Vox goes", "choice Either fewer names", "rule Apart goes")
    assert [section.id for section in found.template.sections] == ["low", "inner"]


def figures(made: Template) -> tuple[dict[str, Any], dict[str, Any]]:
    analysis = Analysis(made)
    return levels_of(analysis.levels)["strips"], timing_of(analysis.arrivals)["strips"]


def alike(one: Any, other: Any, tolerance: float) -> bool:
    """Whether two figures, or two of the same shape, differ by no more than a tolerance."""
    if isinstance(one, dict):
        return one.keys() == other.keys() and all(alike(one[key], other[key], tolerance) for key in one)
    if isinstance(one, list):
        return len(one) == len(other) and all(alike(*both, tolerance) for both in zip(one, other, strict=True))
    if one is None or other is None:
        return one is other
    return math.isclose(one, other, rel_tol=0, abs_tol=tolerance)


def as_they_were(made: Template, strips: list[str]) -> None:
    found = cut(made, strips)
    assert validated(made, found.template) is found.template
    assert found.kept == downstream(made.routes, strips)
    (levels, times), (new_levels, new_times) = figures(made), figures(found.template)
    for strip in found.kept - found.changed:
        assert alike(levels.get(strip), new_levels.get(strip), 0.01), strip
        assert alike(times.get(strip), new_times.get(strip), 0), strip


@given(templates(), st.data())
@tries(120)
def test_levels_and_arrivals_are_as_they_were_where_nothing_is_severed(made: Template, data: st.DataObject) -> None:
    as_they_were(made, data.draw(st.lists(st.sampled_from([s.id for s in made.strips]), min_size=1, unique=True)))


@pytest.mark.parametrize("seed", range(3))
def test_so_it_is_in_a_large_one(seed: int) -> None:
    made = generate(200, seed, worn=True)
    as_they_were(made, [strip.id for strip in made.strips if strip.section == made.sections[seed].id])
