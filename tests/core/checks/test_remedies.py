"""Fixes keep their promise: each can be applied, and resolves its finding."""

from __future__ import annotations

from typing import Any, ClassVar

import pytest
from hypothesis import given

from lattice.checks import Finding, audit
from lattice.edits import apply, apply_steps
from lattice.gain_staging.report import as_json
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.flows import flows
from tests.strategies import templates

COMP = {"id": "comp", "type": "compressor", "key": "external", "threshold_db": -30.0, "ratio": 4.0}
KEYED = {"id": "y", "kind": "bus", "inserts": [COMP]}


def found(made: Template, code: str) -> list[Finding]:
    return [finding for finding in audit(made).findings if finding.code == code]


def after_first_remedy(made: Template, code: str) -> Template:
    return apply_steps(made, found(made, code)[0].remedies[0].steps)


def _is_broken(finding: Finding) -> bool:
    """Loops are found with settings ignored: after its fix a loop remains, reported as broken."""
    return finding.code.startswith("loop.") and any(line.startswith("interrupted") for line in finding.evidence)


@given(templates() | flows())
@tries(300)
def test_every_remedy_takes_its_finding_away(made: Template) -> None:
    for finding in audit(made).findings:
        for remedy in finding.remedies:
            mended = apply_steps(made, remedy.steps)
            assert mended != made
            left = [other for other in audit(mended).findings if other.fingerprint == finding.fingerprint]
            assert not left or (_is_broken(left[0]) and not _is_broken(finding)), (finding.code, remedy.label)


class TestPrints:
    def stem(self, tap: str, routes: list[Any]) -> Template:
        stems = [{"id": "st", "name": "Bus", "strip": "bus", "tap": tap, "print": "pr", "layout": "mono"}]
        return template(["a:x", "b:bus", "p:pr", "o:out"], ["x>bus", "bus>out", *routes], stems=stems)

    @pytest.mark.parametrize(
        "routes",
        [
            ["bus>pr pre-insert", "bus>pr pre-insert -6"],
            ["bus>pr pre-insert", "bus>pr disabled"],
            ["bus>pr", "bus>pr pre-fader"],
            ["bus>pr -3", "x>pr"],
        ],
    )
    def test_a_print_fed_in_several_ways_keeps_one_as_it_is_tapped(self, routes: list[str]) -> None:
        mended = after_first_remedy(self.stem("post-fader", routes), "stem.print-differs")
        assert found(mended, "stem.print-differs") == []
        assert [(r.tap, r.gain_db) for r in mended.routes if r.to == "pr"] == [("post-fader", 0.0)]

    def test_a_print_fed_twice_in_the_same_way_is_said(self) -> None:
        made = self.stem("post-fader", ["bus>pr", {"from": "bus", "to": "pr", "channels": [[1, 1]]}])
        assert found(made, "stem.print-differs")[0].evidence == ("it has several feeds",)

    @pytest.mark.parametrize(
        ("role", "others", "expected"), [("mix", True, 1), ("composite", True, 1), ("mix", False, 0)]
    )
    def test_mixes_and_composites_have_prints_where_others_of_their_set_do(
        self, role: str, others: bool, expected: int
    ) -> None:
        stems = [
            {"id": "one", "name": "One", "strip": "bus", "layout": "mono", **({"print": "pr"} if others else {}), "role": "mix"},
            {"id": "two", "name": "Two", "strip": "out", "layout": "mono", "role": role},
        ]  # fmt: skip
        made = template(["a:x", "b:bus", "p:pr", "o:out"], ["x>bus", "bus>out", "bus>pr"], stems=stems)
        assert [finding.stems for finding in found(made, "stem.unprinted")] == [("two",)] * expected


