"""Starting values that fields suggest: common practice of the trade."""

from __future__ import annotations

import pytest

from lattice.edits.fields import fields_of
from lattice.model.document import Insert, Strip, Template
from lattice.model.insert_types import INSERT_TYPES
from lattice.model.starting_values import starting_value

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


def test_every_suggestion_can_be_typed_into_its_field() -> None:
    fields = fields_of(Insert)
    usual = [one for row in INSERT_TYPES for one in (*row.by_word, *row.by_host, *row.by_key)]
    assert len(usual) > 20
    for one in usual:
        assert fields[one.field].read(one.value, Template(name="x")) is not None
