"""Matters: one mistake with its echoes; every open finding in exactly one."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given

from lattice.analysis import Analysis
from lattice.bench.prints.codes import SEVERITY as OF_READINGS
from lattice.checks.assumed import CODE as ASSUMED
from lattice.checks.audit import audit_of
from lattice.checks.finding import SEVERITIES
from lattice.checks.registry import EXPLANATIONS, code_order
from lattice.checks.waivers import STALE, UNFINISHED
from lattice.edits import apply_steps
from lattice.generate import generate
from lattice.matters.consequences import trial_work
from lattice.matters.effect import State, best_first, effect_of, effect_words, effects_of
from lattice.matters.matter import Matter, matters_of, rank_of
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.flows import flows
from tests.strategies import templates
from tools import write_documents

HALL = {"id": "hall", "kind": "return", "inserts": [{"id": "verb", "type": "reverb"}]}
SECTION = [{"id": "s", "name": "Drums", "bus": "bus"}]


def in_section(*names: str) -> list[dict[str, Any]]:
    return [{"id": name, "kind": "audio", "section": "s"} for name in names]


def matters(made: Template, **how: bool) -> list[Matter]:
    state = State(made)
    return list(matters_of(state.analysis, state.audit, **how))


def of_code(made: Template, code: str) -> list[Matter]:
    return [matter for matter in matters(made) if matter.code == code]


SOUND = [*(f"a:t{n}" for n in range(9)), "o:out"]
FED = [f"t{n}>out" for n in range(9)]

# (name, template, code, number of its issues, findings in the first, its cause, words of its sentence)
CASES: list[tuple[str, Template, str, int, int, tuple[str, ...], str]] = [
    ("one send from a bus makes many come twice",
     template(["a:one", "a:two", "a:three", "b:bus", HALL, "o:out"],
              ["one>bus", "two>bus", "three>bus", "bus>out", "send one>hall", "send two>hall", "send three>hall", "send bus>hall", "hall>out"]),
     "route.double-path", 1, 3, ("r8",), "3 sources reach hall by two paths: bus sends to it too"),
    ("two feeds of one source are one matter, not everybody's",
     template(["a:one", "a:two", "b:bus", "o:out"], ["one>bus", "two>bus", "bus>out", "one>out"]),
     "route.double-path", 1, 1, ("r4",), "one reaches out by two paths, +6.0 dB"),
    ("one muted bus", template(["a:one", "a:two", "b:bus mute", "o:out"], ["one>bus", "two>bus", "bus>out"]),
     "route.blocked", 1, 3, ("bus",), "2 sources are silent: bus is muted"),
    ("without an output: one issue", template(["a:one", "a:two", "b:bus"], ["one>bus", "two>bus"]),
     "route.unheard", 1, 3, ("no-output",), "2 sources reach no output: there is none yet"),
    ("sources that end at one strip", template([*SOUND, "a:one", "a:two", "b:bus"], [*FED, "one>bus", "two>bus"]),
     "route.unheard", 1, 3, ("bus",), "2 sources reach no output, print or stem: the routes end at bus"),
    ("routing that has only begun", template([*SOUND[:4], "a:one", "a:two", "o:out"], FED[:4]),
     "route.unheard", 1, 2, ("begun",), "2 tracks lead nowhere yet"),
    ("sources of one section without a route",
     template([*in_section("one", "two", "three"), *SOUND, "b:bus"], ["one>bus", "bus>out", *FED], sections=SECTION),
     "route.unheard", 1, 2, ("s",), "2 sources reach no output, print or stem: in Drums"),
    ("what waits for a source", template(["a:x", "b:one", "b:two", "o:out"], ["one>two", "two>out", "x>out"]),
     "route.unfed", 1, 1, ("unfed",), "2 buses have no source yet"),
    ("sums that were made before their tracks", template(["b:one", "b:two", "o:out"], ["one>two", "two>out"]),
     "route.unfed", 1, 1, ("unfed",), "2 buses have no source yet"),
    ("prints and outputs that nothing feeds", template(["a:x", "p:one", "p:two", "o:out"], ["x>out"]),
     "route.unfed", 1, 2, ("unfed-ends",), "2 prints or outputs have no source"),
    ("names are a section's", template([{"id": "x", "name": "Audio 1", "kind": "audio", "section": "s"}, {"id": "y", "name": "Audio 2", "kind": "audio", "section": "s"}, "b:bus", "o:out"], ["x>bus", "y>bus", "bus>out"], sections=SECTION),
     "name.default", 1, 2, ("s",), "2 strips have default names: in Drums"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("made", "code", "count", "findings", "cause", "words"),
    [case[1:] for case in CASES],
    ids=[case[0] for case in CASES],
)
def test_findings_of_one_cause_are_one_matter(
    made: Template, code: str, count: int, findings: int, cause: tuple[str, ...], words: str
) -> None:
    found = of_code(made, code)
    assert len(found) == count
    assert (len(found[0].findings), found[0].cause, found[0].message) == (findings, cause, words)


def test_what_follows_from_a_mute_hangs_under_what_the_mute_silences() -> None:
    made = template(["a:one", "a:two", "b:bus mute", "o:out"], ["one>bus", "two>bus", "bus>out"])
    (matter,) = [one for one in matters(made) if one.code != "time.total"]
    assert [finding.code for finding in matter.findings] == ["route.blocked", "route.blocked", "route.starved"]
    assert [remedy.label for remedy in matter.remedies] == ["Unmute bus"]
    effect = effect_of(State(made), matter.remedies[0])
    assert effect is not None
    assert effect.sentence == "Fixes 3, adds 1 note"
    assert [finding.code for finding in effect.brings] == ["level.over"]  # two usual sources, peaks in phase
    assert sorted(map(repr, effect.puts_right)) == sorted(map(repr, matter.findings))


@given(templates() | flows())
@tries(150)
def test_every_open_finding_is_in_exactly_one_matter(made: Template) -> None:
    state = State(made)
    found = matters_of(state.analysis, state.audit)
    marks = [finding.fingerprint for matter in found for finding in matter.findings]
    assert sorted(marks) == sorted(state.open)
    assert len({matter.fingerprint for matter in found}) == len(found)
    assert found == matters_of(Analysis(made), audit_of(Analysis(made)))
    ranks = [rank_of(matter) for matter in found]
    assert ranks == sorted(ranks)
    for matter in found:
        assert matter.cause
        assert matter.message
        assert matter.severity == min((one.severity for one in matter.findings), key=SEVERITIES.index)
        assert {one.code for one in matter.own} == {matter.code} or len({one.issue for one in matter.own} - {""}) == 1
        assert {one.standing for one in matter.own} == {matter.standing}


@given(templates() | flows())
@tries(100)
def test_consequences_go_with_the_remedy_alone(made: Template) -> None:
    for matter in matters(made):
        if matter.consequences:
            mended = State(apply_steps(made, matter.remedies[0].steps))
            assert not {one.fingerprint for one in matter.consequences} & mended.open.keys()


@given(templates() | flows())
@tries(60)
def test_what_a_remedy_is_said_to_do_it_does(made: Template) -> None:
    state = State(made)
    for matter in matters(made)[:6]:
        for remedy in matter.remedies:
            effect = effect_of(state, remedy)
            if effect is None:
                continue
            after = State(apply_steps(made, remedy.steps))
            assert {one.fingerprint for one in effect.puts_right} <= state.open.keys() - after.open.keys()
            assert {one.fingerprint for one in effect.brings} <= after.open.keys() - state.open.keys()
            assert sum(effect.score) == len(state.open) - len(after.open)


@given(templates())
@tries(60)
def test_a_whole_is_no_more_than_its_groups(made: Template) -> None:
    """With consequences there are never more matters than without, and without, every finding is its own code's."""
    without = matters(made, hang=False)
    assert all(not matter.consequences for matter in without)
    assert len(matters(made)) <= len(without)


