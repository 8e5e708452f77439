"""The track sheet: parsed in its common forms, with row and column of each error."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.errors import DocumentError
from lattice.formats.track_sheet import load, read_sheet
from lattice.formats.track_sheet_writer import dump
from lattice.generate import generate
from lattice.model.document import Route, Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

SHEET = """name,kind,layout,section,tags,fader_db,pan,mute,feed,sends,keys,inserts,io,source_peak_dbfs,source_rms_dbfs,note
Kick,,mono,Drums,,-3,0,no,Drum bus,booth@-14; echo@-9 pre-fader,bass-bus/duck@0,eq; compressor:64,,-8,-20,close
Bass,,stereo,,,0,-0.5,no,bass-bus,,,,,,,
Drum bus,,stereo,Drums,,0,0,no,Out,,,,,,,
bass-bus,bus,stereo,,,0,0,no,Out,,,compressor,,,,
booth,,stereo,,,0,0,yes,Out,,,reverb,,,,
echo,,stereo,,,0,0,no,Out,,,delay,,,,
Out,,stereo,,,0,0,no,,,,,1-2,,,
"""


def test_the_columns_say_what_they_say() -> None:
    made = load(SHEET.encode())
    kick = made.strips[0]
    assert (kick.id, kick.fader_db, kick.note, kick.source.peak_dbfs) == ("kick", -3.0, "close", -8.0)
    assert [(insert.type, insert.latency_samples) for insert in kick.inserts] == [("eq", 0), ("compressor", 64)]
    by_id = {strip.id: strip for strip in made.strips}
    assert {name: by_id[name].kind for name in ("kick", "drum-bus", "booth", "out")} == {
        "kick": "audio", "drum-bus": "bus", "booth": "return", "out": "output",
    }  # fmt: skip
    sends = [(route.to, route.gain_db, route.tap) for route in made.routes if route.kind == "send"]
    assert sends == [("booth", -14.0, "post-fader"), ("echo", -9.0, "pre-fader")]
    key = next(route for route in made.routes if route.kind == "key")
    assert (key.to, key.to_insert, by_id["bass-bus"].inserts[0].key) == ("bass-bus", "duck", "external")
    assert [section.name for section in made.sections] == ["Drums"]
    assert made.sections[0].bus == "drum-bus"
    assert by_id["out"].io == (1, 2)


@pytest.mark.parametrize("variant", ["semicolons", "tabs", "bom", "utf-16", "crlf", "quoted"])
def test_variants_of_spreadsheets_are_simply_understood(variant: str) -> None:
    text = "name,fader_db,feed\nKick,-6.5,Bus\nBus,0,\n"
    data = {
        "semicolons": text.replace(",", ";").encode(),
        "tabs": text.replace(",", "\t").encode(),
        "bom": b"\xef\xbb\xbf" + text.encode(),
        "utf-16": text.encode("utf-16"),
        "crlf": text.replace("\n", "\r\n").encode(),
        "quoted": b'"name","fader_db","feed"\n"Kick","-6.5","Bus"\n"Bus","0",""\n',
    }[variant]
    made = load(data)
    assert [(strip.name, strip.kind, strip.fader_db) for strip in made.strips] == [
        ("Kick", "audio", -6.5),
        ("Bus", "bus", 0.0),
    ]


def test_decimal_commas_go_with_semicolons() -> None:
    assert load(b"name;fader_db\nKick;-6,5\n").strips[0].fader_db == -6.5


def test_a_plain_list_of_names_is_a_sheet() -> None:
    made = load("Kick\nSnare\n\nÜberheads\n".encode())
    assert [(strip.id, strip.name) for strip in made.strips] == [
        ("kick", "Kick"),
        ("snare", "Snare"),
        ("uberheads", "Überheads"),
    ]


@pytest.mark.parametrize(
    ("cell", "column", "words"),
    [
        ("name,fader_db\nKick,loud", "fader_db", "“loud” is not a level"),
        ("name,pan\nKick,7", "pan", "“7” is not a pan position"),
        ("name,kind\nKick,drum", "kind", "“drum” is not one of"),
        ("name,layout\nKick,6.1", "layout", "“6.1” is not a layout"),
        ("name,feed\nKick,Nowhere", "feed", "strip “Nowhere” does not exist"),
        ("name,sends\nKick,Kick@much", "sends", "“much” is not a level"),
        ("name,keys\nKick,Kick/duck", "keys", "kick has no insert “duck” with a key input"),
        ("name,inserts\nKick,widener", "inserts", "“widener” is not one of"),
        ("name,io\nKick,a-b", "io", "“a-b” is not a list of channels"),
        ("name,mute\nKick,perhaps", "mute", "“perhaps” is not yes or no"),
        ("id,name\nKICK!,Kick", "id", "is not an ID"),
        ("name,note\n,lost", "name", "is empty"),
        ("name,kind,feed\nKick,,Notes\nNotes,midi,", "feed", "needs strips with audio"),
    ],
)
def test_what_is_not_understood_is_said_by_row_and_column_and_left_out(cell: str, column: str, words: str) -> None:
    read = read_sheet(cell.encode())
    assert [(problem.row, problem.column) for problem in read.problems] == [(2, column)]
    assert words in read.problems[0].sentence
    with pytest.raises(DocumentError, match=f"row 2, column {column}"):
        load(cell.encode())


def test_an_unknown_column_is_said() -> None:
    assert "unknown column" in str(read_sheet(b"name,wattage\nKick,9\n").problems[0])


@pytest.mark.parametrize("data", [b"", b"\n\n", b"name,feed\n", b"caf\xe9\n", b"a\0b\n", b'name\n"open\n'])
def test_what_is_no_sheet_is_refused_with_a_sentence(data: bytes) -> None:
    with pytest.raises(DocumentError):
        load(data)


@given(st.integers(12, 60), st.integers(1, 50))
@tries(25)
def test_what_the_columns_can_say_survives_the_round_trip(strips: int, seed: int) -> None:
    first = dump(generate(strips, seed))
    assert dump(load(first)) == first


@given(templates())
@tries(150)
def test_every_template_survives_as_far_as_the_columns_can_say(made: Template) -> None:
    """All of strips and routes; only ids and the order of routes are the sheet's own."""
    again = load(dump(made))
    assert dump(load(dump(again))) == dump(again)
    assert again.strips == made.strips
    assert sorted(map(_said, made.routes)) == sorted(map(_said, again.routes))


