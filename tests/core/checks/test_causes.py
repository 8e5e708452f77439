"""Causes within a code: the ids that have to change, for each family of checks that has its own rule."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.analysis import Analysis
from lattice.checks import audit_of
from lattice.checks.causes import by_cause
from lattice.edits import apply_steps
from lattice.model.document import Template
from tests.build import template

SECTION = [{"id": "s", "name": "Drums", "bus": "bus"}]
VERB = {"id": "verb", "type": "reverb"}
DUCK = {"id": "duck", "type": "compressor", "key": "external", "threshold_db": -30.0}
STEMS = [
    {"id": "st-a", "name": "A", "strip": "a", "print": "pa"},
    {"id": "st-b", "name": "B", "strip": "b", "print": "pb"},
    {"id": "st-mix", "name": "Mix", "role": "mix", "strip": "mix"},
]
STEM_STRIPS = ["b:a", "b:b", "x:mix", "o:out", "p:pa", "p:pb"]
STEM_ROUTES = ["a>mix", "b>mix", "mix>out", "a>pa", "b>pb"]


def stems(strips: list[Any], routes: list[Any]) -> Template:
    """Two stems and a mix; the routes given come first, as r1, r2 …"""
    return template([*strips, *STEM_STRIPS], [*routes, *STEM_ROUTES], stems=STEMS)


def late(strip_id: str, kind: str, **latency: int) -> dict[str, Any]:
    return {"id": strip_id, "kind": kind, "inserts": [{"id": f"{strip_id}-fx", "type": "eq", **latency}]}


# name, template, code, causes of its findings in order
CASES: list[tuple[str, Template, str, list[tuple[str, ...]]]] = [
    ("a key that carries nothing: the insert", template(["a:x", "a:k", {"id": "b", "kind": "bus", "inserts": [DUCK]}, "o:o"], ["x>b", "b>o", "k>o", "key k>b/duck disabled"]),
     "key.unfed", [("duck",)]),
    ("keys that are not there yet: name and type of the insert", template(["a:x", {"id": "b", "kind": "bus", "inserts": [DUCK]}, "o:o"], ["x>b", "b>o"]),
     "key.unfed", [("keys:compressor compressor",)]),
    ("a channel: the machine", template(["a:x", {"id": "o", "kind": "output", "io": [99]}], ["x>o"]), "io.range", [("main",)]),
    ("a colour: the section", template([{"id": "x", "kind": "audio", "section": "s", "colour": "#ffffff"}, "b:bus", "o:o"], ["x>bus", "bus>o"], sections=[{**SECTION[0], "colour": "#112233"}]),
     "section.colour", [("s",)]),
    ("a blocked source: what blocks it", template(["a:x", "b:b mute", "a:y", "b:c", "o:o"], ["x>b", "b>o", "y>c disabled", "c>o"]),
     "route.blocked", [("b",), ("r3",)]),
    ("a dead end: the last of the chain", template(["a:x", "b:b", "b:c", *(f"a:y{n}" for n in range(9)), "o:o"], ["x>b", "b>c", *(f"y{n}>o" for n in range(9))]), "route.dead-end", [("c",)]),
    ("off its level: type and section", template([{"id": "x", "kind": "audio", "source": {"peak_dbfs": -40.0, "rms_dbfs": -60.0}, "inserts": [{"id": "g", "type": "gate"}]}, "o:o"], ["x>o"]),
     "level.operating", [("gate", "x")]),
    ("past the taps: the route that does it", stems(["a:x", "a:y", "b:past"], ["x>past", "y>past", "past>mix"]), "stem.bypassed", [("r3",)]),
    ("past the taps by each its own", stems(["a:x", "a:y"], ["x>mix", "y>mix"]), "stem.bypassed", [("r1",), ("r2",)]),
    ("in two stems: the later feed where the ways part", stems(["a:x", "a:y", "b:sum"], ["x>sum", "y>sum", "sum>a", "sum>b"]), "stem.twice", [("r4",)]),
    ("a stem in a stem: the route between", stems(["a:x"], ["x>a", "send a>b -6"]), "stem.nested", [("r2",)]),
    ("clicks by one route: that route", stems(["a:c click", "a:d click", "b:clicks", "a:x"], ["c>clicks", "d>clicks", "clicks>a", "x>a"]),
     "stem.forbidden", [("r3",)]),
    ("a click by itself: its strip", stems(["a:c click", "a:x"], ["c>a", "x>a"]), "stem.forbidden", [("c",)]),
    ("out of line: the insert nobody told of", template([late("x", "bus", measured_latency_samples=64), "a:k", "b:sum", "o:o"], ["k>x", "k>sum", "x>sum", "sum>o"]),
     "time.misaligned", [("x-fx",)]),
    ("out of line without compensation: the insert as late as the difference", template([late("x", "bus", latency_samples=64), "a:k", "b:sum", "o:o"], ["k>x", "k>sum", "x>sum", "sum>o"], compensation={"mode": "off"}),
     "time.misaligned", [("x-fx",)]),
    ("a leak: the return", stems(["a:x", "a:y", {"id": "hall", "kind": "return", "inserts": [VERB]}], ["x>a", "y>b", "send x>hall -6", "send y>hall -6", "hall>a"]),
     "stem.leak", [("hall",)]),
]  # fmt: skip


@pytest.mark.parametrize(("made", "code", "causes"), [case[1:] for case in CASES], ids=[case[0] for case in CASES])
def test_a_finding_s_cause_is_what_has_to_change(made: Template, code: str, causes: list[tuple[str, ...]]) -> None:
    analysis = Analysis(made)
    groups = by_cause(analysis, audit_of(analysis).findings)
    assert [cause for its, cause, _ones in groups if its == code] == causes


NEW_REMEDIES: list[tuple[str, Template, str, str]] = [
    ("like its neighbours", template([{"id": n, "kind": "audio", "section": "s"} for n in "xyz"] + ["b:group", "o:o"], ["x>group", "y>group", "group>o"], sections=[{"id": "s", "name": "S"}]),
     "route.unheard", "Feed to group"),
    ("a dead end to the one master", template(["a:x", "a:y", "b:b", "x:mix", "o:o"], ["x>b", "y>mix", "mix>o"]), "route.dead-end", "Feed b to mix"),
    ("a lost feed to the output nothing comes to", template(["a:x", "b:phones", "o:o"], ["x>phones"]), "route.dead-end", "Feed phones to o"),
    ("measured latency", template([late("x", "audio", measured_latency_samples=64), "o:o"], ["x>o"]), "time.unreported", "Set x-fx on x to 64 samples (measured)"),
    ("a ceiling", template([*({"id": n, "kind": "audio", "source": {"peak_dbfs": -6.0}} for n in "xyzw"), "x:mix", "o:o"], ["x>mix", "y>mix", "z>mix", "w>mix", "mix>o"]), "level.ceiling", "Add a −1.0 dB limiter to o"),
    ("one feed too many", template([{"id": "k", "kind": "audio", "section": "s"}, *STEM_STRIPS], ["k>a", "k>mix", *STEM_ROUTES], stems=STEMS, sections=[{"id": "s", "name": "S", "bus": "a"}]),
     "stem.bypassed", "Remove the feed to mix"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("made", "code", "label"), [case[1:] for case in NEW_REMEDIES], ids=[case[0] for case in NEW_REMEDIES]
)
def test_a_mechanical_step_is_offered_and_takes_the_finding_away(made: Template, code: str, label: str) -> None:
    finding = next(one for one in audit_of(Analysis(made)).findings if one.code == code)
    assert finding.remedies[0].label == label
    after = audit_of(Analysis(apply_steps(made, finding.remedies[0].steps)))
    assert finding.fingerprint not in {one.fingerprint for one in after.findings}
