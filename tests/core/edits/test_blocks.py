"""Blocks: extracted whole, added under free ids, connected to existing strips; the table is what happened."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks import audit_of
from lattice.edits import apply
from lattice.edits.add_block import LEAVE, MAKE, placed, usual_ties
from lattice.edits.extract import taken_out
from lattice.errors import DocumentError, EditError
from lattice.formats.block_json import dump, load, to_plain
from lattice.formats.gate import validated
from lattice.matters.matter import matters_of
from lattice.model.block import Block
from lattice.model.document import OPEN_END, Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

HOME = template(
    [
        {"id": "voice", "name": "Voice", "kind": "audio", "section": "talk"},
        {"id": "voice-bus", "name": "Voice bus", "kind": "bus", "layout": "stereo", "section": "talk"},
        {"id": "bells", "name": "Bells", "kind": "instrument", "layout": "stereo", "section": "glass", "midi": {"ports": 1}},
        {"id": "bell-notes", "name": "Bell notes", "kind": "midi", "section": "glass"},
        {"id": "synth", "name": "Synth in", "kind": "input", "io": [1, 2], "section": "glass", "layout": "stereo"},
        {"id": "glass-bus", "name": "Glass bus", "kind": "bus", "layout": "stereo", "section": "glass",
         "inserts": [{"id": "duck", "type": "compressor", "key": "external", "name": "Duck"}]},
        {"id": "hall", "name": "Hall", "kind": "return", "layout": "stereo"},
        {"id": "mix", "name": "Mix", "kind": "master", "layout": "stereo"},
        {"id": "print-glass", "name": "Glass print", "kind": "print", "layout": "stereo", "section": "glass"},
    ],
    [
        "voice>voice-bus", "voice-bus>mix", {"kind": "midi", "from": "bell-notes", "to": "bells", "port": 1, "channel": 1},
        "bells>glass-bus", "synth>glass-bus", "glass-bus>mix", "send bells>hall -9", "hall>mix", "key voice>glass-bus/duck", "glass-bus>print-glass",
    ],
    sections=[{"id": "talk", "name": "Talk", "bus": "voice-bus"}, {"id": "glass", "name": "Glass", "bus": "glass-bus", "colour": "#8a4b2d"}],
    stems=[{"id": "st-glass", "name": "Glass", "strip": "glass-bus", "print": "print-glass"}, {"id": "st-voice", "name": "Voice", "strip": "voice-bus"}],
    choices=[{"id": "c", "name": "Either", "members": ["bells", "synth"]}, {"id": "d", "name": "Other", "members": ["bells", "voice"]}],
    rules=[{"id": "own", "name": "Own", "kind": "reaches", "sources": ["strip:bells"], "to": ["section:glass"]},
           {"id": "other", "name": "Other", "kind": "avoids", "sources": ["strip:bells"], "through": ["strip:voice-bus"]}],
)  # fmt: skip
GLASS = ["bells", "bell-notes", "synth", "glass-bus", "print-glass"]
BLOCK = taken_out(HOME, GLASS, "Glass", "bells over a synth")


def test_an_open_end_is_unfinished_and_never_a_blocker() -> None:
    there = template(["x:mix", "o:out", "a:voice"], ["voice>mix", "mix>out"])
    block = taken_out(HOME, ["synth"], "Synth")
    put = placed(there, block, {"glass-bus": LEAVE}).template
    synth = next(strip for strip in put.strips if strip.id == "synth")
    assert OPEN_END in synth.tags
    analysis = Analysis(put)
    found = audit_of(analysis)
    (unheard,) = [one for one in found.findings if "synth" in one.strips and one.code == "route.unheard"]
    assert (unheard.severity, unheard.standing) == ("note", "unfinished")
    (issue,) = [one for one in matters_of(analysis, found) if one.code == "route.unheard"]
    assert issue.message == "1 strip of blocks has an open end"
    assert issue.remedies
    tied = apply(put, "connect_many", {"strips": ["synth"], "to": "mix"})
    assert not [one for one in audit_of(Analysis(tied)).findings if one.code == "route.unheard"]


def test_a_block_has_its_strips_what_is_theirs_alone_and_open_ends_for_the_rest() -> None:
    assert [strip.id for strip in BLOCK.strips] == GLASS
    assert {end.strip: end.name for end in BLOCK.ends} == {
        "voice": "key from Voice",
        "hall": "to a return",
        "mix": "to a master",
    }
    assert [stem.id for stem in BLOCK.template.stems] == ["st-glass"]
    assert [choice.id for choice in BLOCK.template.choices] == ["c"]
    assert [rule.id for rule in BLOCK.template.rules] == ["own"]
    assert [section.id for section in BLOCK.template.sections] == ["glass"]
    voice = next(strip for strip in BLOCK.template.strips if strip.id == "voice")
    assert (voice.section, voice.inserts) == (None, ())  # no more of it than the routes name


def test_it_goes_through_its_file_as_it_is() -> None:
    assert load(dump(BLOCK)) == BLOCK
    for wrong in (b"{", b"[]", b'{"format": "x"}', b'{"format": "intact-lattice.block", "version": 2}',
                  json.dumps({**to_plain(BLOCK), "ends": [{"strip": "no", "name": "x"}]}).encode(),
                  json.dumps({**to_plain(BLOCK), "weather": 1}).encode(), json.dumps({**to_plain(BLOCK), "ends": 3}).encode()):  # fmt: skip
        with pytest.raises(DocumentError):
            load(wrong)


EMPTY = Template(name="Empty")


def again(block: Block, base: Template = EMPTY) -> Block:
    """The block added, and extracted again under its name."""
    put = placed(base, block)
    return taken_out(put.template, [put.ids[strip.id] for strip in block.strips], block.name, block.note)


def test_put_into_an_empty_template_and_taken_out_again_it_is_the_same() -> None:
    assert again(BLOCK) == BLOCK


@given(templates(), st.data())
@tries(150)
def test_so_it_is_with_any(made: Template, data: st.DataObject) -> None:
    chosen = data.draw(st.lists(st.sampled_from([strip.id for strip in made.strips]), min_size=1, unique=True))
    block = taken_out(made, chosen, "Part")
    assert load(dump(block)) == block
    found = again(block)
    # The main machine of an empty template is its own.
    assert replace(found, template=replace(found.template, machines=())) == replace(
        block, template=replace(block.template, machines=())
    )


@given(templates(), templates(), st.data())
@tries(150)
def test_put_into_any_template_it_leaves_that_as_it_is_and_makes_a_good_one(
    home: Template, target: Template, data: st.DataObject
) -> None:
    chosen = data.draw(st.lists(st.sampled_from([strip.id for strip in home.strips]), min_size=1, unique=True))
    block = taken_out(home, chosen, "Part")
    there = [strip.id for strip in target.strips]
    ties = {
        end.strip: data.draw(st.sampled_from([MAKE, LEAVE, *there])) for end in block.ends if data.draw(st.booleans())
    }
    share = {one.id: data.draw(st.sampled_from(there)) for one in block.strips if data.draw(st.integers(0, 5)) == 0}
    try:
        put = placed(target, block, ties, share, data.draw(st.sampled_from(["free", "keep"])))
    except EditError:
        return  # no midi channel is free
    assert validated(target, put.template) is put.template
    known = {strip.id: strip for strip in put.template.strips}
    assert [known[strip.id] for strip in target.strips] == list(target.strips)
    assert put.template.routes[: len(target.routes)] == target.routes
    assert len(put.template.strips) <= len(target.strips) + len(block.template.strips)


def rows(what: str, base: Template, **choices: Any) -> list[str]:
    return [f"{one.was} → {one.becomes}" for one in placed(base, BLOCK, **choices).happens if one.what == what]


# The result for each kind of piece if the target has it already: its own template.
HAPPENS: list[tuple[str, dict[str, Any], list[str]]] = [
    ("strip", {}, [f"{name} ({one}) → {one}-2" for name, one in (
        ("Bells", "bells"), ("Bell notes", "bell-notes"), ("Synth in", "synth"), ("Glass bus", "glass-bus"), ("Glass print", "print-glass"))]),
    ("strip", {"share": {"bells": "bells"}}, ["Bells → Bells, which exists already", *(f"{name} ({one}) → {one}-2" for name, one in (
        ("Bell notes", "bell-notes"), ("Synth in", "synth"), ("Glass bus", "glass-bus"), ("Glass print", "print-glass")))]),
    ("name", {}, ["Bells → Bells 2", "Bell notes → Bell notes 2", "Synth in → Synth in 2", "Glass bus → Glass bus 2", "Glass print → Glass print 2"]),
    ("name", {"names": "keep"}, []),
    ("channels", {}, ["Synth in, 1–2 → 3–4"]),
    ("channels", {"channels": "keep"}, []),
    ("midi", {}, []),  # its own instrument comes along: nobody else plays it
    ("midi", {"share": {"bells": "bells"}}, ["midi Bell notes → Bells, 1.1 → 1.2"]),
    ("midi", {"share": {"bells": "bells"}, "midi": "keep"}, []),
    ("end", {}, ["key from Voice: Voice → Voice", "to a return: Hall → Hall", "to a master: Mix → Mix"]),
    ("end", {"ties": {"hall": LEAVE, "mix": "voice-bus", "voice": MAKE}},
     ["key from Voice: Voice → new", "to a return: Hall → left open", "to a master: Mix → Voice bus"]),
    ("route", {"ties": {"hall": LEAVE}}, ["send Bells → Hall → left out: its end is open"]),
    ("route", {"share": {one: one for one in GLASS}}, [f"{words} → exists already" for words in (
        "midi Bell notes → Bells", "feed Bells → Glass bus", "feed Synth in → Glass bus", "feed Glass bus → Mix", "send Bells → Hall",
        "key Voice → Glass bus", "feed Glass bus → Glass print")]),
    ("section", {}, ["Glass → exists already"]),
    ("stem", {}, ["Glass → new"]),
    ("choice", {}, ["Either → new"]),
    ("rule", {}, ["Own → new"]),
]  # fmt: skip


@pytest.mark.parametrize(("what", "choices", "wanted"), HAPPENS, ids=[f"{case[0]} {list(case[1])}" for case in HAPPENS])
def test_the_table_says_what_happens_to_each_piece(what: str, choices: dict[str, Any], wanted: list[str]) -> None:
    assert rows(what, HOME, **choices) == wanted


def test_a_key_finds_the_insert_of_the_same_name_or_type() -> None:
    voice = taken_out(HOME, ["voice"], "Voice")
    assert {end.strip: end.name for end in voice.ends} == {"voice-bus": "to a bus", "glass-bus": "keys Glass bus"}
    there = template(
        [{"id": "pads", "name": "Glass bus", "kind": "bus", "inserts": [{"id": "squash", "type": "compressor"}]}]
    )
    put = placed(there, voice, {"voice-bus": LEAVE})
    assert [(r.kind, r.to, r.to_insert) for r in put.template.routes] == [("key", "pads", "squash")]
    bare = template([{"id": "pads", "name": "Glass bus", "kind": "bus"}])
    said = [one.becomes for one in placed(bare, voice, {"voice-bus": LEAVE}).happens if one.what == "route"]
    assert said == ["left out: its end is open", "left out: Glass bus has no insert with a key input"]


def test_ends_are_tied_by_id_by_name_or_to_the_only_one_of_their_kind() -> None:
    there = template(["x:main-mix", {"id": "long", "name": "HALL", "kind": "return"}, "r:room", "a:voice"])
    assert usual_ties(there, BLOCK) == {"voice": "voice", "hall": "long", "mix": "main-mix"}
    assert usual_ties(EMPTY, BLOCK) == {"voice": MAKE, "hall": MAKE, "mix": MAKE}


def test_a_machine_comes_along_or_is_the_one_of_that_name() -> None:
    home = replace(HOME, machines=(*HOME.machines, replace(HOME.machines[0], id="two", name="Second")))
    strips = tuple(replace(strip, machine="two") for strip in home.strips)
    block = taken_out(replace(home, strips=strips), ["bells"], "Bells")
    assert [machine.name for machine in placed(EMPTY, block).template.machines] == ["Main computer", "Second"]
    put = placed(home, block, {end.strip: MAKE for end in block.ends})
    assert [machine.id for machine in put.template.machines] == ["main", "two"]
    assert next(s for s in put.template.strips if s.id == put.ids["bells"]).machine == "two"


@pytest.mark.parametrize(
    ("choices", "words"),
    [({"ties": {"no": "mix"}}, "the block has no open end no"), ({"ties": {"mix": "no"}}, "strip no does not exist"),
     ({"share": {"no": "mix"}}, "the block has no strip no"), ({"share": {"bells": "no"}}, "strip no does not exist")],
)  # fmt: skip
def test_what_is_not_there_is_refused(choices: dict[str, Any], words: str) -> None:
    with pytest.raises(EditError, match=words):
        placed(HOME, BLOCK, **choices)
    with pytest.raises(DocumentError, match="this is not a block"):
        apply(HOME, "put_block", {"block": {"format": "x"}})
    with pytest.raises(EditError, match="no strip selected"):
        taken_out(HOME, [], "Nothing")