def _said(route: Route) -> list[str]:
    return [str(getattr(route, field)) for field in Route.__struct_fields__ if field != "id"]


FULL = template(
    [
        {
            "id": "kick", "name": "Kick", "kind": "audio", "colour": "#8a4b2d", "in_service": False, "invert": True, "armed": True,
            "records": "pre", "latency_samples": 3, "measured_latency_samples": 0, "memory_mb": 1.5, "source": None,
            "inserts": [
                {"id": "a", "name": "Low cut", "type": "eq", "maker": "Northlight", "version": "2.1", "low_cut_hz": 80},
                {"id": "kick-eq", "type": "eq", "version": "3", "wet": 0.3, "gain_db": -1.25, "layout_out": "stereo"},
                {"id": "b", "type": "compressor", "threshold_db": -20, "ratio": 100, "key": "internal", "attack_ms": 0.5, "release_ms": 80},
                {"id": "c", "type": "delay", "delay_ms": 333.25, "feedback": 1.5, "pre_delay_ms": 1, "high_cut_hz": 2500, "state": "bypassed"},
                {"id": "d", "type": "external", "io_out": [3, 4], "io_in": [5, 6], "measured_latency_samples": 7, "memory_mb": 2, "ceiling_db": -1},
            ],
        },
        "b:mix",
    ],
    [{"id": "r1", "kind": "send", "from": "kick", "to": "mix", "channels": [[1, 2], [1, 1]], "pan": -0.25, "gain_db": -3},
     {"id": "r2", "kind": "feed", "from": "kick", "to": "mix", "channels": []}],
)  # fmt: skip


def test_every_field_of_a_strip_its_inserts_and_its_routes_has_a_place() -> None:
    again = load(dump(FULL))
    assert again.strips == FULL.strips
    assert sorted(map(_said, FULL.routes)) == sorted(map(_said, again.routes))


