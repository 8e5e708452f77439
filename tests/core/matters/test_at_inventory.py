"""What fails at a machine without some plug-ins: instruments, effects, ducks, stems; and the command that prints it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from lattice import cli
from lattice.analysis import Analysis
from lattice.edits.at_inventory import template_at
from lattice.formats.document_json import dump
from lattice.formats.inventory import load
from lattice.matters.at_inventory import Without, fails_without
from lattice.model.document import Template
from tests.build import template

DUCK = {"id": "duck", "type": "compressor", "name": "Tide Duck", "key": "external", "threshold_db": -30.0, "ratio": 4.0}
MADE = template(
    [
        {"id": "kick", "kind": "audio"}, {"id": "organ", "kind": "instrument", "name": "Organ"},
        {"id": "bass", "name": "Bass", "kind": "audio", "inserts": [DUCK, {"id": "plain", "type": "eq"}]},
        {"id": "room", "name": "Room", "kind": "return", "layout": "stereo", "inserts": [{"id": "verb", "type": "reverb", "name": "Moss Room", "maker": "Tern"}]},
        {"id": "mix", "kind": "bus", "layout": "stereo"}, {"id": "out", "kind": "output", "layout": "stereo", "io": [1, 2]},
    ],
    ["kick>mix", "bass>mix", "organ>mix", "send kick>room -40", "room>mix", "mix>out", "key kick>bass/duck"],
    stems=[{"id": "all", "name": "All", "strip": "mix"}, {"id": "low", "name": "Low", "strip": "bass"}],
)  # fmt: skip
HEAD = "what,maker,name,version,channel,latency_samples\n"
ROWS = {"Organ": "plug-in,,Organ,,,", "Moss Room": "plug-in,Tern,Moss Room,,,", "Tide Duck": "plug-in,,Tide Duck,,,"}


def at(*products: str) -> Without:
    return fails_without(Analysis(MADE), inventory(*products))[0]


def inventory(*products: str) -> Any:
    return load((HEAD + "\n".join(ROWS[one] for one in products)).encode(), "Harbour")


@pytest.mark.parametrize(
    ("there", "sentence"),
    [
        (("Organ", "Moss Room", "Tide Duck"), "Harbour has all 3 products"),
        (("Organ", "Tide Duck"), "Without this one of 3: Room is dry"),
        (("Organ", "Moss Room"), "Without this one of 3: Bass is not ducked"),
        (("Moss Room", "Tide Duck"), "Without this one of 3: Organ is silent, 1 stem changes by more than 0.5 dB"),
        ((), "Without these 3 of 3: Organ is silent, Room is dry, Bass is not ducked, 1 stem changes by more than 0.5 dB"),
    ],
)  # fmt: skip
def test_what_fails_is_one_sentence(there: tuple[str, ...], sentence: str) -> None:
    assert at(*there).sentence(MADE) == sentence


def test_products_are_listed_with_their_strips_and_inserts_without_a_name_are_asked_for() -> None:
    found = at("Organ")
    assert [(one.name, one.strips) for one in found.missing] == [
        ("Tern Moss Room", ("room",)),
        ("Tide Duck", ("bass",)),
    ]
    assert found.unnamed == (("bass", "plain"),)


def test_the_template_there_has_missing_inserts_unloaded_and_missing_instruments_silent() -> None:
    there = template_at(MADE, inventory("Moss Room"))
    strips = {strip.id: strip for strip in there.strips}
    assert [insert.state for insert in strips["bass"].inserts] == ["unloaded", "on"]
    assert strips["organ"].source is None
    assert strips["room"] == next(strip for strip in MADE.strips if strip.id == "room")
    assert template_at(MADE, inventory(*ROWS)) is MADE


def test_an_instrument_on_another_machine_is_not_missed() -> None:
    elsewhere: Template = template(
        [{"id": "organ", "kind": "instrument", "machine": "b"}, {"id": "out", "kind": "output", "machine": "b"}],
        ["organ>out"],
        machines=[{"id": "a", "name": "A"}, {"id": "b", "name": "B"}],
    )
    assert fails_without(Analysis(elsewhere), inventory())[0].missing == ()


def test_the_command_prints_what_fails_and_audits_the_template_there(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "t.json").write_bytes(dump(MADE))
    (tmp_path / "Harbour.csv").write_text(HEAD + ROWS["Organ"], encoding="utf-8")
    files = [str(tmp_path / "t.json"), "--at", str(tmp_path / "Harbour.csv")]
    cli.main(["audit", *files])
    shown = capsys.readouterr().out.splitlines()
    assert shown[:4] == [
        "Without these 2 of 3: Room is dry, Bass is not ducked",
        "  missing: Tern Moss Room (1 strip)",
        "  missing: Tide Duck (1 strip)",
        "  1 insert has no name and cannot be looked up",
    ]
    cli.main(["audit", *files, "--json"])
    answer = json.loads(capsys.readouterr().out)
    assert answer["at"]["dry"] == ["room"]
    codes = {finding["code"] for finding in answer["findings"]}
    assert {"plugin.missing", "route.return-bare"} <= codes  # the room has no working effect there
