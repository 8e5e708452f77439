"""One small template in the tables of twenty people: whatever they call things, it is the same template."""

from __future__ import annotations

import csv
import io
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.errors import DocumentError
from lattice.formats.any_table import load, read_any
from lattice.formats.gate import validated
from lattice.formats.tables.choices import Choices, fingerprint, load_choices
from lattice.formats.tables.headers import FIELD_OF
from lattice.formats.tables.understand import answered
from lattice.model.document import Template
from tests.deep import tries

WANTED = [
    "feed drums>mix", "feed kick>drums", "feed mix>out-1-2", "feed plate>mix", "feed snare>drums", "feed vox>mix",
    "send snare>plate -12", "send vox>plate -9",
]  # fmt: skip
KINDS = {
    "kick": "audio mono", "snare": "audio mono", "drums": "bus stereo", "vox": "audio mono", "plate": "return stereo",
    "mix": "master stereo", "out-1-2": "output stereo",
}  # fmt: skip
# Head rows and words of our own invention; every table gives the template above.
TABLES = {
    "by strip": """Track,Type,Format,Output,Send A,Send A level
Kick,Audio track,Mono,Drums,,
Snare,Audio track,Mono,Drums,Plate,-12
Drums,Bus,Stereo,Mix,,
Vox,Audio track,Mono,Mix,Plate,-9
Plate,FX return,Stereo,Mix,,
Mix,Master,Stereo,Out 1-2,,
""",
    "by bus": """Channel name;Channel type;Width;Input;Output;FX 1;FX 1 level
Kick;track;1;;Bus A;;
Snare;track;1;;Bus A;Bus R;-12 dB
Drums;aux;2;Bus A;Bus M;;
Vox;track;1;;Bus M;Bus R;-9 dB
Plate;aux;2;Bus R;Bus M;;
Mix;main;2;Bus M;Main 1/2;;
""",
    "levels behind names": """Name\tKind\tMono/Stereo\tRouted to\tSends
Kick\taudio\tM\tDrums\t-
Snare\taudio\tM\tDrums\tPlate -12 dB
Drums\tgroup\tS\tMix\t-
Vox\taudio\tM\tMix\tPlate -9 dB
Plate\treturn\tS\tMix\t-
Mix\tmaster\tS\tOutput 1-2\t-
""",
    "no kinds but the master's": """Strip,Destination,Aux,Type
Kick,Drums,,
Snare,Drums,Plate@-12,
Drums,Mix,,
Vox,Mix,Plate@-9,
Plate,Mix,,
Mix,Out 1/2,,main mix
""",
    "a title, a date and an empty row above": """Show seven,,,,
2026-03-01,,,,

Title,Category,Goes to,Send 1 dest,Send level 1
Kick,Audio,Drums,,
Snare,Audio,Drums,Plate,-12
Drums,Subgroup,Mix,,
Vox,Audio,Mix,Plate,-9
Plate,Effect return,Mix,,
Mix,Main,Stereo out,,
""",
    "a column a send": """Label|Track type|Out|Plate
Kick|Recording|Drums|
Snare|Recording|Drums|-12
Drums|Group bus|Mix|
Vox|Recording|Mix|-9
Plate|FX|Mix|
Mix|Master bus|Outs 1-2|
""",
    "numbered rows": """#,Track,Track type,Dest,Effects
1,Kick,audio,Drums,none
2,Snare,audio,Drums,Plate@-12
3,Drums,bus,Mix,none
4,Vox,audio,Mix,Plate@-9
5,Plate,return,Mix,none
6,Mix,master,1-2,none
""",
    "from, not to": """Track,Type,Fed by,Output
Kick,audio,,
Snare,audio,,
Drums,bus,Kick; Snare,
Vox,audio,,
Plate,return,Snare@-12; Vox@-9,
Mix,master,Drums; Vox; Plate,Out 1-2
""",
    "columns set with spaces": """Track      Type      Out        Sends
Kick       audio     Drums
Snare      audio     Drums      Plate@-12
Drums      bus       Mix
Vox        audio     Mix        Plate@-9
Plate      return    Mix
Mix        master    Out 1-2
""",
    "no heads": """Kick\taudio\tmono\tDrums\t
Snare\taudio\tmono\tDrums\tPlate@-12
Drums\tbus\tstereo\tMix\t
Vox\taudio\tmono\tMix\tPlate@-9
Plate\treturn\tstereo\tMix\t
Mix\tmaster\tstereo\tOut 1-2\t
""",
    "names not first, no heads": """audio,Kick,Drums,
audio,Snare,Drums,Plate@-12
bus,Drums,Mix,
audio,Vox,Mix,Plate@-9
return,Plate,Mix,
master,Mix,Out 1-2,
""",
    "heads in another language's order": """Output bus,Track title,Strip type,Channel format,Aux sends
Drums,Kick,audio track,1.0,
Drums,Snare,audio track,1.0,Plate@-12
Mix,Drums,sub group,2.0,
Mix,Vox,audio track,1.0,Plate@-9
Mix,Plate,aux track,2.0,
Out 1-2,Mix,main,2.0,
""",
    "two sends in one cell": """Track,Type,To,Effect sends
Kick,audio,Drums,
Snare,audio,Drums,"Plate -12"
Drums,buss,Mix,
Vox,audio,Mix,"Plate −9 dB"
Plate,fx return,Mix,
Mix,master,Master out,
""",
    "control groups and markers between": """Track,Type,To,Sends
Verse,Marker,,
Kick,audio,Drums,
Snare,audio,Drums,Plate@-12
All drums,VCA,,
Drums,bus,Mix,
Vox,audio,Mix,Plate@-9
Plate,return,Mix,
Mix,master,Out 1-2,
""",
    "outputs of the desk as rows": """Track,Type,To,Sends,Physical
Kick,audio,Drums,,
Snare,audio,Drums,Plate@-12,
Drums,bus,Mix,,
Vox,audio,Mix,Plate@-9,
Plate,return,Mix,,
Mix,master,Out 1-2,,
Out 1-2,physical output,,,1-2
""",
    "quoted, with line breaks in notes": """"Track","Type","Output","Send A","Send A level","Comments"
"Kick","audio","Drums","","",""
"Snare","audio","Drums","Plate","-12,0","tight
and dry"
"Drums","bus","Mix","","",""
"Vox","audio","Mix","Plate","-9,0",""
"Plate","return","Mix","","",""
"Mix","master","Out 1-2","","",""
""",
    "a spreadsheet that says its separator": """sep=;
Track;Type;Out;Aux 1;Aux 1 dB
Kick;audio;Drums;;
Snare;audio;Drums;Plate;-12
Drums;bus;Mix;;
Vox;audio;Mix;Plate;-9
Plate;return;Mix;;
Mix;master;Out 1-2;;
""",
    "capitals and spaces": """ TRACK NAME , TRACK TYPE , OUTPUTS , FX SENDS
 Kick , AUDIO , Drums ,
 Snare , AUDIO , DRUMS , plate@-12
 Drums , BUS , MIX ,
 Vox , AUDIO , Mix , PLATE@-9
 Plate , RETURN , mix ,
 Mix , MASTER , OUT 1-2 ,
""",
    "columns nobody needs": """Track,Weather,Type,Owner,Output,Last seen,Send A,Send A level
Kick,fine,audio,Ada,Drums,9,,
Snare,rain,audio,Bo,Drums,9,Plate,-12
Drums,fine,bus,Ada,Mix,8,,
Vox,fog,audio,Cy,Mix,7,Plate,-9
Plate,fine,return,Bo,Mix,7,,
Mix,fine,master,Ada,Out 1-2,1,,
""",
    "our own heads": """name,kind,layout,feed,sends
Kick,audio,mono,Drums,
Snare,audio,mono,Drums,Plate@-12
Drums,bus,stereo,Mix,
Vox,audio,mono,Mix,Plate@-9
Plate,return,stereo,Mix,
Mix,master,stereo,Out 1-2,
Out 1-2,output,stereo,,
""",
}


