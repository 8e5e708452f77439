"""Strip details, and its writes and those of Ports: instruments, parts, machines, sources, inserts."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
from django.test import Client

from lattice.edits import EDITS as ALL_EDITS
from lattice.model.document import Template
from tests.build import template
from tests.web.test_bulk import PLANNED, REFUSED
from tests.web.test_stems import TABLE as STEMS
from tests.web.test_writes import TABLE as EDITS
from web.editor.places.strips import strip_sheet
from web.shelf import services
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import Workspace, workspace

DUCK = {"id": "duck", "name": "Duck", "type": "compressor", "key": "external"}
MADE = template(
    [
        {"id": "kit", "name": "Kit", "kind": "instrument", "section": "drums", "midi": {"ports": 2}, "outlets": [{"id": "1"}, {"id": "2", "open": False}],
         "parts": [{"id": "k", "name": "Kick", "outlet": "1"}, {"id": "s", "name": "Snare", "outlet": "2"}]},
        {"id": "notes", "name": "Notes", "kind": "midi"}, {"id": "snare", "name": "Snare", "kind": "audio", "source": None},
        {"id": "bus", "name": "Bus", "kind": "bus", "section": "drums", "inserts": [{"id": "eq", "type": "eq"}, DUCK, {"id": "cap", "type": "limiter"}]},
        {"id": "booth", "name": "Booth", "kind": "bus", "inserts": [{"id": "pan", "type": "panner"}]}, {"id": "out", "name": "Out", "kind": "output", "io": [1]},
    ],
    ["kit>bus", "kit/2>snare", "snare>bus", "send bus>booth -9 pre-fader", "send bus>booth -3 pre-insert", "bus>out", "key snare>bus/duck",
     {"kind": "midi", "from": "notes", "to": "kit", "channel": 5}, "booth>out"],
    machines=[{"id": "main", "name": "Main", "output_names": {"1": "Left monitor"}}, {"id": "spare", "name": "Spare"}],
    sections=[{"id": "drums", "name": "Drums", "bus": "bus"}], stems=[{"id": "st", "name": "Drum stem", "strip": "bus", "tap": "pre-fader"}],
)  # fmt: skip


@pytest.fixture
def mine(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, MADE)


def sheet(strip: str) -> dict[str, Any]:
    space = Workspace(MADE)
    return strip_sheet(space, space.graph.index[strip])


def test_rungs_are_the_stages_in_order_with_what_comes_and_leaves_at_each() -> None:
    rungs = sheet("bus")["rungs"]
    shown = [(r.kind, [lead.other.id for lead in r.ins], [lead.other.id for lead in r.outs]) for r in rungs]
    assert shown == [
        ("in", ["kit", "snare"], ["booth"]), ("insert", [], []), ("insert", ["snare"], []), ("insert", [], []),
        ("pre", [], ["booth"]), ("post", [], ["out"]),
    ]  # fmt: skip
    assert [stem.name for rung in rungs for stem in rung.stems] == ["Drum stem"]
    assert rungs[4].stems


def test_outlets_beyond_the_main_one_are_rungs_of_their_own() -> None:
    shown = [(r.kind, [lead.other.id for lead in r.ins + r.outs]) for r in sheet("kit")["rungs"]]
    assert shown == [("in", ["notes"]), ("pre", []), ("post", ["bus"]), ("outlet", ["snare"])]
    assert [r.kind for r in sheet("notes")["rungs"]] == ["midi"]


def test_neighbours_physical_names_and_sections() -> None:
    assert (sheet("bus")["before"], sheet("bus")["after"]) == ("kit", "")
    assert sheet("out")["physical"] == "Left monitor"


def test_every_strip_has_a_sheet(signed_in: Client, mine: StoredTemplate) -> None:
    for strip in MADE.strips:
        page = signed_in.get(f"/t/{mine.pk}/strips/?strip={strip.id}")
        assert page.status_code == 200
        assert f"<h1>{strip.name}</h1>" in page.content.decode()
    assert "<h1>Strips</h1>" in signed_in.get(f"/t/{mine.pk}/strips/?strip=gone").content.decode()


def write(client: Client, stored: StoredTemplate, what: str, **values: Any) -> Any:
    stored.refresh_from_db()
    where = {"base": stored.version, "place": "strips", "chosen_strip": values.get("strip", "bus")}
    return client.post(f"/t/{stored.pk}/write/{what}/", where | values)


def now(stored: StoredTemplate) -> Template:
    return workspace(StoredTemplate.objects.get(pk=stored.pk)).template


TABLE: list[tuple[str, dict[str, Any], str]] = [
    ("change_strip", {"strip": "kit", "measured_latency_samples": "1.3 ms"}, "Kit: measured latency 62"),
    ("change_strip", {"strip": "kit", "memory_mb": "1.5 GB"}, "Kit: memory 1536"),
    ("change_source", {"strip": "kit", "peak_dbfs": "-9 dBFS"}, "Kit: source peak −9"),
    ("change_source", {"strip": "kit", "outlet": "2", "rms_dbfs": "off"}, "Kit: source rms none"),
    ("change_midi", {"strip": "kit", "midi": "1: 1-4, 10"}, "Kit: receives 1: 1-4, 10"),
    ("change_midi", {"strip": "kit", "midi": ""}, "Kit: receives one port, all channels"),
    ("add_outlet", {"strip": "kit", "name": "Room", "layout": "mono"}, "Kit: outlet Room"),
    ("change_outlet", {"strip": "kit", "outlet": "2", "open": "true"}, "Kit 2: open on"),
    ("place_input", {"insert": "pan", "input": "1", "channel": "M"}, "Booth, pan: input 1 to M"),
    ("split_outlet", {"strip": "kit", "outlet": "2"}, "Kit: split outlet 2 into left and right"),
    ("remove_outlets", {"strip": "kit", "outlets": "2"}, "Kit: remove outlet 2"),
    ("add_part", {"strip": "kit", "name": "Hat", "note": "42"}, "Kit: part Hat"),
    ("change_part", {"strip": "kit", "part": "s", "channel": "10"}, "Kit Snare: channel 10"),
    ("remove_parts", {"strip": "kit", "parts": "s"}, "Kit: remove part Snare"),
    ("lay_parts", {"strip": "kit"}, "Kit: assign parts to the open outlets"),
    ("number_midi", {"instrument": "kit", "port": "2", "channel": "3"}, "Kit: channels in sequence from port 2, channel 3"),
    ("note_set", {"strip": "kit", "names": "One\nTwo"}, "2 MIDI strips for Kit"),
    ("outlet_set", {"strip": "kit"}, ""),
    ("build_instrument", {"name": "Pads", "names": "A\nB"}, "Pads with 2 parts"),
    ("set_tempo_map", {"events": "1 96\n33 104.5"}, "Tempo map of 2 events"),
    ("build_articulations", {"name": "Bows", "names": "A\nB", "articulations": "long\nshort"}, "Bows: 2 names × 2 articulations"),
    ("change_insert", {"insert": "duck", "threshold_db": "-20 dB", "ratio": "∞:1"}, "Bus, Duck: threshold −20, ratio 100"),
    ("change_insert", {"insert": "eq", "low_cut_hz": "1.5k", "attack_ms": "0.2 s"}, "Bus, eq: attack 200, low cut 1500"),
    ("move_insert", {"insert": "eq", "to": "2"}, "Move Bus, eq"),
    ("nudge_insert", {"insert": "cap", "where": "up"}, "Move Bus, cap"),
    ("remove_inserts", {"inserts": "eq"}, "Remove Bus, eq"),
    ("change_route", {"route": "r8", "port": "2", "channel": ""}, "midi Notes → Kit: port 2, channel none"),
    ("add_machine", {"name": "Choir machine", "kind": "computer"}, "Add machine Choir machine"),
    ("change_machine", {"machine": "main", "inputs": "16", "input_latency_samples": "2 ms"}, "Main: inputs 16, input latency 96"),
    ("name_channel", {"machine": "main", "side": "input", "channel": "3", "name": "Synth"}, "Main: input 3 Synth"),
    ("remove_machines", {"machines": "spare"}, "Remove machine Spare"),
    ("duplicate_section", {"section": "drums", "times": "2"}, "Duplicate Drums ×2"),
    ("duplicate_set", {"section": "drums", "names": "Loops, Hits"}, "Duplicate Drums as Loops, Hits"),
    ("set_section_default", {"section": "drums", "field": "layout", "text": "mono"}, "Drums, new strips, layout: mono"),
    ("nudge_section", {"section": "drums", "where": "up"}, ""),
]  # fmt: skip


@pytest.mark.parametrize(("what", "values", "label"), [row for row in TABLE if row[2]])
def test_it_is_written_journalled_and_taken_back(
    signed_in: Client, mine: StoredTemplate, what: str, values: dict, label: str
) -> None:
    answer = write(signed_in, mine, what, **values)
    assert answer.status_code == 200, answer.content.decode()
    assert 'id="place-body"' in answer.content.decode()
    assert now(mine) != MADE
    assert JournalEntry.objects.get().label == label
    assert write(signed_in, mine, "undo").status_code == 200
    assert now(mine) == MADE


@pytest.mark.parametrize(
    ("what", "values", "words"),
    [
        ("change_source", {"strip": "kit", "peak_dbfs": "loud"}, "peak: “loud” is not a level"),
        ("change_midi", {"strip": "kit", "midi": "2: 17"}, "goes beyond channel 16"),
        ("change_part", {"strip": "kit", "part": "s", "note": "200"}, "200 is above 127"),
        ("change_insert", {"insert": "duck", "ratio": "0:1"}, "is not a ratio above 0"),
        ("change_insert", {"insert": "duck", "attack_ms": "-3"}, "is not a time"),
        ("change_insert", {"insert": "duck", "memory_mb": "much"}, "is not an amount of memory"),
        ("change_insert", {"insert": "duck", "feedback": "lots"}, "is not a factor"),
        ("change_insert", {"insert": "duck", "low_cut_hz": "deep"}, "is not a frequency"),
        ("change_insert", {"insert": "duck", "layout_in": "6.1"}, "discrete:1 to discrete:64"),
        ("move_insert", {"insert": "eq", "to": "9"}, "at the end of its chain"),
        ("move_insert", {"insert": "eq", "to": "x"}, "“x” is not a whole number"),
        ("outlet_set", {"strip": "kit"}, "every outlet of Kit is routed already"),
        ("number_midi", {"instrument": "kit", "port": "3"}, "0 channels are free"),
        ("name_channel", {"machine": "main", "side": "input", "channel": "99", "name": "x"}, "Main has no input 99"),
        ("remove_machines", {"machines": "main"}, "Main has 6 strips"),
        ("build_instrument", {"names": " \n"}, "0 names; 1 to 96 are allowed"),
        ("duplicate_section", {"section": "drums", "times": "0"}, "0 copies"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_changes(
    signed_in: Client, mine: StoredTemplate, what: str, values: dict, words: str
) -> None:
    answer = write(signed_in, mine, what, **values)
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert now(mine) == MADE


TEMPLATES = Path(__file__).resolve().parents[2] / "web" / "templates"


def test_every_edit_that_a_form_asks_for_is_tried_over_the_web() -> None:
    pages = "\n".join(page.read_text() for page in TEMPLATES.rglob("*.html"))
    asked_for = {name for name in ALL_EDITS if re.search(rf"""["']{name}["']""", pages)}
    assert len(asked_for) > 40
    assert asked_for <= {what for what, *_rest in [*TABLE, *EDITS, *STEMS, *PLANNED, *REFUSED]}


def test_forty_eight_names_become_midi_strips_over_three_ports(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    """Sixteen channels a port, MIDI 1.0."""
    empty = services.store(owner, Template(name="Fresh"))
    names = "\n".join(f"Voice {n}" for n in range(1, 49))
    assert write(signed_in, empty, "build_instrument", name="Choir", names=names, played_by="midi").status_code == 200
    made = now(empty)
    played = [(route.port, route.channel) for route in made.routes if route.kind == "midi"]
    assert played == [(port, channel) for port in (1, 2, 3) for channel in range(1, 17)]
    assert sum(strip.kind == "midi" for strip in made.strips) == 48
    assert workspace(StoredTemplate.objects.get(pk=empty.pk)).audit.summary["blocker"] == 1  # it goes to no output yet


def test_sixteen_parts_from_nothing_are_named_coloured_and_fed_to_a_bus(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    empty = services.store(owner, Template(name="Fresh"))
    names = "\n".join(f"Drum {n}" for n in range(1, 17))
    assert write(signed_in, empty, "build_instrument", name="Kit", names=names).status_code == 200
    made = now(empty)
    listeners = [strip for strip in made.strips if strip.kind == "audio"]
    assert [strip.name for strip in listeners] == names.split("\n")
    assert made.sections[0].colour
    assert {strip.section for strip in listeners} == {"kit"}
    assert sum(route.to == "kit-bus" for route in made.routes) == 17
    assert [part.note for part in made.strips[1].parts][:3] == [36, 37, 38]
