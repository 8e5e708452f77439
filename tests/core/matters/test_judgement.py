"""What a good colleague would say first: standing, the nine rules of fixes, and the cases they come from."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec
import pytest
from hypothesis import given

from lattice.analysis import SILENT_DBFS, Analysis
from lattice.checks.assumed import standing
from lattice.checks.audit import audit_of
from lattice.checks.finding import Remedy
from lattice.checks.fix_kinds import RANK
from lattice.checks.private import EXEMPT_EDITS, Endpoints, breaks_privacy
from lattice.edits import apply_steps
from lattice.errors import DocumentError
from lattice.gain_staging.chain import likely_db
from lattice.generate import generate
from lattice.matters.effect import State
from lattice.matters.matter import Matter, matters_of
from lattice.matters.plan import plan
from lattice.model.document import Source, Template
from tests.build import template
from tests.deep import tries
from tests.flows import flows
from tests.strategies import templates


def audio(name: str, peak: float = -6.0, rms: float = -18.0, **fields: Any) -> dict[str, Any]:
    return {"id": name, "kind": "audio", "source": {"peak_dbfs": peak, "rms_dbfs": rms}, **fields}


def issues(made: Template, **how: bool) -> list[Matter]:
    state = State(made)
    return list(matters_of(state.analysis, state.audit, **how))


def said(made: Template) -> list[tuple[str, str, str]]:
    """Severity, standing and sentence of every issue."""
    return [(one.severity, one.standing, one.message) for one in issues(made)]


def labels(matter: Matter) -> list[str]:
    return [remedy.label for remedy in matter.remedies]


FED = [*(f"a:t{n}" for n in range(9)), "o:out"]
ROUTES = [f"t{n}>out" for n in range(9)]
KIT = {"id": "kit", "name": "Kit", "kind": "instrument", "outlets": [{"id": str(n)} for n in range(1, 9)]}
CUE = [{"id": "cue", "name": "Cue"}]
IN_CUE = [{"id": name, "kind": "audio", "section": "cue"} for name in ("synth", "voice")]
DUCK = {"type": "compressor", "name": "Duck", "key": "external"}


# standing


@pytest.mark.parametrize(
    ("made", "expected"),
    [
        (template([f"b:b{n}" for n in range(64)]), ("note", "unfinished", "64 buses have no source yet")),
        (template(["a:x", "r:verb", "o:o"], ["x>o", "verb>o"]), ("note", "unfinished", "verb has no source yet")),
        (template(["a:x", "a:y", "b:bus", "o:o", "p:p"], ["x>bus", "y>o"]), ("blocker", "unfinished", "1 bus leads nowhere yet")),
        (template([*FED, "a:lost"], ROUTES), ("blocker", "wrong", "lost reaches no output, print or stem")),
        (template([*FED[:4], "a:one", "a:two", "o:out"], ROUTES[:4]), ("blocker", "unfinished", "2 tracks lead nowhere yet")),
        (template(["a:x", "a:y", "b:b"], ["x>b"]), ("blocker", "unfinished", "2 sources reach no output: there is none yet")),
        (template([KIT]), ("blocker", "unfinished", "8 sources reach no output: there is none yet")),
        (template(["m:n", "m:p", "a:x", "o:o"], ["x>o"]), ("note", "unfinished", "2 MIDI strips have no instrument yet")),
        (template(["a:x trigger", "a:y", "o:o"], ["y>o"]), ("note", "unfinished", "Trigger x feeds no key input yet")),
        (template(["a:x", "r:slap", "o:o"], ["x>o", "send x>slap", "slap>o"]), ("note", "unfinished", "Return slap has no effect yet")),
        (template(["a:x", {"id": "b", "kind": "bus", "inserts": [{"id": "d", **DUCK}]}, "o:o"], ["x>b", "b>o"]), ("note", "unfinished", "Duck on b has no key signal yet")),
        (template(["a:x", "p:a", "p:b", "o:o"], ["x>o"]), ("warning", "unfinished", "2 prints or outputs have no source")),
        (template(["a:x", "a:y", "x:m", "o:o"], ["x>m 6", "y>m 6", "m>o"]), ("note", "assumed", "Levels of 2 of 2 sources are assumed (−6 dBFS peak): if they are right, o would be 3.0 dB over full scale, and 1 more")),
    ],
)  # fmt: skip
def test_what_is_unfinished_or_assumed_is_one_issue(made: Template, expected: tuple[str, str, str]) -> None:
    assert expected in said(made)


def test_a_dormant_key_is_all_that_is_said_of_its_trigger() -> None:
    keyed = {"id": "b", "kind": "bus", "inserts": [{"id": "d", **DUCK, "state": "bypassed"}]}
    made = template(["a:t trigger", "a:x", keyed, "o:o"], ["key t>b/d", "x>b", "b>o"])
    assert [one.code for one in issues(made)] == ["key.dormant"]


def test_spare_means_nothing_once_something_reaches_the_strip() -> None:
    off = {"id": "b", "kind": "bus", "tags": ["spare"], "fader_db": None}
    codes = {one.code for one in audit_of(Analysis(template(["a:x", off, "o:o"], ["x>b", "b>o"]))).findings}
    assert "level.idle" in codes
    codes = {one.code for one in audit_of(Analysis(template(["a:x", off, "o:o"], ["x>o", "b>o"]))).findings}
    assert "level.idle" not in codes


@given(templates() | flows())
@tries(80)
def test_a_finding_of_levels_has_the_severity_it_has_without_the_assumed_sources(made: Template) -> None:
    analysis = Analysis(made)
    silent = _with_assumed(made, Source(peak_dbfs=-200.0, rms_dbfs=-200.0))
    then = {(f.code, f.strips, f.inserts, f.stems): f.severity for f in audit_of(Analysis(silent)).findings}
    for finding in audit_of(analysis).findings:
        if finding.code in ("level.headroom", "level.build-up", "level.ceiling") or (
            finding.code == "level.over" and len(finding.strips) == 1
        ):
            known = then.get((finding.code, finding.strips, finding.inserts, finding.stems))
            if finding.standing == "assumed":
                assert (known, finding.severity) in ((None, "note"), ("note", "note"))
                assert finding.remedies == ()  # no ceiling and no trim on a guess
            elif known is not None:
                assert finding.severity == known


def _with_assumed(made: Template, source: Source) -> Template:
    strips = []
    for strip in made.strips:
        outlets = tuple(
            msgspec.structs.replace(o, source=source) if o.source is msgspec.UNSET and strip.source is not None else o
            for o in strip.outlets
        )
        known = source if strip.source is msgspec.UNSET and strip.traits.plays else strip.source
        strips.append(msgspec.structs.replace(strip, source=known, outlets=outlets))
    return msgspec.structs.replace(made, strips=tuple(strips))


@given(flows())
@tries(80)
def test_the_quick_bounds_of_assumed_levels_agree_with_the_exact_levels(made: Template) -> None:
    analysis = Analysis(made)
    exact = analysis.levels_if_assumed(SILENT_DBFS)
    for number in range(len(made.strips)):
        stage = analysis.levels.post[number]
        if stage is None or not analysis.rests_on_assumed(number):
            continue
        likely, then = likely_db(stage), exact.post[number]
        stated = likely_db(then) if then is not None else -1e9
        for limit_db in (likely - 0.5, likely - 3.0, likely - 12.0):
            judged = "note" if stated > limit_db else None
            found = standing(analysis, number, "note", lambda _l, j=judged: j, likely_db=likely - limit_db)  # type: ignore[arg-type,misc]
            assert (found.standing == "wrong") == (judged is not None)


# the nine rules


def offered(made: Template) -> Iterator[tuple[Matter, Remedy]]:
    for matter in issues(made):
        for remedy in matter.remedies:
            yield matter, remedy


@given(templates() | flows())
@tries(120)
def test_fixes_come_causes_before_symptoms(made: Template) -> None:
    for matter in issues(made):
        ranks = [RANK[remedy.kind] for remedy in matter.remedies]
        assert ranks == sorted(ranks)


@given(templates())
@tries(200)
def test_no_fix_leads_a_source_out_of_its_section(made: Template) -> None:
    before = Endpoints(made)
    for _matter, remedy in offered(made):
        if remedy.kind == "stem" or any(step.edit in EXEMPT_EDITS for step in remedy.steps):
            continue
        try:
            after = Endpoints(apply_steps(made, remedy.steps))
        except DocumentError:
            continue
        place = {name: at for at, name in enumerate(before.names)}
        for name in after.names:
            place.setdefault(name, len(place))
        then = {
            key: sum(1 << place[name] for at, name in enumerate(after.names) if mask >> at & 1)
            for key, mask in after.of.items()
        }
        assert not breaks_privacy(before, then), remedy.label


@given(templates() | flows())
@tries(120)
def test_no_ceiling_lands_before_a_deliverable_that_does_not_need_it(made: Template) -> None:
    analysis = Analysis(made)
    failing = {f.strips[-1] for f in audit_of(analysis).findings if f.code == "level.ceiling"}
    for _matter, remedy in offered(made):
        for step in remedy.steps:
            if step.edit == "add_insert" and step.arguments["insert"].get("type") == "limiter":
                start = analysis.graph.index[step.arguments["strip"]]
                behind = {start, *(n for n in range(len(made.strips)) if n in _levels_behind(analysis, start))}
                ends = {
                    made.strips[n].id
                    for n in behind
                    if made.strips[n].kind == "output" and n not in analysis.graph.tied_out
                }
                assert ends <= failing


def _levels_behind(analysis: Analysis, start: int) -> set[int]:
    graph = analysis.graph
    heads = {graph.head[r] for r in graph.outs[start] if graph.stage[r] and analysis.levels.goes(r)}
    return set().union(*(analysis.downstream(head) for head in heads))


@given(templates() | flows())
@tries(40)
def test_the_plan_decides_nothing_that_only_the_user_knows_and_ends_with_no_more_blockers(made: Template) -> None:
    planned = plan(made)
    assert not any(step.remedy.asks for step in planned.steps)
    said = planned.as_json()
    assert said["after"]["blocker"] <= said["before"]["blocker"]
    kinds = {route.id: route.kind for route in made.routes}
    for step in planned.steps:
        for edit in step.remedy.steps:
            assert edit.edit not in ("state_levels", "keep_for_later")
            if edit.edit == "remove_routes":
                assert "send" not in {kinds.get(route) for route in edit.arguments["routes"]}


@given(templates() | flows())
@tries(120)
def test_every_issue_above_note_has_a_fix_or_says_why_only_a_person_can_decide(made: Template) -> None:
    for matter in issues(made):
        assert matter.severity == "note" or matter.remedies or (matter.decide and matter.place), matter.code


@pytest.mark.parametrize(("strips", "worn"), [(300, True), (300, False)])
def test_so_do_those_of_a_template_at_the_end_of_a_long_job(strips: int, worn: bool) -> None:
    for matter in issues(generate(strips, worn=worn)):
        assert matter.severity == "note" or matter.remedies or (matter.decide and matter.place), matter.code


# the cases they come from


@pytest.mark.parametrize("tracks", [1, 3])
@pytest.mark.parametrize("sends", [True, False])
def test_a_headphone_bus_that_also_feeds_the_mix_is_cut_there(tracks: int, sends: bool) -> None:
    names = [f"t{n}" for n in range(tracks)]
    cue = [f"send {name}>cue pre-fader" if sends else f"{name}>cue" for name in names]
    made = template(
        [*(audio(name) for name in names), "b:cue", "x:mix", "o:out", "o:phones"],
        [*(f"{name}>mix" for name in names), *cue, "cue>mix", "cue>phones", "mix>out"],
    )
    (matter,) = [one for one in issues(made) if one.code == "route.double-path"]
    assert labels(matter)[0] == "Remove the feed from cue to mix"
    assert [step.remedy.label for step in plan(made).steps][:1] == ["Remove the feed from cue to mix"]


def test_the_ceiling_is_lowered_where_the_limited_print_is_and_nothing_is_put_on_the_mix() -> None:
    limited = {
        "id": "lim",
        "kind": "bus",
        "name": "Limited",
        "inserts": [{"id": "l", "type": "limiter", "name": "Limiter", "ceiling_db": -0.3}],
    }
    stems = [
        {
            "id": "m",
            "name": "Mix",
            "role": "mix",
            "strip": "mix",
            "print": "pr",
            "layout": "mono",
            "mix_headroom_db": 0.1,
        }
    ]
    made = template(
        [*(audio(name, -5.5) for name in "abc"), "x:mix", {"id": "pr", "kind": "print", "monitor": "always"}, limited, "o:out"],
        ["a>mix", "b>mix", "c>mix", "mix>pr", "pr>lim", "lim>out"], stems=stems,
    )  # fmt: skip
    (matter,) = [one for one in issues(made) if one.code == "level.ceiling"]
    assert labels(matter) == ["Lower Limiter on Limited from −0.3 to −1.0 dB"]
    assert all(step.edit != "add_insert" for _matter, remedy in offered(made) for step in remedy.steps)


def test_an_instrument_of_eight_outlets_is_one_issue_with_one_fix_that_makes_it_heard() -> None:
    (matter,) = issues(template([KIT]))
    (remedy,) = matter.remedies
    made = apply_steps(template([KIT]), remedy.steps)
    assert all(one.severity == "note" for one in issues(made))
    assert [strip.kind for strip in made.strips].count("audio") == 7  # the main outlet is the instrument's own chain
    beside = template([KIT, *FED], ROUTES)
    (matter,) = [one for one in issues(beside) if one.severity != "note"]
    assert (labels(matter), len(matter.own)) == (["Add a strip for each outlet"], 8)


def test_a_cue_section_is_never_led_to_the_main_output() -> None:
    made = template([*IN_CUE, *FED, "o:phones"], ["send voice>phones", *ROUTES], sections=CUE)
    (matter,) = [one for one in issues(made) if one.code == "route.unheard"]
    assert labels(matter) == ["Feed to phones"]
    assert matter.remedies[0].asks
    closed = template([*IN_CUE, *FED], ["voice>t0", *ROUTES], sections=[{**CUE[0], "private": True}])
    assert all("out" not in remedy.label for _matter, remedy in offered(closed) if _matter.code == "route.unheard")


def test_sends_made_before_their_effects_are_not_taken_away() -> None:
    made = template(
        [audio("x", -20.0), "r:hall", "b:slap", "x:mix", "o:out"],
        ["x>mix", "send x>hall", "send x>slap", "hall>mix", "slap>mix", "mix>out"],
    )
    assert [one.code for one in issues(made)] == ["route.return-bare"]


def test_a_band_whose_levels_were_never_typed_gives_one_line_and_no_limiter() -> None:
    made = template([*(f"a:t{n}" for n in range(12)), "x:mix", "o:out"], [*(f"t{n}>mix" for n in range(12)), "mix>out"])
    (matter,) = issues(made)
    assert matter.standing == "assumed"
    assert matter.message.startswith(
        "Levels of 12 of 12 sources are assumed (−6 dBFS peak): if they are right, out would be"
    )
    assert labels(matter) == [
        "State the assumed levels as they are",
        "State −12 dBFS peak, −20 dBFS RMS for all of them",
    ]
    assert plan(made).steps == []
    stated = apply_steps(made, matter.remedies[0].steps)
    assert {one.standing for one in issues(stated)} == {"wrong"}


def test_unfed_prints_are_fed_by_their_names_all_in_one_edit() -> None:
    prints = [{"id": f"p{n}", "name": f"Print {name}", "kind": "print"} for n, name in enumerate(("Strings", "Brass"))]
    buses = [{"id": name.lower(), "name": f"{name} bus", "kind": "bus"} for name in ("Strings", "Brass")]
    made = template(
        [audio("x"), audio("y"), *buses, *prints, "o:out"], ["x>strings", "y>brass", "strings>out", "brass>out"]
    )
    (matter,) = [one for one in issues(made) if one.code == "route.unfed"]
    assert labels(matter) == ["Feed 2 prints by their names"]
    after = apply_steps(made, matter.remedies[0].steps)
    assert {(r.from_strip, r.to) for r in after.routes} >= {("strings", "p0"), ("brass", "p1")}


def test_a_limiter_that_is_off_is_switched_on_before_one_is_added() -> None:
    off = {
        "id": "m",
        "kind": "master",
        "inserts": [{"id": "l", "type": "limiter", "ceiling_db": -1.0, "state": "bypassed"}],
    }
    made = template([audio("a", -1.0), audio("b", -6.0), off, "o:out"], ["a>m", "b>m", "m>out"])
    (matter,) = [one for one in issues(made, hang=False) if one.code == "level.ceiling"]
    assert [(remedy.label, remedy.kind) for remedy in matter.remedies] == [("Turn on limiter on m", "state")]


def test_what_only_the_user_decides_is_a_question_with_effects() -> None:
    said = plan(template([f"b:b{n}" for n in range(3)])).as_json()
    assert said["steps"] == []
    assert [one["remedy"] for one in said["questions"][0]["remedies"]] == ["Keep all for later"]
    assert said["questions"][0]["remedies"][0]["effect"] == "Fixes 1"