def routes(made: Template) -> list[str]:
    return sorted(f"{r.kind} {r.from_strip}>{r.to}{f' {r.gain_db:g}' if r.gain_db else ''}" for r in made.routes)


def kinds(made: Template) -> dict[str, str]:
    return {strip.id: f"{strip.kind} {strip.layout}" for strip in made.strips}


@pytest.mark.parametrize("said", TABLES.values(), ids=TABLES)
def test_whatever_people_call_things_it_is_the_same_template(said: str) -> None:
    made = load(said.encode(), "Show")
    assert routes(made) == WANTED
    assert kinds(made) == KINDS


def test_columns_may_stand_in_any_order() -> None:
    lines = [line.split(",") for line in TABLES["by strip"].splitlines()]
    drawn = random.Random(3)  # noqa: S311 - an order, not a secret
    for _ in range(12):
        order = drawn.sample(range(6), 6)
        said = "\n".join(",".join(line[at] for at in order) for line in lines)
        made = load(said.encode(), "Show")
        assert (routes(made), kinds(made)) == (WANTED, KINDS)


def test_what_is_not_used_is_said_and_nothing_is_dropped_in_silence() -> None:
    told: list[str] = []
    load(TABLES["columns nobody needs"].encode(), "Show", report=told.append)
    assert told == ["columns not used: Weather, Owner, Last seen"]


