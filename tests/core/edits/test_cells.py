"""Cells of the table of strips: what is shown is what is typed, each cell by itself, refusals by sentence."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.edits import EDITS, apply
from lattice.errors import EditError
from lattice.formats.tables.strip_cells import CELL_COLUMNS, EDITABLE, StripCells
from lattice.generate.template import generate
from lattice.model.document import Source, Template
from lattice.model.names import sparing
from tests.build import template
from tests.strategies import templates

BAND = template(
    [
        {"id": "kick", "name": "Kick", "kind": "audio", "layout": "mono", "fader_db": -3.0, "tags": ["trigger"]},
        {"id": "bass", "name": "Bass", "kind": "audio", "source": {"peak_dbfs": -9.0, "rms_dbfs": -20.0},
         "inserts": [{"id": "squeeze", "name": "Duck", "type": "compressor", "key": "external", "latency_samples": 64, "ratio": 4.0},
                     {"id": "tone", "type": "eq"}]},
        {"id": "a1", "name": "Twin", "kind": "audio"}, {"id": "a2", "name": "Twin", "kind": "audio"},
        {"id": "notes", "name": "Keys notes", "kind": "midi"}, {"id": "synth", "name": "Synth", "kind": "instrument"},
        {"id": "drums", "name": "Drums", "kind": "bus"}, {"id": "hall", "name": "Hall @ 2", "kind": "return"},
        {"id": "room", "name": "Room", "kind": "return"}, {"id": "mix", "name": "Mix", "kind": "master"},
        {"id": "out", "name": "Main out", "kind": "output", "io": [1, 2]},
        {"id": "in", "name": "Desk in", "kind": "input", "io": [1, 2], "machine": "desk"},
    ],
    ["kick>drums", "send kick>room -12", "send bass>hall -10 pre-fader", "key kick>bass/squeeze", "midi notes>synth", "drums>mix", "mix>out",
     "tie out>in"],
    sections=[{"id": "sec", "name": "Rhythm", "bus": "drums"}],
    machines=[{"id": "main", "name": "Main"}, {"id": "desk", "name": "Desk"}],
)  # fmt: skip


def cells(made: Template, strip: str) -> dict[str, str]:
    return StripCells(made).row(next(one for one in made.strips if one.id == strip))


def typed(made: Template, *said: tuple[str, str, str]) -> Template:
    return apply(made, "set_cells", {"cells": ["\t".join(cell) for cell in said]})


def of(made: Template, strip: str) -> Any:
    return next(one for one in made.strips if one.id == strip)


def all_cells(made: Template) -> list[tuple[str, str, str]]:
    texts = StripCells(made)
    return [(strip.id, column, text) for strip in made.strips for column, text in texts.row(strip).items()]


# What is shown is what is typed.


@given(templates())
def test_a_cell_with_its_own_text_changes_nothing(made: Template) -> None:
    assert typed(made, *all_cells(made)) == made


def test_the_same_of_a_big_worn_template_with_every_kind_of_insert() -> None:
    made = generate(200, worn=True)
    assert typed(made, *all_cells(made)) == made


@given(templates(), st.data())
def test_cells_copied_to_another_strip_of_its_kind_read_the_same_there(made: Template, data: st.DataObject) -> None:
    strips = [strip for strip in made.strips if strip.kind in ("audio", "bus")]
    if not strips:
        return
    start, end = data.draw(st.sampled_from(strips)), data.draw(st.sampled_from(strips))
    copied = ("fader", "pan", "state", "tags", "section", "note", "latency")
    after = typed(made, *((end.id, column, cells(made, start.id)[column]) for column in copied))
    assert [cells(after, end.id)[column] for column in copied] == [cells(made, start.id)[column] for column in copied]
    others = (strip for strip in made.strips if strip.id != end.id)
    assert all(cells(after, strip.id) == cells(made, strip.id) for strip in others)


SHOWN = [
    ("kick", "to", "Drums"), ("kick", "sends", "Room@-12"), ("bass", "sends", "hall@-10 pre-fader"),  # a name with @: by id
    ("kick", "keys", "Bass/Duck@0"), ("notes", "to", "Synth"), ("out", "to", "Desk in"), ("out", "channels", "1-2"),
    ("bass", "inserts", "compressor:64 ratio 4 = Duck; eq"), ("bass", "peak", "-9"), ("in", "machine", "Desk"),
    ("kick", "fader", "-3"), ("kick", "state", ""), ("kick", "tags", "trigger"),
]  # fmt: skip


@pytest.mark.parametrize(("strip", "column", "text"), SHOWN)
def test_what_a_cell_shows(strip: str, column: str, text: str) -> None:
    assert cells(BAND, strip)[column] == text


def test_columns_are_those_of_the_rows() -> None:
    assert list(EDITABLE) == list(cells(BAND, "kick"))
    assert [column.name for column in CELL_COLUMNS if not column.sheet] == ["likely", "arrives", "findings"]


# What is typed.

TYPED = [
    ("kick", "name", " Kick  in ", lambda s: s.name == "Kick in"),
    ("kick", "kind", "virtual instrument", lambda s: s.kind == "instrument"),
    ("kick", "layout", "L/R", lambda s: s.layout == "stereo"),
    ("kick", "section", "rhythm", lambda s: s.section == "sec"),
    ("kick", "section", "", lambda s: s.section is None),
    ("kick", "fader", "−7.5 dB", lambda s: s.fader_db == -7.5),
    ("kick", "fader", "off", lambda s: s.fader_db is None),
    ("kick", "fader", "", lambda s: s.fader_db == 0),
    ("kick", "pan", "L50", lambda s: s.pan == -0.5),
    ("kick", "state", "Mute, armed", lambda s: s.mute and s.armed and s.in_service and not s.invert),
    ("kick", "state", "monitored when armed", lambda s: s.monitor == "when-armed"),
    ("kick", "tags", "click; lead voice", lambda s: s.tags == ("click", "lead voice")),
    ("kick", "machine", "desk", lambda s: s.machine == "desk"),
    ("in", "machine", "Main", lambda s: s.machine in (None, "main")),
    ("out", "channels", "Out 3-4", lambda s: s.io == (3, 4)),
    ("synth", "channels", "2: 1-4", lambda s: s.midi.ports == 2 and s.midi.channels == (1, 2, 3, 4)),
    ("bass", "peak", "-6", lambda s: s.source == Source(peak_dbfs=-6.0, rms_dbfs=-20.0)),
    ("kick", "peak", "off", lambda s: s.source is None),
    ("kick", "latency", "128", lambda s: s.latency_samples == 128),
    ("kick", "note", "one⏎two", lambda s: s.note == "one\ntwo"),
]  # fmt: skip


@pytest.mark.parametrize(("strip", "column", "text", "holds"), TYPED, ids=[f"{one[1]} {one[2]}" for one in TYPED])
def test_one_cell_sets_its_field_and_nothing_else(strip: str, column: str, text: str, holds: Any) -> None:
    before = BAND
    if column == "machine":  # routes join strips of one machine
        before = apply(before, "untie", {"strips": ["kick", "out"], "kinds": ["feed", "send", "key", "tie"]})
    after = typed(before, (strip, column, text))
    assert holds(of(after, strip))
    assert [one for one in after.strips if one.id != strip] == [one for one in before.strips if one.id != strip]
    assert after.routes == before.routes


def routes(made: Template, strip: str, kind: str) -> list[tuple[str, float | None, str]]:
    return [(r.to, r.gain_db, r.tap) for r in made.routes if r.from_strip == strip and r.kind == kind]


ROUTED = [
    ("kick", "to", "mix", "feed", [("mix", 0.0, "post-fader")]),
    ("kick", "to", "Drums; Mix@-6", "feed", [("drums", 0.0, "post-fader"), ("mix", -6.0, "post-fader")]),
    ("kick", "to", "-", "feed", []),
    ("kick", "sends", "hall -9 dB pre", "send", [("hall", -9.0, "pre-fader")]),
    ("kick", "sends", "room@-12; hall@-10", "send", [("room", -12.0, "post-fader"), ("hall", -10.0, "post-fader")]),
    ("bass", "sends", "HALL@-10", "send", [("hall", -10.0, "post-fader")]),
    ("kick", "keys", "", "key", []),
    ("a1", "keys", "Bass/Duck", "key", [("bass", 0.0, "post-fader")]),
    ("notes", "to", "", "midi", []),
]


@pytest.mark.parametrize(("strip", "column", "text", "kind", "expected"), ROUTED)
def test_cells_of_routes(strip: str, column: str, text: str, kind: str, expected: Any) -> None:
    after = typed(BAND, (strip, column, text))
    assert routes(after, strip, kind) == expected
    others = [r for r in BAND.routes if (r.from_strip, r.kind) != (strip, kind)]
    assert [r for r in after.routes if (r.from_strip, r.kind) != (strip, kind)] == others


def test_a_route_that_a_cell_still_shows_keeps_its_id() -> None:
    after = typed(BAND, ("kick", "sends", "Room@-3; hall@-10"))
    before = next(route.id for route in BAND.routes if route.to == "room")
    assert next(route.gain_db for route in after.routes if route.id == before) == -3


def test_a_free_physical_pair_makes_its_output_and_one_that_is_there_is_taken() -> None:
    after = typed(BAND, ("a1", "to", "Out 3-4"), ("a2", "to", "out 3-4"))
    made = [strip for strip in after.strips if strip.id not in {one.id for one in BAND.strips}]
    assert [(strip.kind, strip.io) for strip in made] == [("output", (3, 4))]
    assert routes(after, "a1", "feed") == routes(after, "a2", "feed") == [(made[0].id, 0.0, "post-fader")]


def test_a_new_section_is_made_once() -> None:
    after = typed(BAND, ("kick", "section", "Low end"), ("bass", "section", "low end"))
    assert [section.name for section in after.sections] == ["Rhythm", "Low end"]
    assert of(after, "kick").section == of(after, "bass").section == after.sections[1].id


def test_names_of_one_paste_hold_for_its_destinations() -> None:
    after = typed(BAND, ("drums", "name", "Band"), ("a1", "to", "Band"))
    assert routes(after, "a1", "feed") == [("drums", 0.0, "post-fader")]


INSERTS = [
    ("compressor:64 ratio 4 = Duck", ["squeeze"]),
    ("eq; compressor:64 ratio 4 = Duck", ["tone", "squeeze"]),
    ("compressor ratio 2 = Duck; eq", ["squeeze", "tone"]),
    ("compressor:64 ratio 4 = Duck; eq low-cut 80", ["squeeze", "tone"]),
]


@pytest.mark.parametrize(("text", "ids"), INSERTS)
def test_inserts_keep_their_ids_their_keys_and_an_unspoken_latency(text: str, ids: list[str]) -> None:
    after = of(typed(BAND, ("bass", "inserts", text)), "bass")
    assert [insert.id for insert in after.inserts] == ids
    duck = next(insert for insert in after.inserts if insert.id == "squeeze")
    assert (duck.key, duck.latency_samples) == ("external", 64)


def test_an_insert_by_name_is_added_and_a_deleted_cell_takes_all_of_them_with_their_keys() -> None:
    after = typed(BAND, ("kick", "inserts", "Low cut; plate verb wet 20%"))
    assert [(insert.name, insert.type) for insert in of(after, "kick").inserts] == [
        ("Low cut", "eq"),
        ("plate verb", "reverb"),
    ]
    after = typed(BAND, ("bass", "inserts", ""))
    assert not of(after, "bass").inserts
    assert not routes(after, "kick", "key")


# Refusals: a sentence each, nothing stored.

REFUSED = [
    (("kick", "to", "Drumz"), "Kick, Goes to: strip “Drumz” does not exist"),
    (("kick", "to", "kick"), "Kick, Goes to: “kick” is the strip itself"),
    (("kick", "to", "Twin"), "Kick, Goes to: 2 strips have the name “Twin”: a1, a2; use the ID"),
    (("kick", "to", "Bass"), None),  # a track may be fed
    (("kick", "sends", "Room@loud"), "Kick, Sends: “loud” is not a level"),
    (("kick", "keys", "Bass/Gate"), "has no insert “Gate” with a key input"),
    (("kick", "fader", "lots"), "Kick, Fader: "),
    (("kick", "layout", "wide"), "Kick, Layout: “wide” is not a layout"),
    (("kick", "kind", "banana"), "Kick, Kind: “banana” is not one of audio, "),
    (("drums", "kind", "midi"), "Drums, Kind: a strip of kind midi cannot have the feed Kick → Drums; remove it first"),
    (("kick", "state", "sleepy"), "Kick, State: “sleepy” is not one of muted, "),
    (("kick", "name", "  "), "Kick, Strip: is empty"),
    (("kick", "name", "x" * 501), "Kick, Strip: is longer than 500 characters"),
    (("kick", "machine", "Attic"), "Kick, Machine: machine “Attic” does not exist; add it in Settings"),
    (("drums", "peak", "-6"), "Drums, Source peak: only strips of kind audio, "),
    (("bass", "inserts", "compressor ratio fast"), "“fast”"),
    (("kick", "likely", "-3"), "Likely peak, dBFS is computed"),
    (("kick", "colour of hair", "red"), "“colour of hair” is not a column"),
    (("gone", "fader", "-3"), "strip gone does not exist; it may have been removed"),
]  # fmt: skip


@pytest.mark.parametrize(("said", "sentence"), REFUSED)
def test_a_cell_that_cannot_be_read_says_why(said: tuple[str, str, str], sentence: str | None) -> None:
    if sentence is None:
        assert typed(BAND, said) != BAND
        return
    with pytest.raises(EditError) as refused:
        typed(BAND, ("a1", "fader", "-1"), said)
    assert sentence in refused.value.problems[0]


def test_many_bad_cells_say_the_first_eight() -> None:
    with pytest.raises(EditError) as refused:
        typed(BAND, *((strip.id, "fader", "lots") for strip in BAND.strips))
    assert len(refused.value.problems) == 9
    assert refused.value.problems[-1] == "and 3 more"


@pytest.mark.parametrize("line", ["", "kick", "kick\tfader"])
def test_a_line_without_its_tabs_is_refused(line: str) -> None:
    with pytest.raises(EditError, match="with tabs between"):
        apply(BAND, "set_cells", {"cells": [line]})


def test_a_strip_keeps_its_id_where_that_is_spent() -> None:
    with sparing({"kick", "bass"}):
        after = typed(BAND, ("kick", "fader", "-3"), ("bass", "name", "Low"))
    assert [strip.id for strip in after.strips] == [strip.id for strip in BAND.strips]


def test_words_for_the_history() -> None:
    words = EDITS["set_cells"].words
    assert words(BAND, {"cells": ["kick\tfader\t-3"]}) == "Kick, Fader: -3"
    assert words(BAND, {"cells": ["kick\tsends\t"]}) == "Kick, Sends: none"
    assert words(BAND, {"cells": ["kick\tfader\t-3", "bass\tfader\t-3", "bass\tpan\t0"]}) == "3 cells of 2 strips"


def test_a_column_of_states_is_read_the_same_in_a_pasted_table() -> None:
    rows = ["Name\tKind\tState", "Kick\taudio\tmuted; armed", "Bass\taudio\t", "Tom\taudio\tinverted"]
    made = apply(template(["x:mix"]), "spread", {"names": rows})
    assert [(s.mute, s.armed, s.invert) for s in made.strips[1:]] == [
        (True, True, False),
        (False, False, False),
        (False, False, True),
    ]
    with pytest.raises(EditError, match="row 2, column state: “sleepy” is not one of muted"):
        apply(template(["x:mix"]), "spread", {"names": [rows[0], "Kick\taudio\tsleepy"]})
