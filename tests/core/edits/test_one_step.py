"""Steps that used to be many: ducking, deliverables, outboard gear, player machines, moves between machines."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.edits import apply
from lattice.edits.outboard import outboard_around
from lattice.errors import DocumentError, EditError
from lattice.gain_staging.chain import figures
from lattice.model.document import Template
from tests.build import template

TWO = [
    {"id": "main", "name": "Main", "input_latency_samples": 40, "output_latency_samples": 24},
    {"id": "far", "name": "Far", "inputs": 0, "outputs": 0},
]
BAND = template(
    ["a:kick", "a:bass", "a:voice", "b:low", {"id": "mix", "kind": "bus", "layout": "stereo"}, "r:hall",
     {"id": "out", "kind": "output", "layout": "stereo", "io": [1, 2]}],
    ["kick>low", "bass>low -2", "voice>mix", "low>mix", "mix>out", "send voice>hall -9", "hall>mix"],
    machines=TWO,
    sections=[{"id": "s", "name": "Synths", "bus": "low"}],
)  # fmt: skip


def routes(made: Template) -> list[str]:
    return [f"{r.kind} {r.from_strip}>{r.to}" for r in made.routes]


def _loudest(made: Template) -> tuple[float | None, ...]:
    """Worst case, likely peak and expected level at the output."""
    post = Analysis(made).levels.post[[one.id for one in made.strips].index("out")]
    assert post is not None
    return figures(post).loudest


def strip(made: Template, wanted: str) -> Any:
    return next(one for one in made.strips if one.id == wanted)


def test_chosen_strips_are_ducked_in_one_step_and_set_in_the_next() -> None:
    """Threshold about −20 dB at 3:1: common practice."""
    made = apply(BAND, "duck", {"strips": ["low", "hall"], "trigger": "voice"})
    duck = strip(made, "low").inserts[-1]
    assert (duck.type, duck.key, duck.threshold_db, duck.ratio) == ("compressor", "external", -20.0, 3.0)
    assert routes(made)[-2:] == ["key voice>low", "key voice>hall"]
    again = apply(made, "duck", {"strips": ["low"], "trigger": "voice", "threshold_db": -30.0, "ratio": "4:1"})
    assert len(strip(again, "low").inserts) == 1
    assert (strip(again, "low").inserts[0].threshold_db, strip(again, "low").inserts[0].ratio) == (-30.0, 4.0)
    assert len(again.routes) == len(made.routes)


def test_copied_inserts_listen_to_the_same_trigger_or_to_nothing_yet() -> None:
    made = apply(BAND, "duck", {"strips": ["low"], "trigger": "voice"})
    copied = apply(made, "batch_inserts", {"strips": ["hall"], "inserts": ["low-duck"]})
    assert routes(copied)[-1] == "key voice>hall"
    bare = apply(made, "batch_inserts", {"strips": ["hall"], "inserts": ["low-duck"], "keys": "without keys"})
    assert routes(bare) == routes(made)
    assert strip(bare, "hall").inserts[0].key == "external"


def test_buses_become_stems_with_prints_and_a_mix_and_a_composite() -> None:
    made = apply(BAND, "deliver", {"strips": ["low", "hall"], "tap": "pre-fader"})
    made = apply(made, "deliver", {"strips": ["mix"], "role": "mix"})
    made = apply(
        made, "deliver", {"strips": ["mix"], "role": "composite", "of": ["low", "st-hall"], "prints": "without prints"}
    )
    shown = [(one.name, one.role, one.strip, one.tap, one.layout, one.print, one.of) for one in made.stems]
    assert shown == [
        ("low", "stem", "low", "pre-fader", "mono", "low-print", ()),
        ("hall", "stem", "hall", "pre-fader", "mono", "hall-print", ()),
        ("mix", "mix", "mix", "post-fader", "stereo", "mix-print", ()),
        ("mix", "composite", "mix", "post-fader", "stereo", None, ("st-low", "st-hall")),
    ]
    taps = {route.to: route.tap for route in made.routes}
    assert (taps["low-print"], taps["mix-print"]) == ("pre-fader", "post-fader")
    said = [finding.message for finding in audit(made).findings if finding.code == "stem.unprinted"]
    assert said == ["mix is not printed: it has no print"]  # the composite, as others of its set have prints


def test_an_outboard_instrument_counts_the_converter_and_one_buffer() -> None:
    made = apply(BAND, "outboard_instrument", {"name": "Tide", "inputs": "7", "port": 2, "channel": 3, "section": "s"})
    assert [(s.kind, s.machine, s.io, s.section) for s in made.strips if s.id.startswith("tide")] == [
        ("midi", None, None, "s"), ("instrument", "tide", None, "s"), ("output", "tide", (1,), "s"), ("input", None, (7,), "s"),
    ]  # fmt: skip
    assert routes(made)[-4:] == [
        "midi tide-notes>tide",
        "feed tide>tide-out",
        "tie tide-out>tide-in",
        "feed tide-in>low",
    ]
    assert (made.routes[-4].port, made.routes[-4].channel) == (2, 3)
    arrivals, at = Analysis(made).arrivals, [s.id for s in made.strips].index("tide-in")
    span = arrivals.span(at)
    assert span is not None
    assert span.latest == 40 + made.buffer_samples
    assert not [finding.code for finding in audit(made).findings if finding.code.startswith(("midi", "tie", "io"))]


def test_the_keys_of_an_outboard_instrument_play_what_is_chosen() -> None:
    wanted = {"name": "Tide", "inputs": "7", "section": "s"}
    alone = apply(BAND, "outboard_instrument", {**wanted, "keys": "keys that play"})
    assert [s.name for s in alone.strips if s.kind == "midi"] == ["Tide notes", "Tide keys"]
    both = apply(
        apply(BAND, "outboard_instrument", wanted),
        "outboard_instrument",
        {**wanted, "name": "Ebb", "inputs": "8", "plays": "tide"},
    )
    assert "midi ebb-keys>tide" in routes(both)
    assert outboard_around(both, ["ebb"]) == ["ebb-notes", "ebb", "ebb-out", "ebb-in"]
    assert outboard_around(both, ["ebb-in", "low"]) == ["low", "ebb-notes", "ebb", "ebb-out", "ebb-in"]
    with pytest.raises(EditError, match="keys play an instrument or a MIDI strip"):
        apply(BAND, "outboard_instrument", {**wanted, "plays": "low"})


def test_an_outboard_instrument_of_a_section_without_a_bus_goes_to_the_nearest_sum() -> None:
    made = apply(
        template(["a:voice", "x:mix", "o:out"], ["voice>mix", "mix>out"], sections=[{"id": "s", "name": "Synths"}]),
        "outboard_instrument",
        {"name": "Tide", "inputs": "7", "section": "s"},
    )
    assert routes(made)[-1] == "feed tide-in>mix"
    assert not [one.message for one in audit(made).findings if one.severity == "blocker"]


def test_an_outboard_insert_counts_both_converters_and_one_buffer() -> None:
    made = apply(BAND, "outboard_insert", {"strip": "mix", "name": "Iron", "outputs": "5-6", "inputs": "5-6"})
    insert = strip(made, "mix").inserts[-1]
    assert (insert.type, insert.io_out, insert.io_in, insert.latency_samples) == (
        "external",
        (5, 6),
        (5, 6),
        40 + 24 + 256,
    )


def test_a_player_machine_is_tied_in_pairs_into_sections_here() -> None:
    made = apply(BAND, "player_machine", {"name": "Player", "names": ["High\tStrings", "Low\tStrings", "Synths"]})
    ties = [(strip(made, r.from_strip), strip(made, r.to)) for r in made.routes if r.kind == "tie"]
    assert [(out.name, out.io, into.name, into.io) for out, into in ties] == [
        ("High out", (1, 2), "High in", (1, 2)), ("Low out", (3, 4), "Low in", (3, 4)), ("Synths out", (5, 6), "Synths in", (5, 6)),
    ]  # fmt: skip
    fed = {r.from_strip: r.to for r in made.routes}
    assert [fed[into.id] for _out, into in ties] == ["strings-bus", "strings-bus", "low"]
    assert not [finding.code for finding in audit(made).findings if finding.code.startswith(("tie", "io"))]


def test_strips_move_to_another_machine_by_ties_and_sound_as_before() -> None:
    made = apply(BAND, "move_to_machine", {"strips": ["kick", "bass", "low", "voice"], "machine": "far"})
    assert Counter(route.kind for route in made.routes) == {"feed": 8, "tie": 2, "send": 1}
    assert {r.kind: r.gain_db for r in made.routes if r.gain_db} == {"feed": -2.0, "send": -9.0}
    assert strip(made, "low").machine == "far"
    assert next(machine.outputs for machine in made.machines if machine.id == "far") == 2
    assert _loudest(made) == pytest.approx(_loudest(BAND))
    with pytest.raises(DocumentError, match="the end of a tie stays on its machine"):
        apply(made, "move_to_machine", {"strips": ["low-in"], "machine": "far"})


def test_a_dissolved_bus_hands_its_inserts_on_with_their_keys() -> None:
    ducked = apply(BAND, "duck", {"strips": ["low"], "trigger": "voice"})
    free = apply(ducked, "change_section", {"section": "s", "changes": {"bus": None}})
    rule = {"name": "Voice past low", "kind": "avoids", "sources": ["strip:voice"], "through": ["strip:low"]}
    ruled = apply(free, "add_rule", {"rule": rule})
    made = apply(ruled, "dissolve_bus", {"bus": "low", "hand_on": True})
    assert [insert.name for insert in strip(made, "mix").inserts] == ["Duck"]
    assert routes(made) == [
        "feed voice>mix",
        "feed mix>out",
        "send voice>hall",
        "feed hall>mix",
        "key voice>mix",
        "feed kick>mix",
        "feed bass>mix",
    ]
    assert made.rules == ()
    assert Analysis(made).levels.sounds(0)
    with pytest.raises(DocumentError, match="cannot be removed"):
        apply(free, "dissolve_bus", {"bus": "low"})


def test_a_new_pop_stands_at_its_level() -> None:
    """−20 dBFS, a sine: 3.01 dB below its peak in RMS (common practice; arithmetic)."""
    made = apply(BAND, "spread", {"names": ["Beep"], "tags": "pop", "feed": "mix"})
    assert (made.strips[-1].source.peak_dbfs, made.strips[-1].source.rms_dbfs) == (-20.0, -23.01)


REFUSED: list[tuple[str, dict[str, Any], str]] = [
    ("duck", {"strips": ["low"], "trigger": "low"}, "low cannot duck itself"),
    ("duck", {"strips": ["low"], "trigger": "kick", "ratio": "much"}, "ratio: “much” is not a ratio"),
    ("deliver", {"strips": ["out"]}, "out is of kind output"),
    ("deliver", {"strips": ["mix"], "role": "composite", "of": ["nothing"]}, "stem nothing does not exist in the set main"),
    ("deliver", {"strips": ["mix"], "role": "composite"}, "at least two stems as parts"),
    ("outboard_instrument", {"name": "X", "inputs": "9"}, "Main has only 8 channels; 9 is out of range"),
    ("outboard_instrument", {"name": "X", "inputs": "many"}, "inputs: “many” is not a list of channels"),
    ("outboard_insert", {"strip": "mix", "name": "X", "outputs": "5-6", "inputs": "7"}, "2 channels are sent and 1 return"),
    ("player_machine", {"name": "X", "names": [" "]}, "1 to 200 lines of names"),
    ("player_machine", {"name": "X", "names": ["A"], "layout": "wide"}, "“wide” is not a layout"),
    ("set_inserts", {"strips": ["mix"], "state": "on"}, "no insert of these strips changes"),
    ("add_choice", {"strips": ["mix"]}, "at least two strips"),
    ("set_markers", {"markers": ["Verse"]}, "line 1: “Verse” is not a bar and a name"),
    ("set_info", {"lines": ["artist: x", "artist: y"]}, "line 2: artist appears twice"),
    ("dissolve_bus", {"bus": "hall", "hand_on": True}, "hall cannot be removed"),
]  # fmt: skip


@pytest.mark.parametrize(("edit", "arguments", "said"), REFUSED, ids=[f"{case[0]} {case[2][:20]}" for case in REFUSED])
def test_what_cannot_be_is_refused_by_sentence(edit: str, arguments: dict[str, Any], said: str) -> None:
    with pytest.raises(DocumentError) as refused:
        apply(BAND, edit, arguments)
    assert said in "; ".join(refused.value.problems)


def test_an_instrument_on_another_machine_comes_by_ties() -> None:
    made = apply(BAND, "build_instrument", {"names": ["Kick", "Hat"], "name": "Kit", "section": "s", "machine": "far"})
    assert strip(made, "kit").machine == "far"
    ties = [route for route in made.routes if route.kind == "tie"]
    assert len(ties) == 3  # the chain and two outlets
    assert not [finding.message for finding in audit(made).findings if finding.severity == "blocker"]