@pytest.mark.parametrize(
    ("column", "cell", "words"),
    [
        ("inserts", "eq #A!", "“#a!” is not an ID"),
        ("inserts", "eq key often", "“often” is not one of none, internal, external"),
        ("inserts", "eq #x; eq #x", "#x is taken"),
        ("feed", "Kit ch=1", "“ch=1” is not pairs of channels"),
        ("colour", "reddish", "“reddish” is not a colour like"),
        ("records", "all", "“all” is not one of in, pre"),
        ("memory_mb", "much", "“much” is not an amount of memory"),
    ],
)
def test_what_the_newer_columns_do_not_understand_is_said(column: str, cell: str, words: str) -> None:
    read = read_sheet(f'name,kind,{column}\nKit,instrument,"{cell}"\n'.encode())
    assert words in read.problems[0].sentence


WIDE = """name,kind,machine,feed,ties,midi,io,midi_in,outlets,parts,monitor
Kit,instrument,,Drums; 3-4>Snare,,,,"2: 1-4, 10",1-2 stereo main = Kit; 3-4 mono closed -12/-24,snare note 38 channel 10 outlet 3-4 = Snare,
Snare,audio,,Drums,,,,,,,always
Drums,bus,,,,,,,,,
Beats,,,,,Kit@2.10 disabled,,,,,
Choir out,output,Choir machine,,Choir in,,1-2,,,,
Synth,instrument,Old synth (outboard),,,Kit@.3,,,,,
Choir in,input,,Drums,,,3-4,,,,
"""


def test_outlets_parts_midi_ties_and_machines_have_columns() -> None:
    made = load(WIDE.encode())
    by_id = {strip.id: strip for strip in made.strips}
    kit = by_id["kit"]
    assert [(o.id, o.layout, o.main, o.open, o.name) for o in kit.outlets] == [
        ("1-2", "stereo", True, True, "Kit"),
        ("3-4", "mono", False, False, ""),
    ]
    assert (kit.outlets[1].source.peak_dbfs, kit.midi.ports, kit.midi.channels) == (-12.0, 2, (1, 2, 3, 4, 10))
    assert [(p.id, p.note, p.channel, p.outlet, p.name) for p in kit.parts] == [("snare", 38, 10, "3-4", "Snare")]
    assert (by_id["beats"].kind, by_id["snare"].monitor) == ("midi", "always")
    assert [(m.name, m.kind) for m in made.machines] == [
        ("Main computer", "computer"),
        ("Choir machine", "computer"),
        ("Old synth", "outboard"),
    ]
    assert [
        (r.kind, r.from_strip, r.from_outlet, r.to, r.port, r.channel, r.enabled)
        for r in made.routes
        if r.kind != "feed" or r.from_outlet
    ] == [
        ("feed", "kit", "3-4", "snare", None, None, True),
        ("midi", "beats", None, "kit", 2, 10, False),
        ("tie", "choir-out", None, "choir-in", None, None, True),
        ("midi", "synth", None, "kit", None, 3, True),
    ]
    assert load(dump(made)) == made


@pytest.mark.parametrize(
    ("column", "cell", "words"),
    [
        ("outlets", "1-2 huge", "“huge” is not a layout"),
        ("outlets", "A! mono", "“a!” is not an ID"),
        ("outlets", "1 mono; 1 stereo", "1 appears twice"),
        ("outlets", "1 mono off/-3", "is not two levels like"),
        ("parts", "snare note", "pairs must follow the ID"),
        ("parts", "snare note 200", "“200” is not a note, 0 to 127"),
        ("parts", "snare colour 3", "“colour 3” is not one of note, channel, port, outlet"),
        ("parts", "snare outlet 9", "snare uses outlet 9, which does not exist"),
        ("midi_in", "none", "“none” is not a number of ports"),
        ("midi_in", "1: 17", "goes beyond channel 16"),
        ("midi", "Kit@2.17", "“17” is not a MIDI channel, 1 to 16"),
        ("inserts", "eq:64 asleep", "“asleep” is not one of bypassed, unloaded"),
        ("inserts", "eq:much", "“much” is not a latency in samples"),
        ("monitor", "maybe", "“maybe” is not one of never"),
    ],
)
def test_small_lists_are_said_by_row_and_column_too(column: str, cell: str, words: str) -> None:
    read = read_sheet(f'name,kind,{column}\nKit,instrument,"{cell}"\n'.encode())
    assert [(problem.row, problem.column) for problem in read.problems] == [(2, column)]
    assert words in read.problems[0].sentence


def test_only_an_instrument_has_outlets() -> None:
    read = read_sheet(b"name,kind,outlets\nKick,audio,1 mono\n")
    assert "only an instrument has outlets" in read.problems[0].sentence
    assert read.template.strips[0].outlets == ()