SECTIONS = {
    "headings": "Track,Type,Output\nDRUMS,,\nKick,audio,Mix\nSnare,audio,Mix\nVOICES,,\nVox,audio,Mix\nMix,bus,Out 1-2\n",
    "column": "Track,Folder,Output\nKick,DRUMS,Mix\nSnare,DRUMS,Mix\nVox,VOICES,Mix\nMix,VOICES,Out 1-2\n",
    "prefix": "Track,Type,Output\nDRUMS_Kick,audio,VOICES_Mix\nDRUMS_Snare,audio,VOICES_Mix\nVOICES_Vox,audio,VOICES_Mix\nVOICES_Mix,bus,Out 1-2\n",
}


@pytest.mark.parametrize(("origin", "said"), SECTIONS.items(), ids=SECTIONS)
def test_sections_come_from_a_column_from_headings_or_from_names(origin: str, said: str) -> None:
    understood = read_any(said.encode(), "Show", Choices())
    assert understood.tabled.sections == origin
    names = {section.id: section.name for section in understood.template.sections}
    inside = [names.get(strip.section or "") for strip in understood.template.strips[:4]]
    assert inside == ["DRUMS", "DRUMS", "VOICES", "VOICES"]


def test_sections_between_empty_rows_are_made_where_one_asks_for_them() -> None:
    said = b"Track,Output\nTom 1,Mix\nTom 2,Mix\n\nVox,Mix\nMix,Out 1-2\n"
    assert read_any(said, "Show", Choices()).tabled.sections == "none"
    made = read_any(said, "Show", Choices(sections="blanks")).template
    assert [section.name for section in made.sections] == ["Tom", "Group 2"]


ODD = b"Track,Type,Output,Level\nKick,spot,Drum,-3\nSnare,audio,Drums,hot\nDrums,bus,Out 1-2,0\n"


def test_what_is_unclear_is_said_row_by_row_and_answers_settle_it() -> None:
    first = read_any(ODD, "Show", Choices())
    assert [(one.key, one.rows, one.names) for one in first.unclear] == [
        ("words/kind/spot", (2,), ("Kick",)),
        ("destinations/drum", (2,), ("Kick",)),
        ("cells/3/fader_db", (3,), ("Snare",)),
    ]
    assert [one.key for one in first.lost] == ["words/kind/spot", "cells/3/fader_db"]
    assert "=Drums" in first.unclear[1].options
    choices = Choices()
    for key, answer in (("words/kind/spot", "audio"), ("destinations/drum", "=Drums"), ("cells/3/fader_db", "-1.5")):
        choices = answered(choices, key, answer)
    settled = read_any(ODD, "Show", choices)
    assert not settled.open
    assert routes(settled.template) == ["feed drums>out-1-2", "feed kick>drums", "feed snare>drums"]
    assert settled.template.strips[1].fader_db == -1.5
    with pytest.raises(ValueError, match="is not an open question"):
        answered(choices, "weather/9", "fine")


@pytest.mark.parametrize(
    ("answer", "wanted"),
    [("bus", "bus"), ("return", "return"), ("output", "output"), ("master", "master"), ("leave", None)],
)
def test_a_destination_that_is_no_strip_becomes_what_one_says(answer: str, wanted: str | None) -> None:
    made = read_any(ODD, "Show", Choices(destinations={"drum": answer})).template
    assert {strip.id: strip.kind for strip in made.strips}.get("drum") == wanted
    assert ("feed kick>drum" in routes(made)) == (wanted is not None)


def test_of_three_strips_with_one_name_the_first_is_meant_until_somebody_says_which() -> None:
    said = b"Track,Output\nPad,\nPad,\nPad,\nKick,Pad\n"
    understood = read_any(said, "Show", Choices())
    assert [strip.id for strip in understood.template.strips] == ["pad", "pad-2", "pad-3", "kick"]
    (unclear,) = understood.unclear
    assert (unclear.sentence, unclear.options) == (
        "3 strips have the name “Pad”",
        ("=pad", "=pad-2", "=pad-3", "leave"),
    )
    assert routes(understood.template) == ["feed kick>pad"]
    assert routes(read_any(said, "Show", Choices(destinations={"pad": "=pad-3"})).template) == ["feed kick>pad-3"]


