"""A newer table of a template: its values are changed, missing ones stay."""

from __future__ import annotations

import contextlib
import csv
import io
from random import Random

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.changes.compare import compare
from lattice.edits import apply
from lattice.edits.merge import GONE, differences, merged
from lattice.errors import DocumentError, EditError
from lattice.formats.any_table import newer_of
from lattice.formats.tables.choices import Choices
from lattice.formats.track_sheet_writer import dump
from lattice.generate import generate
from lattice.model.document import Route, Template
from lattice.model.validate import problems
from tests.build import template
from tests.deep import tries
from tests.random_edits import RandomEdits
from tests.strategies import templates

ROOM = template(
    [
        {"id": "kick", "kind": "audio", "name": "Kick", "section": "kit", "note": "close", "pan": 0.25,
         "inserts": [{"id": "kick-eq", "type": "eq", "name": "Low cut", "low_cut_hz": 40}, {"id": "glue", "type": "compressor", "ratio": 4}]},
        {"id": "snare", "kind": "audio", "name": "Snare", "section": "kit"},
        {"id": "drums", "kind": "bus", "name": "Drums", "layout": "stereo", "section": "kit"},
        {"id": "hall", "kind": "return", "name": "Hall", "layout": "stereo"},
        {"id": "mix", "kind": "master", "name": "Mix", "layout": "stereo"},
    ],
    [{"from": "kick", "to": "drums", "gain_db": -1}, "send kick>hall -12 pre-fader", "snare>drums", "drums>mix", "hall>mix"],
    sections=[{"id": "kit", "name": "Kit", "bus": "drums", "colour": "#8a4b2d"}],
    stems=[{"id": "st", "name": "Drums", "strip": "drums"}],
)  # fmt: skip


def take(base: Template, table: str | bytes, remove: bool = False, choices: Choices | None = None) -> Template:
    """With all changes of a table, as on the command line."""
    data = table if isinstance(table, bytes) else table.encode()
    newer, _tabled = newer_of(base, data, choices)
    assert [str(problem) for problem in newer.problems] == []
    found = differences(base, newer.template, newer.gone, newer.renamed)
    keys = [one.key for one in found if remove or one.kind != GONE]
    return merged(base, newer.template, keys, newer.gone) if keys else base


def said(before: Template, after: Template) -> list[str]:
    return [str(change) for change in compare(before, after)]


@given(templates())
@tries(150)
def test_merging_a_templates_own_sheet_changes_nothing(made: Template) -> None:
    assert take(made, dump(made)) is made


def test_nor_does_that_of_a_large_one() -> None:
    made = generate(300, 4, worn=True)
    assert take(made, dump(made), remove=True) is made


def meant(route: Route) -> list[str]:
    """All but its id; a port and a channel mean something of midi only."""
    without = {"id"} if route.kind == "midi" else {"id", "port", "channel"}
    return [str(getattr(route, field)) for field in Route.__struct_fields__ if field not in without]


@given(templates(), templates())
@tries(150)
def test_merging_another_templates_sheet_gives_what_its_columns_say(one: Template, other: Template) -> None:
    """Strips and routes, their order included; a sheet has neither ids of routes nor the other lists."""
    other = replace(other, sections=one.sections, machines=one.machines, stems=(), rules=())
    assume(not list(problems(other)))
    # An insert keyed by a removed strip stays externally keyed: a finding, not a field of the sheet.
    assume(all(r.from_strip in {s.id for s in other.strips} for r in one.routes if r.kind == "key"))
    sections, strips = {s.id for s in one.sections}, {s.id for s in other.strips}
    assert {strip.section for strip in other.strips} <= {None, *sections}
    got = take(one, dump(other), remove=True)
    assert [strip.id for strip in got.strips] == [strip.id for strip in other.strips]
    assert got.strips == other.strips
    assert sorted(map(meant, got.routes)) == sorted(map(meant, other.routes))
    assert {stem.strip for stem in got.stems} <= {None, *strips}