class TestPops:
    STRIPS: ClassVar = [
        {"id": "pop", "kind": "audio", "tags": ["pop"], "source": {"peak_dbfs": -20.0, "rms_dbfs": -23.0}}
    ]

    def made(self, count: int) -> Template:
        strips = [*self.STRIPS, *(f"b:s{n}" for n in range(count)), *(f"p:p{n}" for n in range(count)), "x:mix", "p:pm"]
        routes = [f"s{n}>mix" for n in range(count)] + [f"s{n}>p{n}" for n in range(count)] + ["mix>pm"]
        stems = [
            {"id": f"st{n}", "name": f"S{n}", "strip": f"s{n}", "print": f"p{n}", "layout": "mono"}
            for n in range(count)
        ]
        stems.append({"id": "st-mix", "name": "Mix", "strip": "mix", "print": "pm", "role": "mix", "layout": "mono"})
        return template(strips, routes, stems=stems)

    def test_it_stands_in_every_print_once_and_nowhere_adds_up(self) -> None:
        mended = after_first_remedy(self.made(4), "stem.pop")
        assert found(mended, "stem.pop") == []
        from lattice.analysis import Analysis

        levels = as_json(Analysis(mended).levels)["strips"]
        assert {levels[f"p{n}"]["in"]["peak_dbfs"][0] for n in range(4)} | {levels["pm"]["in"]["peak_dbfs"][0]} == {
            -20.0
        }
        assert not [finding for finding in audit(mended).findings if finding.severity == "blocker"]
        assert found(mended, "stem.print-differs") == []

    def test_without_prints_that_take_it_there_is_no_remedy(self) -> None:
        made = apply(self.made(2), "change_strip", {"strip": "p1", "changes": {"in_service": False}})
        assert found(made, "stem.pop")[0].remedies == ()


class TestTriggers:
    def test_a_bus_of_triggers_that_is_heard_is_a_blocker_until_its_remedy(self) -> None:
        made = template(["a:x trigger", "b:t trigger", KEYED, "o:z"], ["x>t", "key t>y/comp", "t>z", "y>z"])
        heard = found(made, "route.trigger-heard")
        assert {finding.strips[0] for finding in heard} == {"x", "t"}
        assert {finding.severity for finding in heard} == {"blocker"}
        mended = apply_steps(made, next(f for f in heard if f.strips[0] == "t").remedies[0].steps)
        assert found(mended, "route.trigger-heard") == []

    def test_a_bus_that_works_keys_only_is_no_dead_end(self) -> None:
        made = template(["a:x", "b:t trigger", KEYED, "o:z"], ["x>t", "x>y", "key t>y/comp", "y>z"])
        assert not found(made, "route.trigger-heard")
        assert not found(made, "route.dead-end")

    def test_a_copied_compressor_listens_to_the_same_trigger(self) -> None:
        made = template(["a:t trigger", KEYED, "b:other", "o:z"], ["key t>y/comp", "y>z", "other>z"])
        copied = apply(made, "batch_inserts", {"strips": ["other", "t"], "inserts": ["comp"]})
        listeners = {strip.id: [insert.key for insert in strip.inserts] for strip in copied.strips}
        assert listeners["other"] == ["external"]
        keys = [(route.from_strip, route.to) for route in copied.routes if route.kind == "key"]
        assert keys == [("t", "y"), ("t", "other")]
        doubled = apply(made, "duplicate", {"strips": ["y"]})
        assert len({route.to for route in doubled.routes if route.kind == "key"}) == 2


def test_seventeen_mono_strips_on_channel_1_of_a_discrete_strip_are_said() -> None:
    strips = [f"a:m{n}" for n in range(17)] + [{"id": "d", "kind": "bus", "layout": "discrete:20"}]
    (doubled,) = found(template(strips, [f"m{n}>d" for n in range(17)]), "route.channels-doubled")
    assert doubled.strips[0] == "d"
    assert len(doubled.strips) == 18
    spread = [{"from": f"m{n}", "to": "d", "channels": [[1, n + 1]]} for n in range(17)]
    assert found(template(strips, spread), "route.channels-doubled") == []


