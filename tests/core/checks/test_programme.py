"""Tempo map and programme: the tempos that sound, delays against each of them, events in order."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.checks import audit
from lattice.edits import apply, apply_steps
from lattice.errors import DocumentError, EditError
from lattice.formats.document_json import dump, load
from lattice.model.tempo import tempos
from tests.build import template

EVENTS = [{"bar": 1, "bpm": 96.0}, {"bar": 17, "bpm": 120.0}, {"bar": 33, "bpm": 96.0}]
SOUNDING: list[tuple[dict[str, Any], tuple[float, ...]]] = [
    ({}, (100.0,)),
    ({"tempo": EVENTS}, (96.0, 120.0)),
    ({"tempo": EVENTS, "end_bar": 16}, (96.0,)),
    ({"tempo": EVENTS, "end_bar": 17}, (96.0, 120.0)),
    ({"tempo": EVENTS, "first_bar": 17, "end_bar": 32}, (120.0,)),
    ({"tempo": EVENTS[1:]}, (100.0, 120.0, 96.0)),  # until bar 17 the template's own holds
    ({"tempo": EVENTS, "first_bar": 40}, (96.0,)),
]


@pytest.mark.parametrize(("timeline", "expected"), SOUNDING)
def test_tempos_that_sound(timeline: dict[str, Any], expected: tuple[float, ...]) -> None:
    assert tempos(template([], tempo_bpm=100.0, timeline=timeline)) == expected


def delayed(delay_ms: float, **timeline: Any) -> list[tuple[str, list[str]]]:
    """A quarter lasts 60000/bpm ms: 625 at 96, 500 at 120 BPM (arithmetic)."""
    echo = {
        "id": "e",
        "kind": "return",
        "inserts": [{"id": "d", "name": "Echo", "type": "delay", "delay_ms": delay_ms}],
    }
    made = template(["a:x", echo, "o:out"], ["send x>e -10", "e>out"], tempo_bpm=96.0, timeline=timeline)
    found = [finding for finding in audit(made).findings if finding.code == "time.delay-note"]
    return [(finding.message, [remedy.label for remedy in finding.remedies]) for finding in found]


def test_delays_are_held_against_each_tempo() -> None:
    assert delayed(625.0) == []
    assert delayed(620.0) == [("Echo on e is 5.0 ms off a 1/4", ["Set to 625.0 ms"])]
    assert delayed(625.0, tempo=EVENTS) == []  # at 120 BPM no note value is within 5 %
    assert delayed(510.0, tempo=EVENTS) == [("Echo on e is 10.0 ms off a 1/4 at 120 BPM", [])]
    assert delayed(510.0, tempo=EVENTS, end_bar=16) == []


def test_the_fix_sets_the_tempo_that_held_before() -> None:
    made = template(
        [], tempo_bpm=100.0, timeline={"first_bar": 9, "tempo": [{"bar": 1, "bpm": 96.0}, {"bar": 17, "bpm": 120.0}]}
    )
    found = next(finding for finding in audit(made).findings if finding.code == "time.tempo-start")
    after = apply_steps(made, found.remedies[0].steps)
    assert [(event.bar, event.bpm) for event in after.timeline.tempo] == [(1, 96.0), (9, 96.0), (17, 120.0)]
    assert "time.tempo-start" not in {finding.code for finding in audit(after).findings}


def test_a_map_out_of_order_and_an_end_before_the_start_are_refused() -> None:
    good = template([], timeline={"tempo": EVENTS, "end_bar": 40})
    assert load(dump(good)) == good
    for wrong, sentence in (
        (dump(good).replace(b'"bar":17', b'"bar":1'), "bar 1 is not behind bar 1; bars rise"),
        (dump(good).replace(b'"end_bar":40', b'"end_bar":0'), "bar 0 is before the first bar, 1"),
    ):
        with pytest.raises(DocumentError, match=sentence):
            load(wrong)


LINES: list[tuple[list[str], str]] = [
    (["1 96", "x"], "line 2: “x” is not a bar and a tempo, like 33 104.5"),
    (["9 96", "1 120"], "line 2: bar 1 is not behind bar 9; bars rise"),
    (["1 0"], "bpm"),
]


@pytest.mark.parametrize(("lines", "sentence"), LINES)
def test_lines_of_a_map_that_are_none(lines: list[str], sentence: str) -> None:
    with pytest.raises((EditError, DocumentError)) as refused:
        apply(template([]), "set_tempo_map", {"events": lines})
    assert sentence in str(refused.value)


def test_a_map_is_typed_and_taken_back() -> None:
    made = apply(template([]), "set_tempo_map", {"events": ["1 96", "bar 33: 104,5 BPM"]})
    assert [(event.bar, event.bpm) for event in made.timeline.tempo] == [(1, 96.0), (33, 104.5)]
    assert apply(made, "set_tempo_map", {"events": []}).timeline.tempo == ()
