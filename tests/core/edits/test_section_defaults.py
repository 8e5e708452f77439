"""Defaults of sections: set in words, taken by new and moved strips; sets under other names; colours by tier."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.drawing import Slots, draw
from lattice.drawing.svg import pieces
from lattice.edits import apply
from lattice.edits.section_defaults import FIELDS, default_texts
from lattice.errors import DocumentError, EditError
from lattice.formats.document_json import dump, load
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Strip, Template
from lattice.model.tiers import TIER_COLOURS, colouring, tiers_of
from lattice.model.validate import validate
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

BASE = template(
    [
        {"id": "x", "name": "Voice", "kind": "audio", "section": "v"},
        {"id": "y", "name": "Tom", "kind": "audio", "section": "d", "inserts": [{"id": "own", "type": "gain"}]},
        {"id": "notes", "name": "Notes", "kind": "midi", "section": "v"},
        "b:drums", "b:voices", {"id": "room", "name": "Room", "kind": "return"}, {"id": "hall", "name": "Hall", "kind": "return"},
        "x:mix", "p:print", "o:out",
    ],
    ["x>voices", "send x>hall -10", "y>drums", "drums>mix", "voices>mix", "room>mix", "hall>mix", "mix>out", "mix>print"],
    sections=[{"id": "d", "name": "Drums", "bus": "drums"}, {"id": "v", "name": "Voices", "bus": "voices"}],
)  # fmt: skip


def stated(made: Template, section: str, **texts: str) -> Template:
    for what, text in texts.items():
        made = apply(made, "set_section_default", {"section": section, "field": what, "text": text})
    return made


DRUMS = stated(BASE, "d", layout="Mono", sends="Room@-12 pre-fader", inserts="Low cut low-cut 80; compressor ratio 3")
DRUMS = stated(DRUMS, "v", sends="hall")


def strip(made: Template, wanted: str) -> Strip:
    return next(one for one in made.strips if wanted in (one.id, one.name))


def leaving(made: Template, wanted: str) -> set[tuple[str, str, float | None]]:
    return {(r.kind, r.to, r.gain_db) for r in made.routes if r.from_strip == strip(made, wanted).id}


def test_defaults_are_shown_as_they_are_typed_and_survive_the_document() -> None:
    assert default_texts(DRUMS, DRUMS.sections[0]) == {
        "layout": "mono",
        "to": "",
        "sends": "Room@-12 pre-fader",
        "inserts": "eq:? low-cut 80 = Low cut; compressor:? ratio 3",
    }
    assert DRUMS.sections[1].defaults.sends[0].gain_db == -10  # a send without a level, common practice
    assert load(dump(DRUMS)) == DRUMS
    again = stated(DRUMS, "d", **default_texts(DRUMS, DRUMS.sections[0]))
    assert again == DRUMS
    assert stated(DRUMS, "d", **dict.fromkeys(FIELDS, "")).sections[0] == BASE.sections[0]


@pytest.mark.parametrize(
    ("what", "text", "sentence"),
    [("layout", "wide", "Drums, layout: “wide” is not a layout"), ("to", "Nowhere", "Drums, to: strip “Nowhere” does not exist"),
     ("sends", "Room@loud", "“loud” is not a level"), ("inserts", "compressor ratio fast", "“fast”")],
)  # fmt: skip
def test_a_default_that_cannot_be_read_says_so(what: str, text: str, sentence: str) -> None:
    with pytest.raises(EditError) as refused:
        stated(BASE, "d", **{what: text})
    assert sentence in str(refused.value)


def test_new_strips_take_them_and_what_is_typed_goes_first() -> None:
    rows = ["Name\tKind\tLayout\tSends", "Kick\taudio\t\t", "Snare\taudio\tstereo\tHall@-6", "Sub\tbus\t\t"]
    made = apply(DRUMS, "spread", {"names": rows, "section": "Drums"})
    kick, snare = strip(made, "Kick"), strip(made, "Snare")
    assert (kick.layout, [insert.title for insert in kick.inserts]) == ("mono", ["Low cut", "compressor"])
    assert leaving(made, "Kick") == {("feed", "drums", 0.0), ("send", "room", -12.0)}
    assert snare.layout == "stereo"
    assert leaving(made, "Snare") == {("feed", "drums", 0.0), ("send", "hall", -6.0)}
    assert not strip(made, "Sub").inserts  # a bus plays nothing


def test_moved_strips_take_them_as_one_step_or_not() -> None:
    moved = apply(DRUMS, "move_and_refeed", {"strips": ["x", "notes"], "section": "d"})
    assert leaving(moved, "x") == {("feed", "drums", 0.0), ("send", "room", -12.0)}  # the hall was the section's
    assert (strip(moved, "x").layout, len(strip(moved, "x").inserts)) == ("mono", 2)
    assert (strip(moved, "notes").section, strip(moved, "notes").inserts) == ("d", ())
    plain = apply(DRUMS, "move_and_refeed", {"strips": ["x"], "section": "d", "routing": False})
    assert leaving(plain, "x") == leaving(DRUMS, "x")
    assert strip(plain, "x").section == "d"


def test_a_chain_of_its_own_stays_and_a_destination_replaces_the_feed() -> None:
    made = stated(DRUMS, "v", to="mix", inserts="gate")
    moved = apply(made, "move_and_refeed", {"strips": ["y"], "section": "v"})
    assert [insert.id for insert in strip(moved, "y").inserts] == ["own"]
    assert leaving(moved, "y") == {("feed", "mix", 0.0), ("send", "hall", -10.0)}


def test_a_removed_destination_goes_from_the_defaults() -> None:
    made = apply(stated(DRUMS, "d", to="mix"), "remove_strips", {"strips": ["mix", "room"]})
    assert (made.sections[0].defaults.to, made.sections[0].defaults.sends) == (None, ())
    gone = replace(made.sections[0], defaults=replace(made.sections[0].defaults, to="gone"))
    with pytest.raises(DocumentError, match=r"defaults\.to: strip gone does not exist"):
        validate(replace(made, sections=(gone, *made.sections[1:])))


@given(templates(), st.sampled_from(["one", "two"]), st.booleans())
@tries(60)
def test_any_strips_may_be_moved_into_a_section_with_defaults(made: Template, section: str, routing: bool) -> None:
    sums = [s.id for s in made.strips if s.kind in ("bus", "return", "master")]
    if sums:
        made = stated(made, section, to=sums[0], sends=f"{sums[-1]}@-12", inserts="eq; gate")
    arguments = {"strips": [s.id for s in made.strips], "section": section, "routing": routing}
    try:
        moved = apply(made, "move_and_refeed", arguments)
    except DocumentError:  # a route that may not be: nothing is changed, and it says which
        assert routing
        return
    assert {s.section for s in moved.strips} == {section}
    assert routing or moved.routes == made.routes


# Sets.

SETS = [
    ("Backs A", "Backs B, Backs C", "Rain A 1", ["Rain B 1", "Rain C 1"]),
    ("A", "B", "Choir A", ["Choir B"]),
    ("Drums", "Percussion", "Drums left", ["Percussion left"]),
    ("Drums", "Loops", "Kick", ["Kick Loops"]),
]


@pytest.mark.parametrize(("section", "names", "old", "new"), SETS)
def test_a_set_is_copied_under_other_names_to_the_same_destinations(
    section: str, names: str, old: str, new: list[str]
) -> None:
    made = template(
        [{"id": "s1", "name": old, "kind": "audio", "section": "s"}, {"id": "bus", "name": section, "kind": "bus", "section": "s"},
         "r:room", "x:mix", "o:out"],
        ["s1>bus", "send s1>room -12", "bus>mix", "room>mix", "mix>out"],
        sections=[{"id": "s", "name": section, "bus": "bus", "defaults": {"to": "bus", "sends": [{"to": "room"}]}}],
    )  # fmt: skip
    after = apply(made, "duplicate_set", {"section": "s", "names": names})
    wanted = [name.strip() for name in names.split(",")]
    assert [one.name for one in after.sections] == [section, *wanted]
    assert [name for name in new if any(one.name == name for one in after.strips)] == new
    for name, copied in zip(wanted, new, strict=True):
        one = next(known for known in after.sections if known.name == name)
        assert one.bus is not None
        assert leaving(after, copied) == {("feed", one.bus, 0.0), ("send", "room", -12.0)}
        assert leaving(after, one.bus) == {("feed", "mix", 0.0)}
        assert (one.defaults.to, one.defaults.sends[0].to) == (one.bus, "room")


@pytest.mark.parametrize(
    ("names", "sentence"),
    [
        ("drums", "a section drums exists already"),
        (" , ", "0 names"),
        ("B, b", "2 names"),
        ("x" * 501, "is longer than 500"),
    ],
)
def test_names_of_a_set_that_are_none(names: str, sentence: str) -> None:
    with pytest.raises(EditError, match=sentence):
        apply(BASE, "duplicate_set", {"section": "d", "names": names})


# Colours.


def test_colours_go_by_section_by_tier_or_by_hand_and_the_legend_says_which() -> None:
    everything = [one.id for one in BASE.strips]
    tier = apply(BASE, "colour_by_tier", {"strips": everything})
    hand = apply(tier, "change_strip", {"strip": "x", "changes": {"colour": "#112233"}})
    for made, words in ((BASE, "by section"), (tier, "by tier"), (hand, "by hand")):
        assert colouring(made) == words
        sheet = draw(SignalGraph(made), (), (), Slots())
        drawing = pieces(sheet, colours=colouring(made)).whole()
        assert f"Colours {words}" in drawing
        assert ("section buses</text>" in drawing) == (words == "by tier")
    assert tiers_of(BASE)["drums"] == "section buses"
    assert strip(tier, "print").colour == TIER_COLOURS["prints, outputs"]
