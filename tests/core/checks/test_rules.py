"""Rules by kind on one template: the offenders of each, with the path as evidence; selectors and sentences."""

from __future__ import annotations

from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.checks.rules import rule_sentence
from lattice.model.document import Rule, Template, main_outlet
from lattice.model.layouts import channel_names
from lattice.model.selectors import select
from tests.build import template
from tests.core.gain_staging.naive import Naive
from tests.deep import tries
from tests.flows import flows
from tests.strategies import templates

DUCK = {
    "id": "music",
    "name": "Music",
    "kind": "bus",
    "section": "low",
    "inserts": [{"id": "duck", "type": "compressor", "key": "external"}],
}
STRIPS = [
    {"id": "voice", "name": "Voice", "kind": "audio", "section": "top"},
    {"id": "glass", "name": "Glass", "kind": "audio", "section": "low"},
    {"id": "ref", "name": "Reference", "kind": "audio", "tags": ["reference"]},
    {"id": "old", "name": "Old", "kind": "audio", "tags": ["backup"]},
    DUCK,
    {"id": "sub", "name": "Submix", "kind": "bus"},
    {"id": "phones", "name": "Phones", "kind": "output"},
    {"id": "out", "name": "Out", "kind": "output", "layout": "5.1"},
]  # fmt: skip
ROUTES = [
    "voice>sub", "glass>music", "music>sub", "sub>out", "ref>out", "send voice>phones -6", "send glass>phones pre-fader", "key voice>music/duck",
]  # fmt: skip
SECTIONS = [
    {"id": "all", "name": "All"},
    {"id": "top", "name": "Top", "parent": "all"},
    {"id": "low", "name": "Low", "parent": "all"},
]


def made(**rule: Any) -> Any:
    rules = [{"id": "r", "name": "Promise", **rule}] if rule else []
    return template(STRIPS, ROUTES, sections=SECTIONS, rules=rules)


TABLE: list[tuple[dict[str, Any], dict[str, str]]] = [
    ({"kind": "passes", "sources": ["*"], "through": ["strip:sub"], "to": ["strip:out"]}, {"ref": "Reference → Out"}),
    ({"kind": "passes", "sources": ["*", "!tag:reference"], "through": ["strip:sub"], "to": ["strip:out"]}, {}),
    ({"kind": "reaches", "sources": ["section:all"], "to": ["strip:phones", "strip:sub"]}, {}),
    ({"kind": "reaches", "sources": ["kind:audio"], "to": ["strip:sub"]}, {"ref": ""}),
    ({"kind": "avoids", "sources": ["tag:reference"], "through": ["strip:sub"]}, {}),
    ({"kind": "avoids", "sources": ["*"], "through": ["strip:music"]}, {"glass": "Glass → Music"}),
    ({"kind": "isolated", "sources": ["section:top"], "to": ["kind:output"]}, {"voice": "Voice → Phones"}),
    ({"kind": "pre-fader", "sources": ["*"], "to": ["strip:phones"]}, {"voice": "Voice → Phones"}),
    ({"kind": "ducked-by", "sources": ["strip:glass"], "through": ["strip:voice"]}, {"glass": "Glass → Phones"}),
    ({"kind": "not-ducked-by", "sources": ["section:all"], "through": ["strip:voice"]}, {"glass": "Glass → Music"}),
    ({"kind": "lands-on", "sources": ["strip:voice"], "to": ["strip:out"], "channels": [1, 2]}, {}),
    ({"kind": "lands-on", "sources": ["strip:voice"], "to": ["strip:out"], "channels": ["C"]}, {"voice": "Voice → Submix → Out"}),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "broken"), TABLE)
def test_who_breaks_a_rule_and_by_which_way(rule: dict[str, Any], broken: dict[str, str]) -> None:
    found = [finding for finding in audit(made(**rule)).findings if finding.code == "rule.broken"]
    assert {finding.strips[0]: "".join(finding.evidence[1:]) for finding in found} == broken
    assert all((finding.severity, finding.others) == ("blocker", ("r",)) for finding in found)


