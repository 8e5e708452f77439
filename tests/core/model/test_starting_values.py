"""Starting values that fields suggest: common practice of the trade."""

from __future__ import annotations

import pytest

from lattice.edits.fields import fields_of
from lattice.formats.tables.insert_words import insert_of_words
from lattice.model.document import Insert, Strip, Template
from lattice.model.insert_types import INSERT_TYPES
from lattice.model.starting_values import starting_chains, starting_value

ROWS = [
    ("low cut on a return, 200 to 300 Hz", "return", "Room", "reverb", "", "low_cut_hz", "250"),
    ("low cut on cymbals, 450 to 500 Hz", "bus", "Cymbals", "eq", "", "low_cut_hz", "475"),
    ("high cut of a slap, 9 to 10 kHz", "return", "Slap", "delay", "", "high_cut_hz", "9.5 kHz"),
    ("high cut of a plate, about 8 kHz", "return", "Echoes", "reverb", "Plate", "high_cut_hz", "8 kHz"),
    ("pre-delay of a plate, 150 to 200 ms", "return", "Echoes", "reverb", "Plate", "pre_delay_ms", "170"),
    ("feedback of a slap, 20 to 30 %", "return", "Slap", "delay", "", "feedback", "25 %"),
    ("feedback of a quarter, 40 %", "return", "Quarter", "delay", "", "feedback", "40 %"),
    ("a group of instruments, 4:1", "bus", "Brass", "compressor", "", "ratio", "4"),
    ("the mix, 2:1", "master", "Mix", "compressor", "", "ratio", "2"),
    ("delay of a slap, 166 ms", "return", "Slap", "delay", "", "delay_ms", "166"),
    ("an early delay, near a dotted eighth", "return", "Early", "delay", "", "delay_ms", "375"),
    ("a quarter at 120 BPM", "return", "Quarter", "delay", "", "delay_ms", "500"),
    ("a long pre-delay, 150 to 200 ms", "return", "Long hall", "reverb", "", "pre_delay_ms", "175"),
    ("a crush bus, −40 dB", "bus", "Crush", "compressor", "", "threshold_db", "-40"),
    ("a crush bus, 5 to 6:1", "bus", "Crush", "compressor", "", "ratio", "5.5"),
    ("a hard duck releases by a note value", "bus", "Pads", "compressor", "Hard duck", "release_ms", "125"),
    ("low cut on synth and sub, 15 Hz", "audio", "Sub", "eq", "", "low_cut_hz", "15"),
    ("low cut on tops, 150 to 200 Hz", "audio", "Tops", "eq", "", "low_cut_hz", "175"),
    ("nothing is usual", "bus", "Brass", "meter", "", "ratio", ""),
]


@pytest.mark.parametrize(
    ("kind", "strip", "type_", "name", "field", "value"), [row[1:] for row in ROWS], ids=[row[0] for row in ROWS]
)
def test_what_people_begin_with(kind: str, strip: str, type_: str, name: str, field: str, value: str) -> None:
    host = Strip(id="s", name=strip, kind=kind)  # type: ignore[arg-type]
    assert starting_value(host, Insert(id="i", type=type_, name=name), field) == value


def test_ducking_begins_at_minus_20_and_3_to_1() -> None:
    keyed = Insert(id="i", type="compressor", key="external")
    host = Strip(id="s", name="Music", kind="bus")
    assert (starting_value(host, keyed, "threshold_db"), starting_value(host, keyed, "ratio")) == ("-20", "3")


def test_chains_to_begin_with_are_read_as_they_stand() -> None:
    mix, duck, crush, _slap = (
        [insert_of_words(entry.strip(), "i") for entry in one.inserts.split(";")] for one in starting_chains(100.0)
    )
    assert [(one.type, one.state) for one in mix] == [
        ("gain", "on"),
        ("saturator", "on"),
        ("compressor", "on"),
        ("saturator", "on"),
        ("limiter", "bypassed"),
    ]
    assert (mix[2].ratio, mix[2].attack_ms) == (2.0, 10.0)
    assert (duck[0].key, duck[0].release_ms) == ("external", 150.0)  # a sixteenth at 100 BPM
    assert (crush[0].threshold_db, crush[0].gain_db) == (-40.0, 12.0)


def test_every_suggestion_can_be_typed_into_its_field() -> None:
    fields = fields_of(Insert)
    usual = [one for row in INSERT_TYPES for one in (*row.by_word, *row.by_host, *row.by_key)]
    assert len(usual) > 20
    for one in usual:
        typed = one.value or f"{one.quarters * 500:.0f}"
        assert fields[one.field].read(typed, Template(name="x")) is not None