@pytest.mark.parametrize(
    ("right", "brings", "words"),
    [
        (0, "", "Fixes none"),
        (1, "", "Fixes 1"),
        (21, "n", "Fixes 21, adds 1 note"),
        (2, "bww", "Fixes 2, adds 3 (1 blocker)"),
        (2, "wwn", "Fixes 2, adds 3 (2 warnings)"),
    ],
)
def test_an_effect_in_words(right: int, brings: str, words: str) -> None:
    from lattice.checks.finding import Finding

    by_letter = {severity[0]: severity for severity in SEVERITIES}
    some = [Finding(code="x", severity="note", message="", strips=(str(n),)) for n in range(right)]
    come = [
        Finding(code="y", severity=by_letter[letter], message="", strips=(str(n),)) for n, letter in enumerate(brings)
    ]
    assert effect_words(some, come) == words


def test_levels_and_latency_of_an_effect() -> None:
    late = [{"id": "late", "type": "eq", "latency_samples": 64}]
    made = template(
        [{"id": "one", "kind": "audio", "section": "s", "inserts": late}, "b:bus", "o:out", "a:two"],
        ["bus>out", "two>bus"], sections=SECTION,
    )  # fmt: skip
    (matter,) = [one for one in matters(made) if one.code == "route.unheard"]
    effect = effect_of(State(made), matter.remedies[0])
    assert effect is not None
    assert effect.latency_samples == (0, 64)
    (output,) = [change for change in effect.levels if change.name == "out"]
    assert output.change == pytest.approx(3.01, abs=0.01)  # two equal sources in power: any acoustics handbook
    assert len(effect.changed_routes) == 1