def test_a_route_to_itself_is_said() -> None:
    with pytest.raises(DocumentError, match="row 2, column Output: “Kick” is the strip itself"):
        load(b"Track,Output,Type\nKick,Kick,audio\n", "Show")


def test_a_column_may_be_said_to_be_something_else_or_go_to_the_note() -> None:
    said = b"Track,Weather,Output\nKick,Drums,Mix\nDrums,,Mix\nMix,,\n"
    choices = Choices(columns={"weather": "feed", "output": "noted"})
    made = read_any(said, "Show", choices).template
    assert routes(made) == ["feed kick>drums"]
    assert made.strips[0].note == "Output: Mix"


def test_every_choice_is_given_back_as_it_was_made_and_reads_the_same_again() -> None:
    said = TABLES["by bus"].encode()
    first = read_any(said, "Show", Choices())
    again = load_choices(first.choices.dump())
    assert again == first.choices
    assert read_any(said, "Show", again).template == first.template
    assert again.columns["channel name"] == "name"
    assert again.routing == "bus"


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"{", "these are not choices for a table"),
        (b'{"weather": 1}', "unknown field"),
        (b'{"columns": {"a": "weather"}}', "columns: “weather” is not a field of a table"),
        (b'{"columns": {"a": "send level"}}', "is not a field"),
        (b'{"routing": "cloud"}', "Invalid enum value"),
    ],
)
def test_choices_that_are_none_are_refused_with_a_sentence(data: bytes, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        load_choices(data)


def test_a_fingerprint_is_of_the_heads_in_whatever_order() -> None:
    assert fingerprint(["Track", "Out", ""]) == fingerprint(["out ", "TRACK"]) != fingerprint(["Track", "In"])
    assert fingerprint(["", ""]) == ""


@pytest.mark.parametrize(
    ("said", "choices", "words"),
    [
        (b"Track,Output\n", Choices(), "no rows below the column heads"),
        (b"-12,-3\n-9,-4\n", Choices(columns={"A": "", "B": ""}), "Choose the column with the strip names"),
        (b"Track,Out\nKick,Mix\n", Choices(part="Other"), "sheet “Other” does not exist"),
    ],
)
def test_what_is_no_table_is_refused_with_a_sentence(said: bytes, choices: Choices, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        read_any(said, "Show", choices)


CELLS = st.one_of(
    st.sampled_from(["Kick", "Drums", "Mix", "aux", "audio", "VCA", "mono", "5.1", "Out 1-2", "1-2", "In 7", "-", "", "Hall -12", "Hall@-9 pre", "Hall; Plate@-3",
                     "yes", "red", "-12 dB", "eq; limiter ceiling -1", "all>Mix", "8 stereo", "16", "x/duck@0", "kit@2.5", "DRM_Kick", "Name", "#a", "3>Mix ch=1:2"]),
    st.text(st.characters(exclude_categories=("Cs",)), max_size=12),
)  # fmt: skip
HEADS = st.sampled_from(["", "Send A", "Send A level", "Mix", "noted", *FIELD_OF])


@given(st.data())
@tries(250)
def test_whatever_stands_in_a_table_it_is_read_or_refused_and_what_is_made_is_good(data: st.DataObject) -> None:
    width = data.draw(st.integers(1, 6))
    rows = data.draw(st.lists(st.lists(CELLS, min_size=1, max_size=width), min_size=1, max_size=8))
    heads = data.draw(st.lists(HEADS, min_size=width, max_size=width))
    out = io.StringIO()
    csv.writer(out, delimiter=data.draw(st.sampled_from("\t;,"))).writerows([heads, *rows])
    choices = Choices(
        routing=data.draw(st.sampled_from([None, "bus", "strip"])),
        sections=data.draw(st.sampled_from([None, "column", "headings", "blanks", "prefix", "none"])),
        destinations=data.draw(st.dictionaries(st.sampled_from(["mix", "hall", "plate"]), st.sampled_from(["bus", "output", "leave", "=Kick"]))),
        words={"kind": data.draw(st.dictionaries(st.sampled_from(["aux", "kick"]), st.sampled_from(["leave", "return", "midi", "guess"])))},
    )  # fmt: skip
    try:
        understood = read_any(out.getvalue().encode(), "Show", choices)
    except DocumentError:
        return
    assert validated(Template(name="Show"), understood.template) is understood.template
    assert set(understood.strips.values()) <= {strip.id for strip in understood.template.strips}
    # Every row is a strip, a heading, a row without a strip, or reported as left out.
    said = {row for one in understood.unclear for row in one.rows}
    assert {number for number, cells in understood.tabled.rows if cells.get("name")} <= {*understood.strips, *said}