def test_states_count_for_some_kinds_and_not_for_others() -> None:
    muted = [{**strip, "mute": True} if strip["id"] == "voice" else strip for strip in STRIPS]

    def codes(kind: str) -> set[str]:
        rules = [
            {
                "id": "r",
                "name": "R",
                "kind": kind,
                "sources": ["strip:voice"],
                "to": ["strip:sub"],
                "through": ["strip:sub"],
            }
        ]
        found = audit(template(muted, ROUTES, sections=SECTIONS, rules=rules)).findings
        return {finding.code for finding in found} & {"rule.broken"}

    assert {kind: bool(codes(kind)) for kind in ("reaches", "avoids", "isolated")} == {
        "reaches": True, "avoids": True, "isolated": True,
    }  # fmt: skip


@pytest.mark.parametrize(
    ("selectors", "ids"),
    [
        (["strip:sub"], "sub"),
        (["section:all"], "voice glass music"),
        (["section:all", "!strip:glass", "tag:reference"], "voice ref music"),
        (["!kind:audio", "!kind:output"], "music sub"),
        (["kind:output"], "phones out"),
        ([], ""),
    ],
)
def test_selectors(selectors: list[str], ids: str) -> None:
    wanted = made()
    assert [wanted.strips[number].id for number in sorted(select(wanted, selectors))] == ids.split()


@pytest.mark.parametrize(
    ("rule", "sentence"),
    [
        ({"kind": "passes", "sources": ["*", "!tag:reference"], "through": ["strip:sub"], "to": ["strip:out"]}, "everything, except strips tagged reference must reach Out only through Submix"),
        ({"kind": "isolated", "sources": ["tag:click"], "to": ["kind:print", "strip:out"]}, "strips tagged click must not reach any print and Out"),
        ({"kind": "lands-on", "sources": ["section:top"], "to": ["strip:out"], "channels": ["C"]}, "the section Top must use only C of Out"),
    ],
)  # fmt: skip
def test_a_rule_reads_as_a_sentence(rule: dict[str, Any], sentence: str) -> None:
    wanted = made(**rule)
    assert rule_sentence(Analysis(wanted), wanted.rules[0]) == sentence


@given(flows(), st.data())
@tries(150)
def test_where_a_source_lands_is_what_a_reading_channel_by_channel_says(flow: Template, data: st.DataObject) -> None:
    end = data.draw(st.sampled_from(flow.strips))
    rule = Rule(
        id="r", name="R", kind="lands-on", sources=("*",), to=(f"strip:{end.id}",), channels=(1, data.draw(st.sampled_from([2, "R", "C"])))
    )  # fmt: skip
    made = replace(flow, rules=(rule,))
    naive, names = Naive(made), channel_names(end.layout)
    allowed = {
        0,
        *(at for at, name in enumerate(names) if name == rule.channels[1]),
        *([1] if rule.channels[1] == 2 else []),
    }
    expected = set()
    for stage in naive.stages.get(end.id, [])[:1]:
        power = stage.ce**2 + stage.de
        for column, (strip, outlet, _channel) in enumerate(naive.signals):
            if any(level > 0 and row not in allowed for row, level in enumerate(power[:, column])) and (
                strip,
                outlet,
            ) != (end.id, None):
                expected.add(strip if outlet is None else f"{strip}/{outlet}")
    found = [finding for finding in audit(made).findings if finding.code == "rule.broken"]
    mains = {f"{s.id}/{main.id}": s.id for s in made.strips if (main := main_outlet(s)) is not None}
    assert {mains.get(name, name) for f in found for name in (f.outlets[:1] or f.strips[:1])} == expected


@given(templates(), st.randoms(use_true_random=False))
@tries(100)
def test_a_broken_rule_names_the_same_way_whatever_order_routes_stand_in(made: Template, chance: Random) -> None:
    routes = list(made.routes)
    chance.shuffle(routes)
    found = [
        [finding.as_json() | {"path": finding.path} for finding in audit(one).findings if finding.code == "rule.broken"]
        for one in (made, replace(made, routes=tuple(routes)))
    ]
    assert found[0] == found[1]
