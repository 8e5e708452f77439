"""Lists whose kinds, tags, sections and channels are read from the names of all rows together."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.checks import audit
from lattice.edits import apply
from lattice.edits.spread import may_be_wired, rows_read
from lattice.formats.any_table import load
from lattice.formats.tables.tolerant_reader import ReadRows
from lattice.model.document import Template
from tests.build import template

EMPTY = template([])
SIXTEEN = [
    "Kick", "Snare", "Hat", "Overheads", "Bass", "Guitar L", "Guitar R", "Keys", "Lead vox", "Backing vox", "Drum bus",
    "Vox verb", "Slap", "Click", "Mix", "Print mix",
]  # fmt: skip


def read(text: str, base: Template = EMPTY, **usual: Any) -> ReadRows:
    return rows_read(base, text.splitlines(), **usual)


def kinds(text: str, base: Template = EMPTY, **usual: Any) -> dict[str, str]:
    found = read(text, base, **usual)
    return {s.name: " ".join((s.kind, *s.tags)) for s in found.template.strips if s.id in found.added}


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("Mix\nDrum mix\nMaster", {"Mix": "bus", "Drum mix": "bus", "Master": "master"}),
        ("Mix\nDrum mix", {"Mix": "master", "Drum mix": "bus"}),
        ("Keyboard\nSynth", {"Keyboard": "midi", "Synth": "audio"}),
        ("Keyboard\nGuitar", {"Keyboard": "audio", "Guitar": "audio"}),
        ("Room\nKick", {"Room": "audio", "Kick": "audio"}),
        ("Plate\nRoom\nKick", {"Plate": "return", "Room": "return", "Kick": "audio"}),
        ("name\tsends\nVox\tRoom -10\nRoom\t", {"Vox": "audio", "Room": "return"}),
        ("name\tinserts\nRoom\treverb\nAux 2\tdelay\nAux 3\teq", {"Room": "return", "Aux 2": "return", "Aux 3": "bus"}),
        ("name\ttype\nDrums\taux\nKick\taudio track", {"Drums": "bus", "Kick": "audio"}),
        ("name\tsection\nKick\tDrums\nDrums\tDrums\nVox\tVocals", {"Kick": "audio", "Drums": "bus", "Vox": "audio"}),
        ("Click\nReference mix\nGuide vocal", {"Click": "audio click", "Reference mix": "audio reference", "Guide vocal": "audio"}),
        ("name\tkind\nDrum bus\taudio", {"Drum bus": "audio"}),  # a stated kind is no guess
    ],
)  # fmt: skip
def test_names_tell_kinds_and_tags(text: str, expected: dict[str, str]) -> None:
    assert kinds(text) == expected


def test_a_usual_kind_is_no_guess_either() -> None:
    assert kinds("Drum bus\nMix", kind="audio") == {"Drum bus": "audio", "Mix": "audio"}


def test_there_is_one_master() -> None:
    assert kinds("Mix", template(["x:m"])) == {"Mix": "bus"}


def test_outputs_take_the_pair_in_their_name_else_the_next_free_one() -> None:
    found = read(
        "Out 3-4\nPhones\nMonitors", template([{"id": "o", "kind": "output", "layout": "stereo", "io": [1, 2]}])
    )
    assert [strip.io for strip in found.template.strips[1:]] == [(3, 4), (5, 6), (7, 8)]


def test_the_bus_of_a_section_is_fed_by_its_strips() -> None:
    made = read("name\tsection\nKick\tDrums\nSnare\tDrums\nDrum bus\t").template
    assert [(route.from_strip, route.to) for route in made.routes] == [("kick", "drum-bus"), ("snare", "drum-bus")]
    assert made.sections[0].bus == "drum-bus"


def test_guesses_say_where_they_come_from_and_are_changed_for_one_or_all_alike() -> None:
    text = "Drum print\nVox print\nBass bus"
    guessed = read(text).guessed
    assert [(one.kind, one.because) for one in guessed.values()] == [
        ("print", "name: “print”"), ("print", "name: “print”"), ("bus", "name: “bus”"),
    ]  # fmt: skip
    assert kinds(text, roles=["print=audio"]) == {"Drum print": "audio", "Vox print": "audio", "Bass bus": "bus"}
    assert kinds(text, roles=["2=bus"]) == {"Drum print": "print", "Vox print": "bus", "Bass bus": "bus"}


@pytest.mark.parametrize(
    ("line", "sends"),
    [
        ("Vox\tChapel −9 dB", [-9.0]),
        ("Vox\tChapel (−10 dB)", [-10.0]),
        ("Vox\tListen 0", [0.0]),
        ("Vox\tListen 0.0; Chapel -9", [0.0, -9.0]),
    ],
)
@pytest.mark.parametrize("head", ["FX send", "Level", "Comments"])
def test_a_column_that_names_other_rows_is_sends_whatever_its_head(line: str, sends: list[float], head: str) -> None:
    made = read(f"Track\t{head}\n{line}\nChapel\t\nListen\t").template
    assert [route.gain_db for route in made.routes if route.kind == "send"] == sends


def test_words_before_a_type_are_the_name_of_an_insert_and_no_setting_is_lost() -> None:
    (strip,) = read(
        "name\tinserts\nVox\tbus comp ratio 4 threshold -20 dB makeup 2; tape delay delay 300 ms; old eq bypassed"
    ).template.strips
    comp, echo, old = strip.inserts
    assert (comp.name, comp.type, comp.ratio, comp.threshold_db, comp.gain_db) == (
        "bus comp",
        "compressor",
        4.0,
        -20.0,
        2.0,
    )
    assert (echo.type, echo.delay_ms) == ("delay", 300.0)
    assert (old.name, old.type, old.state) == ("old eq", "eq", "bypassed")


def test_sixteen_names_are_wired_without_a_blocker_or_a_warning() -> None:
    made = apply(EMPTY, "spread", {"names": SIXTEEN, "wire": True})
    assert {finding.severity for finding in audit(made).findings} == {"note"}
    ends = {(route.from_strip, route.to) for route in made.routes}
    assert {
        ("kick", "mix"),
        ("drum-bus", "mix"),
        ("mix", "out-1-2"),
        ("click", "out-1-2"),
        ("mix", "print-mix"),
    } <= ends
    assert ("click", "mix") not in ends


def test_only_names_without_routes_may_be_wired() -> None:
    assert may_be_wired(read("Kick\nMix"))
    assert not may_be_wired(read("name\tto\nKick\tMix\nMix\t"))
    assert not may_be_wired(read("Kick", feed="Mix", base=template(["x:Mix".lower()])))


def test_a_plain_list_converts_alike() -> None:
    made = load("\n".join(SIXTEEN).encode(), "band")
    assert made.name == "band"
    assert [strip.kind for strip in made.strips] == [s.kind for s in read("\n".join(SIXTEEN)).template.strips]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("name,section\nKick,Drums\nDrums,Drums", {"Kick": "audio", "Drums": "bus"}),
        ("name,kind\nKick,\nDrum bus,\nHall,return", {"Kick": "audio", "Drum bus": "bus", "Hall": "return"}),
        ("name,kind\nKick,audio\nDrum bus,audio", {"Kick": "audio", "Drum bus": "audio"}),
    ],
)
def test_our_own_heads_leave_kinds_to_names_where_none_is_stated(text: str, expected: dict[str, str]) -> None:
    assert {strip.name: strip.kind for strip in load(text.encode(), "Sheet").strips} == expected