@pytest.mark.parametrize(
    ("inserts", "severity"),
    [
        ([{"id": "i", "type": "compressor"}], "note"), ([{"id": "i", "type": "saturator"}], "note"),
        ([{"id": "i", "type": "compressor", "state": "bypassed"}], "warning"), ([{"id": "i", "type": "eq"}], "warning"),
    ],
)  # fmt: skip
def test_a_return_for_parallel_compression_is_a_note(inserts: list[dict[str, Any]], severity: str) -> None:
    made = template(
        ["a:x", {"id": "crush", "kind": "return", "inserts": inserts}, "o:z"], ["x>z", "send x>crush", "crush>z"]
    )
    (bare,) = found(made, "route.return-bare")
    assert bare.severity == severity
    assert ("parallel" in bare.message) == (severity == "note")


def test_a_return_without_an_insert_is_made_before_its_effect() -> None:
    made = template(["a:x", "r:slap", "o:z"], ["x>z", "send x>slap", "slap>z"])
    (bare,) = found(made, "route.return-bare")
    assert (bare.severity, bare.standing, bare.message) == ("note", "unfinished", "Return slap has no effect yet")
    (remedy,) = bare.remedies
    assert (remedy.label, remedy.asks) == ("Add an effect", True)
    assert remedy.steps[0].arguments["insert"]["type"] == "delay"  # its name says slap


def test_a_source_of_its_own_has_passed_no_tap_and_is_not_bent_with_the_stems() -> None:
    """A silent stem feeds a strip that plays its own recording, not its input."""
    player = {"id": "s", "kind": "audio", "inserts": [{"id": "c", "type": "compressor"}]}
    stems = [{"id": "st", "name": "St", "strip": "e"}, {"id": "mx", "name": "Mx", "strip": "m", "role": "mix"}]
    made = template(["b:e", player, "x:m", "o:o"], ["e>s", "s>m", "m>o"], stems=stems)
    assert found(made, "stem.bent") == []
    passing = apply(made, "change_strip", {"strip": "s", "changes": {"monitor": "always"}})
    sounding = apply(passing, "add_strip", {"strip": {"id": "x", "name": "X", "kind": "audio"}})
    fed = apply(sounding, "add_route", {"route": {"kind": "feed", "from": "x", "to": "e"}})
    assert [finding.strips for finding in found(fed, "stem.bent")] == [("s",)]


def test_a_source_that_is_followed_passes_over_a_ridden_send_at_rest() -> None:
    """An automated send at off carries nothing: after it there are no levels."""
    comp = {"id": "i", "kind": "audio", "monitor": "always", "inserts": [{"id": "c", "type": "compressor"}]}
    rule = {"id": "r", "name": "R", "kind": "lands-on", "sources": ["*"], "to": ["*"], "channels": [1]}
    made = template(["a:x", comp, "b:y"], ["x>i pre-insert off automated", "i>y pre-fader"], rules=[rule])
    assert audit(made)


def test_an_unheard_source_is_not_fed_to_a_bus_that_is_unheard_itself() -> None:
    sections = [{"id": "s", "name": "S", "bus": "bus"}]
    lost = {"id": "x", "kind": "audio", "section": "s"}
    (unheard,) = found(template([lost, "b:bus", "o:out"], [], sections=sections), "route.unheard")
    assert [remedy.label for remedy in unheard.remedies] == ["Feed to out"]
    heard = template([lost, "b:bus", "o:out"], ["bus>out"], sections=sections)
    assert [remedy.label for remedy in found(heard, "route.unheard")[0].remedies] == ["Feed to bus"]


def test_a_mix_that_is_taken_before_its_fader_is_trimmed_there() -> None:
    mix = {"id": "m", "kind": "master", "fader_db": -6.5}
    stems = [{"id": "st", "name": "Mix", "strip": "m", "role": "mix", "tap": "pre-fader", "layout": "mono"}]
    stated = [{"id": name, "kind": "audio", "source": {"peak_dbfs": -6.0}} for name in "xy"]
    made = template([*stated, mix, "o:o"], ["x>m", "y>m", "m>o"], stems=stems)
    assert found(made, "level.headroom")
    assert found(after_first_remedy(made, "level.headroom"), "level.headroom") == []
