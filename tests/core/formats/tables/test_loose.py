"""Rows added to a template: strips, sections, routes by strip, by bus and by physical channels."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.errors import DocumentError
from lattice.formats.gate import validated
from lattice.formats.tables.tolerant_reader import SECTION_BUS, ReadRows, read_rows
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries

EMPTY = Template(name="Empty")
ROOM = template(
    ["a:vox", "b:drums", "b:mix", "r:hall", "o:out"],
    ["vox>mix", "drums>mix", "mix>out", "hall>mix"],
    sections=[{"id": "kit", "name": "Kit", "bus": "drums", "colour": "#8a4b2d"}],
)


def read(text: str, base: Template = EMPTY, with_buses: bool = False, **usual: str) -> ReadRows:
    found = read_rows(base, text, usual, with_buses=with_buses)
    assert [str(problem) for problem in found.problems] == []
    return found


def routes(made: Template) -> list[str]:
    """Routes as “kind from>to level”, the level where it is not 0 dB."""
    return [
        f"{r.kind} {r.from_strip}>{r.to}{f' {r.gain_db:g}' if r.gain_db else ''}{' pre' if r.tap == 'pre-fader' else ''}"
        for r in made.routes
    ]


def kinds(made: Template) -> dict[str, str]:
    return {strip.id: f"{strip.kind} {strip.layout}" for strip in made.strips}


ROUTED: list[tuple[str, str, dict[str, str], list[str], dict[str, str]]] = [
    ("kinds follow from routes", "Kick\tBus\nBus\tMix\nMix\t", {}, ["feed kick>bus", "feed bus>mix"],
     {"kick": "audio mono", "bus": "bus stereo", "mix": "master stereo"}),
    ("a sum is as wide as what is fed to it", "name\tlayout\tto\nBed\t5.1\tSum\nSum\t\tAll\nAll\t\t", {},
     ["feed bed>sum", "feed sum>all"], {"bed": "audio 5.1", "sum": "bus 5.1", "all": "bus 5.1"}),
    ("a print that goes on passes on", "name\tkind\tto\nDry\tprint\tOut 1-2", {}, ["feed dry>out-1-2"],
     {"dry": "print stereo", "out-1-2": "output stereo"}),
    ("by bus: an output is another's input",
     "Track,Type,Input,Output,Send A,Send A level\nKick,audio track,,Drum bus,Hall bus,-12\nDrums,aux,Drum bus,Out 1-2,,\nHall,aux,Hall bus,Out 1-2,,", {},
     ["feed kick>drums", "send kick>hall -12", "feed drums>out-1-2", "feed hall>out-1-2"],
     {"kick": "audio mono", "drums": "bus stereo", "hall": "return stereo", "out-1-2": "output stereo"}),
    ("a track that takes a bus records it", "Track,Type,Input,Output\nKick,audio track,,Mix bus\nMix,aux,Mix bus,Out 1-2\nTake,audio track,Mix bus,", {},
     ["feed kick>mix", "feed kick>take", "feed mix>out-1-2"],
     {"kick": "audio mono", "mix": "master stereo", "take": "print stereo", "out-1-2": "output stereo"}),
    ("a destination that is nothing yet is made", "name\tto\nKick\tDrums", {}, ["feed kick>drums"],
     {"kick": "audio mono", "drums": "bus stereo"}),
    ("what is only sent to is a return", "name\tsends\nKick\tPlate -14 dB pre", {}, ["send kick>plate -14 pre"],
     {"kick": "audio mono", "plate": "return stereo"}),
    ("a number alone belongs to a name", "name\tsends\nKick\tHall 2", {}, ["send kick>hall-2"],
     {"kick": "audio mono", "hall-2": "return stereo"}),
    ("usual cells where a row says nothing", "Kick\nSnare", {"feed": "Mix", "sends": "Hall@-9", "layout": "stereo"},
     ["feed kick>mix", "send kick>hall -9", "feed snare>mix", "send snare>hall -9"],
     {"kick": "audio stereo", "snare": "audio stereo", "mix": "bus stereo", "hall": "return stereo"}),
]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "usual", "wanted", "strips"), [case[1:] for case in ROUTED], ids=[c[0] for c in ROUTED]
)
def test_rows_become_strips_with_their_routes(
    text: str, usual: dict[str, str], wanted: list[str], strips: dict[str, str]
) -> None:
    made = read(text, **usual).template
    assert (routes(made), kinds(made)) == (wanted, strips)


def test_rows_come_behind_their_section_and_feed_its_bus() -> None:
    made = read("Kick\tKit\nSnare\tKit", ROOM, feed=SECTION_BUS).template
    assert routes(made)[-2:] == ["feed kick>drums", "feed snare>drums"]
    assert {strip.section for strip in made.strips if strip.id in ("kick", "snare")} == {"kit"}


def test_a_new_section_takes_the_next_colour_and_its_first_bus() -> None:
    made = read("name\tsection\tkind\nLow\tBrass\tbus\nHorn\tBrass\t", ROOM, feed=SECTION_BUS).template
    brass = made.sections[1]
    assert (brass.name, brass.bus) == ("Brass", "low")
    assert brass.colour not in (None, made.sections[0].colour)
    assert routes(made)[-1:] == ["feed horn>low"]


def test_a_new_section_gets_a_bus_where_the_others_lead() -> None:
    found = read("Horn\tBrass", ROOM, with_buses=True, feed=SECTION_BUS)
    assert found.made == ["Brass bus"]
    assert routes(found.template)[-2:] == ["feed brass-bus>mix", "feed horn>brass-bus"]


def test_a_physical_input_is_a_live_input_or_what_a_track_records() -> None:
    made = read("Track,Type,Input\nSynth,aux,In 7-8\nTalk,audio,Mic 3").template
    synth, talk = made.strips
    assert (synth.kind, synth.io) == ("input", (7, 8))
    assert (talk.kind, talk.note) == ("audio", "Records In 3")


def test_processors_are_read_by_type_or_by_name() -> None:
    (strip,) = read("name\tinserts\nKick\teq; compressor:64 threshold -20 ratio 4 = Punch; Old plate").template.strips
    shown: list[Any] = [(i.type, i.name, i.latency_samples, i.threshold_db, i.ratio) for i in strip.inserts]
    assert shown == [
        ("eq", "", None, None, None),  # no latency is stated
        ("compressor", "Punch", 64, -20.0, 4.0),
        ("reverb", "Old plate", None, None, None),
    ]


WRONG = [
    ("name\tkind\nKick\tweather", "row 2, column kind: “weather” is not one of"),
    ("name\tlayout\nKick\twide", "row 2, column layout: “wide” is not a layout"),
    ("name\tinserts\nKick\tlimiter ceilin -1", "row 2, column inserts: “ceilin” is not one of bypassed"),
    ("name\tfader_db\nKick\tloud", "row 2, column fader_db: “loud” is not a level"),
    ("name\tto\n\tMix", "row 2, column name: is empty; the row is skipped"),
    (f"{'x' * 501}", "row 1, column name: is longer than 500 characters; the row is skipped"),
    ("name\tto\nKick\tkick", "row 2, column feed: “kick” is the strip itself"),
    ("name\tkeys\nKick\tMix/duck", "row 2, column keys: strip “Mix” does not exist"),
]


@pytest.mark.parametrize(("text", "said"), WRONG, ids=[case[1][:40] for case in WRONG])
def test_what_is_not_understood_is_said_by_row_and_column(text: str, said: str) -> None:
    problems = [str(problem) for problem in read_rows(EMPTY, text, {}).problems]
    assert len(problems) == 1
    assert problems[0].startswith(said)


@pytest.mark.parametrize("head", ["FX send", "Aux send", "effects send", "Depth"])
@pytest.mark.parametrize("cell", ["Hall −9 dB", "Hall (−9 dB)", "Hall@-9", "hall -9"])
def test_a_column_of_names_with_levels_is_sends_whatever_its_head_says(head: str, cell: str) -> None:
    found = read_rows(ROOM, f"name\tkind\t{head}\nVox\taudio\t{cell}\nHorn\taudio\t", {})
    assert not found.problems
    assert not found.unused
    assert [(r.kind, r.to, r.gain_db) for r in found.template.routes[len(ROOM.routes) :]] == [("send", "hall", -9.0)]


CELLS = st.one_of(
    st.sampled_from(["Kick", "Drums", "Mix", "bus", "aux", "audio", "mono", "5.1", "Out 1-2", "In 7", "-", "", "Hall -12", "Hall@-9 pre", "eq; limiter ceiling -1",
                     "all>Mix", "8 stereo", "16", "1>Mix; 2>Drums", "x/duck@0", "kit@2.5", "trigger", "pop", "Name", "to", "kind", "outlets", "parts", "midi", "keys"]),
    st.text(st.characters(exclude_categories=("Cs",)), max_size=12),
)  # fmt: skip


@given(
    st.lists(st.lists(CELLS, min_size=1, max_size=7), min_size=1, max_size=8),
    st.sampled_from(["\t", ",", ";"]),
    st.booleans(),
)
@tries(300)
def test_whatever_is_pasted_is_read_or_refused_and_what_is_made_is_good(
    lines: list[list[str]], separator: str, with_buses: bool
) -> None:
    heads = "name", "kind", "to", "sends", "inserts", "outlets", "section"
    text = "\n".join(separator.join(line) for line in (heads, *lines))
    for pasted in (text, text.partition("\n")[2]):
        try:
            found = read_rows(ROOM, pasted, {"feed": SECTION_BUS, "sends": "hall@-9"}, with_buses=with_buses)
        except DocumentError:
            continue
        assert validated(ROOM, found.template) is found.template
        assert {strip.id for strip in ROOM.strips} <= {strip.id for strip in found.template.strips}
        assert found.template.routes[: len(ROOM.routes)] == ROOM.routes
