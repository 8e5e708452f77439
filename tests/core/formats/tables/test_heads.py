"""The meaning of each column of a pasted table, by its head or by its cells."""

from __future__ import annotations

import pytest

from lattice.formats.tables.headers import cells_of, column_of, table_of
from lattice.formats.tables.words import insert_type_of, kind_of, layout_of, physical_of

# Heads that spreadsheets of the trade have (common practice).
HEADS = [
    ("Track", "name", ""), ("CHANNEL NAME", "name", ""), ("Type", "kind", ""), ("Format", "layout", ""),
    ("Folder", "section", ""), ("Routed to", "feed", ""), ("Output", "feed", ""), ("Input", "input", ""),
    ("FX sends", "sends", ""), ("Send A", "send", "a"), ("send a level", "send level", "a"), ("Aux 2", "send", "2"),
    ("Aux 2 pre/post", "send tap", "2"), ("Plug-ins", "inserts", ""), ("Comments", "note", ""), ("fader_db", "fader_db", ""),
    ("Weather", "", ""),
]  # fmt: skip


@pytest.mark.parametrize(("head", "field", "slot"), HEADS, ids=[case[0] for case in HEADS])
def test_a_head_says_what_its_column_holds(head: str, field: str, slot: str) -> None:
    column = column_of(head)
    assert (column.field, column.slot) == (field, slot)


TABLES: list[tuple[str, str, list[dict[str, str]]]] = [
    ("names with commas are names", "Violins, long\nViolins, short", [{"name": "Violins, long"}, {"name": "Violins, short"}]),
    ("tabs are columns in their order", "Kick\tDrums\nSnare\tDrums",
     [{"name": "Kick", "section": "Drums"}, {"name": "Snare", "section": "Drums"}]),
    ("a column of kinds is known by what it holds", "Kick,audio\nDrums,bus",
     [{"name": "Kick", "kind": "audio"}, {"name": "Drums", "kind": "bus"}]),
    ("a column of other rows' names is where they go", "Kick\tMix\nMix\t",
     [{"name": "Kick", "feed": "Mix"}, {"name": "Mix"}]),
    ("heads in any order", "to;name;layout\nMix;Kick;mono", [{"feed": "Mix", "name": "Kick", "layout": "mono"}]),
    ("sends in columns of their own", "Track,Send A,Send A level,Send B\nKick,Hall,-12 dB,Slap",
     [{"name": "Kick", "sends": "Hall@-12 dB; Slap"}]),
    ("quotes keep a comma", 'name,to\n"Violins, long",Mix', [{"name": "Violins, long", "feed": "Mix"}]),
    ("a head over names alone", "Name\nKick", [{"name": "Kick"}]),
    ("levels stand behind an @", "Kick\tHall@-12\nSnare\tHall@-9", [{"name": "Kick", "sends": "Hall@-12"}, {"name": "Snare", "sends": "Hall@-9"}]),
]  # fmt: skip


@pytest.mark.parametrize(("text", "rows"), [case[1:] for case in TABLES], ids=[case[0] for case in TABLES])
def test_a_table_is_taken_apart(text: str, rows: list[dict[str, str]]) -> None:
    table = table_of(text)
    assert [cells_of(table.columns, line) for _number, line in table.rows] == rows


def test_names_and_sections_of_the_template_tell_columns_too() -> None:
    text = "Kick,Low\nSnare,High"
    assert not table_of(text).columns[1:]
    assert table_of(text, sections={"low", "high"}).columns[1].field == "section"
    assert table_of(text, names={"low", "high"}).columns[1].field == "feed"


def test_what_is_not_used_is_named() -> None:
    assert table_of("Track\tWeather\tTo\nKick\tfine\tMix").unused == ["Weather"]


WORDS = [
    (kind_of, "Audio track", "audio"), (kind_of, "AUX", ""), (kind_of, "Group", "bus"), (kind_of, "Weather", None),
    (layout_of, "L/R", "stereo"), (layout_of, "5.1", "5.1"), (layout_of, "20 channels", "discrete:20"),
    (layout_of, "Mono", "mono"), (layout_of, "wide", None),
    (insert_type_of, "Plate, long", "reverb"), (insert_type_of, "Mix limiter", "limiter"), (insert_type_of, "Magic", "other"),
]  # fmt: skip


@pytest.mark.parametrize(("read", "text", "meant"), WORDS, ids=[case[1] for case in WORDS])
def test_words_of_the_trade(read, text: str, meant: str | None) -> None:  # type: ignore[no-untyped-def]
    assert read(text) == meant


def test_physical_channels_are_known_by_their_words() -> None:
    found = {text: physical_of(text) for text in ("Out 1-2", "Main 3/4", "in 7", "Mix", "Out 4-3", "Line 0")}
    named = {text: (physical.name, physical.channels) for text, physical in found.items() if physical}
    assert named == {"Out 1-2": ("Out 1–2", (1, 2)), "Main 3/4": ("Out 3–4", (3, 4)), "in 7": ("In 7", (7,))}
