"""Edits: the result of each, its refusals, and that every one can be undone exactly."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.changes.compare import compare
from lattice.edits import EDITS, apply, diff
from lattice.errors import DocumentError
from lattice.model.document import Template
from tests.build import template
from tests.core.edits.test_bulk import BULK

COMP = {"id": "comp", "type": "compressor", "key": "external"}
MADE = template(
    [
        {"id": "kick", "kind": "audio", "section": "drums"}, {"id": "snare", "kind": "audio", "section": "drums"},
        {"id": "bus", "kind": "bus", "layout": "stereo", "inserts": [COMP, {"id": "tone", "type": "eq"}, {"id": "pan", "type": "panner"}]},
        {"id": "kit", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}], "parts": [{"id": "p", "outlet": "2"}]},
        "p:print", "o:out",
    ],
    ["kick>bus", "snare>bus", "bus>out", "bus>print", "key snare>bus/comp", "kit/2>bus", "kit>bus"],
    sections=[{"id": "drums", "name": "Drums", "bus": "bus"}, {"id": "inner", "name": "Inner", "parent": "drums"}],
    stems=[{"id": "st", "name": "S", "strip": "bus", "print": "print"}, {"id": "all", "name": "All", "role": "composite", "of": ["st"]}],
    machines=[{"id": "main", "name": "Main"}, {"id": "spare", "name": "Spare"}],
    choices=[{"id": "c", "name": "C", "members": ["kit/2", "kick"]}],
    waivers=[{"fingerprint": "old", "reason": "so"}],
    rules=[{"id": "r", "name": "R", "kind": "avoids", "sources": ["strip:kick", "strip:snare"], "through": ["strip:bus"]}],
)  # fmt: skip

GOOD: list[tuple[str, dict[str, Any], str]] = [
    ("change_template", {"changes": {"tempo_bpm": 96.0, "name": "Other"}}, "tempo_bpm 120.0 → 96.0"),
    ("add_strip", {"strip": {"name": "Hat", "kind": "audio"}}, "+ strip hat: Hat (audio)"),
    ("add_strip", {"strip": {"name": "Kick", "kind": "audio"}, "at": 0}, "+ strip kick-2"),
    ("change_strip", {"strip": "kick", "changes": {"fader_db": None, "tags": ["click"]}}, "~ strip kick: tags"),
    ("change_strips", {"strips": ["kick", "snare"], "changes": {"mute": True}}, "~ strip snare: mute false → true"),
    ("move_strips", {"strips": ["kick"], "section": "drums"}, "> strip"),
    ("move_strips", {"strips": ["out"], "section": None, "before": "kick"}, "> strip out: now first"),
    ("remove_strips", {"strips": ["bus"]}, "- strip bus"),
    ("remove_strips", {"strips": ["kick", "print"]}, "- route r4: feed bus → print"),
    ("spread", {"names": ["Tom", "Tom"], "kind": "audio", "section": "drums", "feed": "bus"}, "+ strip tom-2"),
    ("take_levels", {"levels": [{"strip": "kick", "peak_dbfs": -3.2, "rms_dbfs": -17.5}]}, "~ strip kick: source"),
    ("add_recordings", {"recordings": [{"name": "Door", "layout": "stereo"}, {"name": "Door", "layout": "5.1", "peak_dbfs": -1, "rms_dbfs": -20}],
                        "section": "drums"}, "+ route r9: feed door-2 → bus"),
    ("add_midi_tracks", {"tracks": [{"name": "Bells", "port": 2, "channel": 3}, {"name": "Bells", "port": 1, "channel": None}], "name": "Choir"},
     "+ route r9: midi bells-2 → choir"),
    ("add_midi_tracks", {"tracks": [{"name": "Low", "port": 1, "channel": 1}], "instrument": "kit"}, "+ route r8: midi low → kit"),
    ("put_block", {"block": {"format": "intact-lattice.block", "version": 1, "template": {"format": "intact-lattice.template", "version": 1, "name": "B",
                             "strips": [{"id": "hat", "name": "Hat", "kind": "audio"}]}}}, "+ strip hat: Hat (audio)"),
    ("cut_down", {"strips": ["kick"]}, "- strip snare"),
    ("reformat", {"before": "stereo", "after": "5.1", "strips": ["bus"]}, '~ strip bus: layout "stereo" → "5.1"'),
    ("take_latencies", {"latencies": [{"insert": "comp", "latency_samples": 64}]}, "~ strip bus: inserts"),
    ("add_section", {"section": {"name": "Choir"}}, "+ section choir"),
    ("change_section", {"section": "drums", "changes": {"bus": None}}, "~ section drums: bus"),
    ("move_section", {"section": "inner", "at": 0}, "> section"),
    ("remove_sections", {"sections": ["drums"]}, "- section drums"),
    ("add_insert", {"strip": "kick", "insert": {"type": "eq"}}, "~ strip kick: inserts"),
    ("change_insert", {"insert": "comp", "changes": {"ratio": 4.0}}, "~ strip bus: inserts"),
    ("move_insert", {"insert": "tone", "to": 0}, "~ strip bus: inserts"),
    ("remove_inserts", {"inserts": ["comp"]}, "- route r5: key snare → bus"),
    ("add_outlet", {"strip": "kit", "outlet": {"name": "3-4", "layout": "stereo"}}, "~ strip kit: outlets"),
    ("change_outlet", {"strip": "kit", "outlet": "2", "changes": {"main": True}}, "~ strip kit: outlets"),
    ("remove_outlets", {"strip": "kit", "outlets": ["2"]}, "- route r6: feed kit → bus"),
    ("add_route", {"route": {"kind": "send", "from": "kick", "to": "out"}}, "+ route r8: send kick → out"),
    ("change_route", {"route": "r1", "changes": {"to": "out", "gain_db": -3.0}}, "~ route r1: to"),
    ("remove_routes", {"routes": ["r1", "r2"]}, "- route r2"),
    ("add_machine", {"machine": {"name": "Choir machine", "midi_ports": 3}}, "+ machine choir-machine"),
    ("change_machine", {"machine": "main", "changes": {"inputs": 16}}, "~ machine main: inputs 8 → 16"),
    ("name_channel", {"machine": "main", "side": "input", "channel": 7, "name": "Synth"}, "~ machine main: input_names"),
    ("remove_machines", {"machines": ["spare"]}, "- machine spare"),
    ("add_part", {"strip": "kit", "part": {"name": "Rim", "note": 37}}, "~ strip kit: parts"),
    ("change_part", {"strip": "kit", "part": "p", "changes": {"channel": 10}}, "~ strip kit: parts"),
    ("remove_parts", {"strip": "kit", "parts": ["p"]}, "~ strip kit: parts"),
    ("add_stem", {"stem": {"name": "Kit", "strip": "kick"}}, "+ stem st-kit"),
    ("change_stem", {"stem": "st", "changes": {"tap": "pre-fader", "set": "dome"}}, "~ stem st: set"),
    ("remove_stems", {"stems": ["st"]}, "- stem st"),
    ("print_stem", {"stem": "st"}, "+ strip s-print"),
    ("add_rule", {"rule": {"name": "Kick is dry", "kind": "isolated", "sources": ["strip:kick"], "to": ["strip:print"]}}, "+ rule kick-is-dry"),
    ("change_rule", {"rule": "r", "changes": {"kind": "passes", "to": ["*"]}}, "~ rule r: kind"),
    ("remove_rules", {"rules": ["r"]}, "- rule r"),
    ("change_profile", {"changes": {"mix_headroom_db": 9.0}}, "profile"),
    ("choose_profile", {"preset": "atsc-a85"}, "profile"),
    ("change_compensation", {"changes": {"covers_keys": False}}, "compensation"),
    ("nudge_strip", {"strip": "kick", "where": "down"}, "> strip"),
    ("nudge_section", {"section": "inner", "where": "up"}, "> section"),
    ("nudge_insert", {"insert": "tone", "where": "up"}, "~ strip bus: inserts"),
    ("change_source", {"strip": "kick", "peak_dbfs": -9.0}, "~ strip kick: source"),
    ("move_source", {"strip": "kick", "peak_dbfs": -12.0}, "~ strip kick: source"),
    ("change_midi", {"strip": "kit", "midi": "2: 1-4"}, "~ strip kit: midi"),
    ("build_instrument", {"names": ["A", "B"], "name": "Bells", "played_by": "midi"}, "+ section bells"),
    ("build_articulations", {"names": ["A", "B"], "articulations": ["long"], "name": "Bells"}, "+ section bells"),
    ("connect", {"route": {"from": "kit/2", "to": "out"}}, "feed kit → out"),
    ("connect", {"route": {"from": "kick", "to": "out"}, "instead": True}, "~ route r1: to"),
    ("connect_many", {"strips": ["kick", "snare"], "to": "out", "instead": True}, "~ route r1: to"),
    ("connect_pairwise", {"strips": ["kick"], "to": "bus", "kind": "send"}, "+ route r8: send kick → bus"),
    ("duck", {"strips": ["bus"], "trigger": "kick"}, "+ route r8: key kick → bus"),
    ("deliver", {"strips": ["kick"], "role": "mix"}, "+ stem st-kick"),
    ("keep_for_later", {"strips": ["bus"]}, "~ strip bus: tags"),
    ("state_levels", {"strips": ["kick"], "peak_dbfs": -12.0, "rms_dbfs": -20.0}, "~ strip kick: source"),
    ("outboard_instrument", {"name": "Tide", "inputs": "7"}, "+ machine tide"),
    ("outboard_insert", {"strip": "kick", "name": "Iron", "outputs": "5", "inputs": "5"}, "~ strip kick: inserts"),
    ("player_machine", {"name": "Player", "names": ["High"]}, "+ machine player"),
    ("move_to_machine", {"strips": ["kick"], "machine": "spare"}, "+ strip kick-out"),
    ("set_inserts", {"strips": ["bus"], "state": "bypassed"}, "~ strip bus: inserts"),
    ("change_sources", {"strips": ["kick", "kit"], "peak_dbfs": -12.0}, "~ strip kit: source"),
    ("change_timeline", {"changes": {"first_bar": 5}}, "timeline"),
    ("set_tempo_map", {"events": ["1 96", "33: 104,5 BPM"]}, "timeline"),
    ("set_markers", {"markers": ["9 Verse", "bar 1: Intro"]}, "timeline"),
    ("set_info", {"lines": ["artist: A. Tern"]}, "info"),
    ("place_input", {"insert": "pan", "input": 2, "channel": "L"}, "~ strip bus: inserts"),
    ("keep_view", {"name": "Sends", "view": {"hidden_routes": ["feed"]}}, "views"),
    ("remove_views", {"names": ["Writing"]}, "views"),
    ("split_outlet", {"strip": "kit", "outlet": "2"}, "+ strip p-r"),
    ("add_choice", {"strips": ["kick", "out"], "name": "Sides", "members": "strips", "way": "turn"}, "+ choice sides"),
    ("add_choice", {"strips": ["kick", "snare"], "name": "Drum"}, "+ choice drum"),
    ("change_choice", {"choice": "c", "changes": {"sounding": 2}}, "~ choice c: sounding"),
    ("remove_choices", {"choices": ["c"]}, "- choice c"),
    ("number_routes", {"strips": ["kick"], "to": "bus"}, "~ route r1: channels"),
    ("connect_many", {"strips": ["kick"], "to": "bus/comp", "kind": "key"}, "+ route r8: key kick"),
    ("put_cells", {"cells": ["kick|out", "snare|out"], "kind": "send"}, "+ route r9: send snare → out"),
    ("add_inserts", {"strips": ["kick", "snare"], "insert": "Low cut low-cut 80"}, "~ strip snare: inserts"),
    ("set_section_default", {"section": "drums", "field": "sends", "text": "bus@-12"}, "~ section drums: defaults"),
    ("duplicate_set", {"section": "drums", "names": "Loops"}, "+ section loops"),
    ("colour_by_tier", {"strips": ["kick"]}, "~ strip kick: colour"),
    ("set_cells", {"cells": ["kick\tfader\t-3", "kick\tsends\tbus@-12"]}, "+ route r8: send kick → bus"),
    ("waive", {"fingerprint": "abc", "reason": "meant", "by": "A. Tern"}, "waiver"),
    ("trim", {"strip": "bus", "room_db": 20.0}, "~ route r1: gain"),
    ("add_waivers", {"waivers": [{"fingerprint": "abc", "reason": "meant", "by": "A. Tern", "on": "2026-01-31"}]}, "waiver"),
    ("remove_waivers", {"fingerprints": ["old"]}, "waiver"),
]  # fmt: skip


@pytest.mark.parametrize(("edit", "arguments", "words"), GOOD)
def test_it_does_what_it_says_and_can_be_taken_back_exactly(edit: str, arguments: dict[str, Any], words: str) -> None:
    after = apply(MADE, edit, arguments)
    assert any(words in str(change) for change in compare(MADE, after)), [
        str(change) for change in compare(MADE, after)
    ]
    patch = diff(MADE, after)
    assert patch.apply(MADE) == after
    assert patch.inverse().apply(after) == MADE


def test_every_edit_is_in_the_table() -> None:
    assert {edit for edit, _arguments, _words in GOOD} | {edit for edit, _arguments in BULK} == set(EDITS)


@pytest.mark.parametrize(
    ("edit", "arguments", "words"),
    [
        ("paint", {}, "unknown edit paint"),
        ("change_strip", {"strip": "kick"}, "changes is missing"),
        ("change_strip", {"strip": "no", "changes": {}}, "strip no does not exist"),
        ("change_strip", {"strip": "kick", "changes": {"pan": 3, "zz": 1}}, "pan: 3 is above 1"),
        ("change_strip", {"strip": "kick", "changes": {"id": "new"}}, "an ID cannot be changed"),
        ("change_strip", {"strip": "kick", "changes": {"fader_db": float("nan")}}, "is not a finite number"),
        ("change_strip", {"strip": "kick", "changes": {"section": "no"}}, "section no does not exist"),
        ("change_strip", {"strip": "kick", "changes": {"kind": "midi"}}, "needs strips with audio"),
        (
            "name_channel",
            {"machine": "main", "side": "input", "channel": 9, "name": "x"},
            "Main has no input 9; it has 8",
        ),
        (
            "name_channel",
            {"machine": "main", "side": "door", "channel": 1, "name": "x"},
            "door is not one of input, output",
        ),
        ("remove_machines", {"machines": ["main"]}, "Main has 6 strips; move them"),
        ("remove_machines", {"machines": ["main", "spare"]}, "a template has at least one machine"),
        ("change_machine", {"machine": "no", "changes": {}}, "machine no does not exist"),
        ("change_part", {"strip": "kit", "part": "p", "changes": {"note": 128}}, "note: 128 is above 127"),
        ("change_part", {"strip": "kit", "part": "p", "changes": {"outlet": "9"}}, "outlet 9"),
        ("add_part", {"strip": "kick", "part": {"name": "x"}}, "parts"),
        ("change_template", {"changes": {"strips": []}}, "strips: not changed by this edit"),
        ("change_section", {"section": "drums", "changes": {"parent": "inner"}}, "would be inside itself"),
        ("add_route", {"route": {"kind": "feed", "from": "kick", "to": "no"}}, "strip no does not exist"),
        ("add_route", {"route": {"kind": "feed", "from": "kick", "to": "bus"}}, "kick already has this feed to bus"),
        ("add_route", {"route": {"kind": "tie", "from": "kick", "to": "bus"}}, "a tie starts at an output"),
        ("change_route", {"route": "r1", "changes": {"kind": "loop"}}, "is not one of"),
        ("remove_routes", {"routes": ["r1", "no"]}, "route no does not exist"),
        ("remove_inserts", {"inserts": ["no"]}, "insert no does not exist"),
        ("move_strips", {"strips": ["kick"], "section": None, "before": "kick"}, "before one of themselves"),
        (
            "take_levels",
            {"levels": [{"strip": "bus", "peak_dbfs": -3, "rms_dbfs": -9}]},
            "source bus does not exist",
        ),
        ("take_levels", {"levels": [{"strip": "kick"}]}, "peak_dbfs: None is not a level"),
        ("take_levels", {"levels": []}, "no level measured"),
        ("take_latencies", {"latencies": []}, "no latency listed"),
        ("cut_down", {}, "no strip selected"),
        ("reformat", {"before": "stereo", "after": "stereo"}, "the template is already stereo"),
        ("reformat", {"before": "7.1", "after": "5.1"}, "no strip of the programme is 7.1"),
        ("cut_down", {"strips": ["no"]}, "strip no does not exist"),
        ("cut_down", {"sections": ["no"]}, "section no does not exist"),
        ("add_midi_tracks", {"tracks": []}, "0 tracks; at least one"),
        (
            "add_midi_tracks",
            {"tracks": [{"name": "x", "port": 2}], "instrument": "kit"},
            "kit has 1 ports; 2 are used",
        ),
        ("add_midi_tracks", {"tracks": [{"name": "x"}], "instrument": "kick"}, "kick is not an instrument"),
        ("add_midi_tracks", {"tracks": [{"name": "x"}], "instrument": "no"}, "strip no does not exist"),
        ("take_latencies", {"latencies": [{"insert": "no", "latency_samples": 4}]}, "insert no does not exist"),
        ("take_latencies", {"latencies": [{"insert": "comp", "latency_samples": -4}]}, "latency_samples"),
        ("add_recordings", {"recordings": []}, "0 recordings; at least one"),
        ("add_recordings", {"recordings": [{"layout": "stereo"}]}, "the field name is missing"),
        ("spread", {"names": [" "], "kind": "audio"}, "the list has no names"),
        (
            "spread",
            {"names": ["name\tkind\tto", "x\tmidi\tbus"]},
            "row 2, column feed: a feed needs strips with audio",
        ),
    ],
)
def test_it_refuses_with_a_sentence_and_changes_nothing(edit: str, arguments: dict[str, Any], words: str) -> None:
    before = MADE
    with pytest.raises(DocumentError) as refused:
        apply(MADE, edit, arguments)
    assert words in "; ".join(refused.value.problems)
    assert before is MADE


def _ids(made: Template) -> list[str]:
    return [strip.id for strip in made.strips]


def test_removing_a_strip_leaves_nothing_that_names_it() -> None:
    left = apply(MADE, "remove_strips", {"strips": ["bus", "kit", "kick"]})
    assert _ids(left) == ["snare", "print", "out"]
    assert left.routes == ()
    assert left.sections[0].bus is None
    assert [(stem.id, stem.of) for stem in left.stems] == [("all", ())]
    assert left.choices[0].members == ()
    assert left.rules == ()  # its `through` had only the bus


def test_a_spread_stands_in_its_section_in_order_and_feeds_its_bus() -> None:
    made = apply(MADE, "spread", {"names": ["Tom 1", " Tom  2 "], "kind": "audio", "section": "drums", "feed": "bus"})
    assert _ids(made)[:4] == ["kick", "snare", "tom-1", "tom-2"]
    assert made.strips[3].name == "Tom 2"
    assert [(route.from_strip, route.to) for route in made.routes[-2:]] == [("tom-1", "bus"), ("tom-2", "bus")]


def test_removing_a_section_hands_its_strips_to_the_one_around() -> None:
    inner = apply(MADE, "change_strip", {"strip": "kick", "changes": {"section": "inner"}})
    left = apply(inner, "remove_sections", {"sections": ["inner"]})
    assert left.strips[0].section == "drums"
    assert apply(left, "remove_sections", {"sections": ["drums"]}).strips[0].section is None