@given(st.integers(0, 10_000))
@tries(60)
def test_whatever_was_edited_its_sheet_brings_it_over(seed: int) -> None:
    """All values without a column: settings of sections and machines, and pieces that name them."""
    one = generate(30, 2)
    chance = Random(seed)  # noqa: S311 - examples
    other = one
    for _ in range(4):
        edit, arguments = RandomEdits(other, chance).edit()
        with contextlib.suppress(DocumentError):
            other = apply(other, edit, arguments)
    other = replace(other, sections=one.sections, machines=one.machines, stems=(), rules=(), choices=())
    assume(not list(problems(other)))
    names = {strip.name for strip in one.strips}
    assume(not [s for s in other.strips if s.id not in {strip.id for strip in one.strips} and s.name in names])
    got = take(one, dump(other), remove=True)
    assert got.strips == tuple(replace(s, machine=None) if s.machine == "main" else s for s in other.strips)
    assert sorted(map(meant, got.routes)) == sorted(map(meant, other.routes))


FOREIGN: list[tuple[str, str, list[str]]] = [
    ("a level", "Track,Level\nKick,-3\n", ["~ strip kick: fader_db 0.0 → -3.0"]),
    ("an empty cell says nothing", "Track,Level,Comments\nKick,,\n", []),
    ("the same again", "Track,Type,Output,Send A,Send A level\nKick,audio,Drums,Hall,-12\nSnare,audio,Drums,,\n", []),
    ("another bus", "Track,Output\nSnare,Mix\n", ["~ route r3: to \"drums\" → \"mix\""]),
    ("what a cell does not say of a route stays", "Track,Output\nKick,Mix\n", ["~ route r1: to \"drums\" → \"mix\""]),
    ("a send's level", "Track,Send A,Send A level\nKick,Hall,0\n", ["~ route r2: gain_db -12.0 → 0.0"]),
    ("none is none", "Track,Sends\nKick,none\n", ["- route r2: send kick → hall"]),
    ("a new strip with its route", "Track,Type,Output,Group\nTom,audio,Drums,Kit\n",
     ["+ strip tom: Tom (audio)", "+ route r6: feed tom → drums"]),
    ("a new strip in a new section", "Track,Type,Output,Group\nKick,,,\nHorn,audio,Mix,Brass\n",
     ["+ section brass: Brass", "+ strip horn: Horn (audio)", "+ route r6: feed horn → mix"]),
    ("a name that is alike", "Track,Output\nKik,Drums\nSnare,Drums\nDrums,\nHall,\nMix,\n", ['~ strip kick: name "Kick" → "Kik"']),
    ("a different order", "Track\nSnare\nKick\n", ["> strip snare: now first"]),
    ("an open kind stays", "Track,Type\nDrums,aux\n", []),
]  # fmt: skip


@pytest.mark.parametrize(("table", "wanted"), [case[1:] for case in FOREIGN], ids=[case[0] for case in FOREIGN])
def test_what_a_table_does_not_say_stays_as_it_is(table: str, wanted: list[str]) -> None:
    assert said(ROOM, take(ROOM, table)) == wanted


def test_an_insert_is_kept_with_its_settings_where_a_cell_has_its_name_or_type() -> None:
    kick = take(ROOM, "Track,Plug-ins\nKick,compressor; Low cut; limiter ceiling -1\n").strips[0]
    assert [(insert.id, insert.ratio, insert.low_cut_hz) for insert in kick.inserts] == [
        ("glue", 4.0, None),
        ("kick-eq", None, 40.0),
        ("kick-limiter", None, None),
    ]


def test_cells_may_call_a_strip_by_the_id_it_has_in_the_table() -> None:
    table = "id,name,feed\nbig-drum,Kick,drums\nsnare,Snare,big-drum\n"
    assert said(ROOM, take(ROOM, table))[-1] == '~ route r3: to "drums" → "kick"'