def test_no_code_lacks_its_explanation() -> None:
    assert set(EXPLANATIONS) == {*code_order(), STALE, UNFINISHED, ASSUMED, *OF_READINGS}
    for known in EXPLANATIONS.values():
        for text in (known.found, known.why, known.how, known.fix):
            assert text.endswith(".")
            assert len(text.split()) > 3
        assert known.many.format(n=3, place="x") != known.many
        assert not known.many.endswith(".")


def test_a_worn_template_tells_its_few_mistakes() -> None:
    made = generate(300, worn=True)
    found = matters(made)
    assert len(found) < len(State(made).open) / 3
    (twice,) = [matter for matter in found if matter.code == "route.double-path"]
    assert twice.message.endswith("sends to it too")
    assert twice.remedies[0].label.startswith("Disable the send from")


class TestWaiverOfAMatter:
    NAMES = ("one", "two", "three")

    def made(self, *more: str, waivers: tuple[dict[str, Any], ...] = ()) -> Template:
        names = [*self.NAMES, *more]
        feeds = [
            {"id": f"{name}-in", "kind": kind, "from": name, "to": to}
            for name in names
            for kind, to in (("feed", "bus"), ("send", "hall"))
        ]
        ends = [
            {"id": "out-feed", "kind": "feed", "from": "bus", "to": "out"},
            {"id": "both", "kind": "send", "from": "bus", "to": "hall"},
            {"id": "hall-feed", "kind": "feed", "from": "hall", "to": "out"},
        ]
        routes = [{**route, "id": f"{route['id']}-{n}"} for n, route in enumerate(feeds)] + ends
        return template([*(f"a:{name}" for name in names), "b:bus", HALL, "o:out"], routes, waivers=list(waivers))

    def test_one_waiver_covers_all_and_what_comes_later(self) -> None:
        matter = next(one for one in of_code(self.made(), "route.double-path") if one.cause == ("both",))
        assert matter.pattern == "route.double-path@both"
        waiver = {"fingerprint": matter.pattern, "reason": "the hall is meant to hear the bus too"}
        for more in ((), ("four",)):
            waived = State(self.made(*more, waivers=(waiver,)))
            covered = [finding for finding in waived.audit.findings if finding.waived_by == matter.pattern]
            assert len(covered) == len(matter.own) + len(more)
            assert matter.fingerprint not in {one.fingerprint for one in matters_of(waived.analysis, waived.audit)}
            assert not [finding for finding in waived.audit.findings if finding.code == STALE]

    def test_a_pattern_that_covers_nothing_is_stale(self) -> None:
        waiver = {"fingerprint": "route.double-path@gone", "reason": "so"}
        findings = State(self.made(waivers=(waiver,))).audit.findings
        assert [finding.others for finding in findings if finding.code == STALE] == [("route.double-path@gone",)]


def test_effects_are_worked_out_as_far_as_the_bound_goes() -> None:
    made = generate(80, worn=True)
    state = State(made)
    found = [matter for matter in matters_of(state.analysis, state.audit) if matter.remedies]
    size = trial_work(state.analysis, state.open.values())
    assert effects_of(state, found, size - 1) == {}
    (first,) = effects_of(state, found, size).items()
    remedy = found[0].remedies[0]
    effect = effect_of(state, remedy)
    assert effect is not None
    assert first[0] == (found[0].fingerprint, remedy.key)
    assert (first[1].sentence, first[1].score) == (effect.sentence, effect.score)
    known = State.of(state.analysis, state.audit)
    effects = effects_of(known, found, 10**9)
    assert len(effects) == sum(len(matter.remedies) for matter in found)
    for matter in found:
        scores = [effects[matter.fingerprint, remedy.key].score for remedy in best_first(matter, effects)]
        assert scores == sorted(scores, reverse=True)
    assert best_first(found[0], {}) == list(found[0].remedies)


def test_generated_documents_are_current() -> None:
    for path, text in write_documents.pages():
        assert path.read_text(encoding="utf-8") == text, path
