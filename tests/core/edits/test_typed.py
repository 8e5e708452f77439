"""Edits by words, as `lattice edit` takes them: by ids and names, units as typed, refusals by sentence with exit status 2."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from lattice.cli import main
from lattice.edits import EDITS, apply_steps
from lattice.edits.typed import described, typed
from lattice.errors import DocumentError
from lattice.formats.document_json import dump, load
from lattice.model.document import Template
from tests.build import template

BAND = template(
    [
        {"id": "kick", "name": "Kick drum", "kind": "audio", "inserts": [{"id": "cut", "name": "Low cut", "type": "eq"}]},
        {"id": "a1", "name": "Twin", "kind": "audio"}, {"id": "a2", "name": "Twin", "kind": "audio"},
        {"id": "drums", "name": "Drums", "kind": "bus"}, {"id": "out", "name": "Main out", "kind": "output"},
        {"id": "synth", "name": "Synth", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}]},
    ],
    ["kick>drums", "drums>out"],
    sections=[{"id": "sec", "name": "Rhythm", "bus": None}],
)  # fmt: skip


def edited(name: str, *words: str) -> Template:
    return apply_steps(BAND, [typed(BAND, name, words)])


MADE = [
    ("change_strip", ["strip=kick", "fader_db=-7"], lambda t: t.strips[0].fader_db == -7),
    ("change_strip", ["strip=Kick drum", "fader_db=−7 dB"], lambda t: t.strips[0].fader_db == -7),
    ("change_strip", ["strip=kick drum", "fader_db=off", "mute=yes"], lambda t: t.strips[0].fader_db is None and t.strips[0].mute),
    ("change_strip", ["strip=kick", "section=Rhythm"], lambda t: t.strips[0].section == "sec"),
    ("change_insert", ["insert=Low cut", "low_cut_hz=80"], lambda t: t.strips[0].inserts[0].low_cut_hz == 80),
    ("change_section", ["section=rhythm", "bus=Drums"], lambda t: t.sections[0].bus == "drums"),
    ("connect", ["from=Kick drum", "to=Main out", "kind=send", "gain_db=-9"], lambda t: (t.routes[-1].from_strip, t.routes[-1].to, t.routes[-1].gain_db) == ("kick", "out", -9)),
    ("connect", ["from=Synth/2", "to=Drums"], lambda t: (t.routes[-1].from_strip, t.routes[-1].from_outlet) == ("synth", "2")),
    ("connect_many", ["strips=a1,a2", "to=Drums"], lambda t: len(t.routes) == 4),
    ("connect_many", ["strips=Kick drum", "strips=a1", "to=drums", "kind=send"], lambda t: len(t.routes) == 4),
    ("remove_strips", ["strips=a1 a2"], lambda t: len(t.strips) == 4),
    ("remove_strips", ["strips=Kick drum, Synth"], lambda t: len(t.strips) == 4),
    ("add_waivers", ['waivers=[{"fingerprint": "f", "reason": "meant", "by": "I. Strand", "on": "2026-01-31"}]'], lambda t: t.waivers[0].reason == "meant"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "words", "holds"), MADE, ids=[f"{n}-{w[0]}" for n, w, _h in MADE])
def test_an_edit_by_words(name: str, words: list[str], holds) -> None:  # type: ignore[no-untyped-def]
    assert holds(edited(name, *words))


REFUSED = [
    ("no_such", ["a=b"], "unknown edit no_such"),
    ("change_strip", ["strip=Twin", "mute=yes"], "2 strips have the name “Twin”: a1, a2; use the ID"),
    ("change_strip", ["strip=Snare", "mute=yes"], "strip Snare does not exist"),
    ("change_strip", ["strip=kick", "fader=-7"], "change_strip has no field fader; use strip, name"),
    ("change_strip", ["strip=kick", "fader_db=loud"], "“loud” is not a level"),
    ("change_strip", ["strip=kick"], "no change given"),
    ("change_strip", ["kick"], "“kick” is not field=value"),
    ("remove_strips", ["strips=a1, Snare"], "strip Snare does not exist"),
    ("connect", ["from=Kick drum"], "to is missing"),
    ("add_waivers", ["waivers=all"], "waivers is JSON"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "words", "said"), REFUSED, ids=[f"{n}-{w[0]}" for n, w, _s in REFUSED])
def test_what_cannot_be_made_says_why(name: str, words: list[str], said: str, tmp_path: Path, capsys) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(DocumentError) as refused:
        edited(name, *words)
    assert said in "; ".join(refused.value.problems)
    file = tmp_path / "t.json"
    file.write_bytes(dump(BAND))
    assert main(["edit", str(file), name, *words, "-o", str(tmp_path / "out.json")]) == 2
    assert said in capsys.readouterr().err
    assert not (tmp_path / "out.json").exists()


def test_the_command_writes_the_template_and_says_the_edit(tmp_path: Path, capsysbinary) -> None:  # type: ignore[no-untyped-def]
    file, out = tmp_path / "t.json", tmp_path / "out.json"
    file.write_bytes(dump(BAND))
    assert main(["edit", str(file), "change_strip", "strip=Kick drum", "fader_db=-7", "-o", str(out)]) == 0
    assert load(out.read_bytes()) == edited("change_strip", "strip=kick", "fader_db=-7")
    assert capsysbinary.readouterr().out.decode() == "Kick drum: fader −7\n"
    assert main(["edit", str(file), "change_strip", "strip=Kick drum", "fader_db=-7"]) == 0
    assert capsysbinary.readouterr().out == out.read_bytes()


def test_every_edit_is_listed_with_its_arguments(capsys) -> None:  # type: ignore[no-untyped-def]
    assert main(["edits", "--json"]) == 0
    listed = {edit["name"]: edit for edit in json.loads(capsys.readouterr().out)["edits"]}
    assert set(listed) == set(EDITS)
    for name, edit in EDITS.items():
        assert listed[name] == json.loads(json.dumps(described(edit)))
        assert [one["name"] for one in listed[name]["arguments"]] == [argument.name for argument in edit.arguments]
        assert listed[name]["does"].endswith((".", ")"))
    assert main(["edits"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert [line.split()[0] for line in lines[::2]] == sorted(EDITS)