def test_rows_that_are_gone_are_removed_only_where_somebody_says_so() -> None:
    table = "Track,Output\nKick,Drums\nDrums,Mix\nHall,Mix\nMix,\n"
    assert take(ROOM, table) is ROOM
    assert said(ROOM, take(ROOM, table, remove=True)) == [
        "- strip snare: Snare (audio)",
        "- route r3: feed snare → drums",
    ]


def test_names_are_told_apart_by_their_sections_and_their_numbers() -> None:
    base = template(
        [{"id": "a", "name": "Pad", "kind": "audio", "section": "one"}, {"id": "b", "name": "Pad", "kind": "audio", "section": "two"},
         {"id": "c", "name": "Vox 1", "kind": "audio"}],
        sections=[{"id": "one", "name": "One"}, {"id": "two", "name": "Two"}],
    )  # fmt: skip
    newer, _table = newer_of(base, b"Track,Group,Level\nPad,Two,-2\nPad,One,-1\nVox 2,,-3\n")
    faders = {strip.id: strip.fader_db for strip in newer.template.strips}
    assert faders == {"a": -1.0, "b": -2.0, "c": 0.0, "vox-2": -3.0}
    assert newer.gone == ("c",)


def test_a_strip_may_be_kept_apart_from_a_name_that_is_alike() -> None:
    table = b"Track,Type,Output\nKik,audio,Drums\n"
    assert newer_of(ROOM, table)[0].renamed == {"kick"}
    newer, _table = newer_of(ROOM, table, Choices(keep_apart=["kick"]))
    assert newer.renamed == frozenset()
    assert "kik" in {strip.id for strip in newer.template.strips}


def test_only_what_is_ticked_is_taken_and_a_route_needs_both_its_strips() -> None:
    newer, _table = newer_of(ROOM, b"Track,Type,Output,Level\nTom,audio,Toms,-1\nToms,bus,Drums,\nKick,,,-5\n")
    keys = [one.key for one in differences(ROOM, newer.template, newer.gone)]
    assert keys[:3] == ["new/tom", "new/toms", "strip/kick/fader_db"]
    only_tom = merged(ROOM, newer.template, ["new/tom"], newer.gone)
    assert said(ROOM, only_tom) == ["+ strip tom: Tom (audio)"]
    both = merged(ROOM, newer.template, ["new/tom", "new/toms"], newer.gone)
    assert [f"{route.from_strip}>{route.to}" for route in both.routes[5:]] == ["tom>toms", "toms>drums"]
    for wrong in ([], ["new/horn"]):
        with pytest.raises(EditError):
            merged(ROOM, newer.template, wrong, newer.gone)


CELLS = st.sampled_from(
    [
        "Kick",
        "Kik",
        "Snare",
        "Drums",
        "Hall",
        "Mix",
        "audio",
        "aux",
        "mono",
        "Kit",
        "Out 1-2",
        "-",
        "",
        "Hall@-9",
        "eq; limiter",
        "In 3",
        "yes",
        "-12",
    ]
)


@given(
    st.lists(st.lists(CELLS, min_size=1, max_size=6), min_size=1, max_size=8),
    st.permutations(["Track", "Type", "Group", "Output", "Sends", "Plug-ins", "Input", "Level"]),
)
@tries(200)
def test_whatever_table_comes_its_differences_can_be_ticked_one_by_one(rows: list[list[str]], heads: list[str]) -> None:
    out = io.StringIO()
    csv.writer(out).writerows([heads, *rows])
    try:
        newer, _table = newer_of(ROOM, out.getvalue().encode())
    except DocumentError:
        return
    found = differences(ROOM, newer.template, newer.gone, newer.renamed)
    for one in found:
        merged(ROOM, newer.template, [one.key], newer.gone)
    if found:
        everything = merged(ROOM, newer.template, [one.key for one in found], newer.gone)
        assert not differences(everything, newer.template, newer.gone) or newer.gone
