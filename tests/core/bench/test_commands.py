"""The bench on the command line, from a kit to a fix list, with its refusals."""

from __future__ import annotations

import json
import resource
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile

from lattice.bench.faults import FAULTS
from lattice.cli import main
from lattice.cli.bench import FAULTS_SHOWN
from lattice.formats.document_json import dump
from tests.core.bench.test_prints import ROOM


@pytest.fixture
def room(tmp_path: Path) -> Path:
    path = tmp_path / "room.json"
    path.write_bytes(dump(ROOM))
    return path


def run(capfd: pytest.CaptureFixture[str], *words: object) -> tuple[int, str, str]:
    status = main([str(word) for word in words])
    out, err = capfd.readouterr()
    return status, out, err


def test_from_a_kit_to_a_verdict(capfd: pytest.CaptureFixture[str], room: Path, tmp_path: Path) -> None:
    kit, prints = tmp_path / "kit.zip", tmp_path / "prints"
    assert run(capfd, "kit", room, "-o", kit)[:2] == (0, f"{kit}: 4 slots, 5.9 s\n")
    assert run(capfd, "print-stand-in", room, kit, "-o", prints, "--bits", "16")[0] == 0
    assert run(capfd, "read-prints", room, kit, prints)[:2] == (0, "the session matches the map\n")
    faulty = tmp_path / "faulty"
    run(
        capfd,
        "print-stand-in",
        room,
        kit,
        "-o",
        faulty,
        "--fault",
        "fader:drums:-2",
        "--fault",
        "polarity:pair",
        "--split",
    )
    status, out, _err = run(capfd, "read-prints", room, kit, faulty)
    assert status == 1
    assert "check drums" in out
    assert "pair has inverted polarity in the print of The mix" in out
    assert "2 issues" in out
    status, out, _err = run(capfd, "read-prints", room, kit, faulty, "--json")
    assert {one["code"] for one in json.loads(out)["findings"]} == {"asbuilt.level", "asbuilt.polarity"}
    (faulty / "Drums.L.wav").rename(faulty / "What.L.wav")
    (faulty / "Drums.R.wav").rename(faulty / "What.R.wav")
    _status, out, _err = run(capfd, "read-prints", room, kit, faulty)
    assert "What.L.wav: its name matches no stem" in out
    assign = ["--assign", "What.L.wav=st-drums", "What.R.wav=st-drums"]
    assert "matches no stem" not in run(capfd, "read-prints", room, kit, faulty, *assign)[1]


def test_tones(capfd: pytest.CaptureFixture[str], room: Path, tmp_path: Path) -> None:
    status, out, _err = run(
        capfd, "tone", room, "--sources", "strip:kick", "--seconds", "0.2", "--out", tmp_path / "stages"
    )
    assert status == 0
    assert "out" in out
    assert (tmp_path / "stages" / "out post.wav").exists()
    _status, out, _err = run(capfd, "tone", room, "--sources", "strip:kick", "--seconds", "0.2", "--json")
    assert json.loads(out)["format"] == "intact-lattice.tone"
    _status, out, _err = run(capfd, "tone", room, "--seconds", "0.2", "--each")
    assert "≠" not in out
    assert "kick" in out


def test_prints_are_measured_and_added_up(capfd: pytest.CaptureFixture[str], room: Path, tmp_path: Path) -> None:
    parts = [np.random.default_rng(seed).standard_normal((96000, 2)) * 0.05 for seed in (1, 2)]
    folder = tmp_path / "prints"
    folder.mkdir()
    for name, line in (("a", parts[0]), ("b", parts[1]), ("mix", sum(parts))):
        soundfile.write(folder / f"{name}.wav", line, 48000, "PCM_24")
    status, out, _err = run(capfd, "measure", folder, "--template", room, "--add-up", folder / "mix.wav")
    assert status == 0
    assert "LUFS" in out
    assert "null test of 2 stems against mix.wav" in out
    assert json.loads(run(capfd, "measure", folder / "a.wav", "--json")[1])["prints"][0]["name"] == "a"
    (folder / "c.wav").write_bytes(b"")
    status, _out, err = run(capfd, "measure", folder)
    assert status == 2
    assert "c.wav: cannot be read" in err


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["kit", "ROOM", "-o", "k.zip", "--sources", "strip:mix"], "no active source selected"),
        (["read-prints", "ROOM", "ROOM", "x.wav"], "kit.json is not a pilot kit"),
        (["read-prints", "ROOM", "nowhere.zip", "x.wav"], "nowhere.zip: No such file"),
        (["tone", "ROOM", "--sources", "strip:mix"], "none of these strips"),
        (["tone", "ROOM", "--seconds", "0"], "more than 0"),
        (["tone", "ROOM", "--signal", "file"], "choose a file first"),
        (["measure", "EMPTY"], "no recordings"),
    ],
)
def test_what_cannot_be_done_is_said(
    capfd: pytest.CaptureFixture[str], room: Path, tmp_path: Path, words: list[str], said: str
) -> None:
    (tmp_path / "empty").mkdir()
    known = {"ROOM": str(room), "EMPTY": str(tmp_path / "empty"), "k.zip": str(tmp_path / "k.zip")}
    status, _out, err = run(capfd, *[known.get(word, word) for word in words])
    assert status == 2
    assert said in err


def test_the_faults_that_help_lists_are_those_there_are() -> None:
    assert FAULTS_SHOWN.split() == [kind.form for kind in FAULTS]


@pytest.fixture
def full_disk() -> Iterator[Callable[[], None]]:
    """Files may not exceed this process's limit, which writers see as a full disk."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    yield lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (20_000, before[1]))
    resource.setrlimit(resource.RLIMIT_FSIZE, before)


@pytest.mark.parametrize("what", ["kit", "print-stand-in", "tone"])
def test_a_disk_that_gets_full_is_told_and_nothing_is_half_there(
    capfd: pytest.CaptureFixture[str], room: Path, tmp_path: Path, full_disk: Callable[[], None], what: str
) -> None:
    kit, out = tmp_path / "kit.zip", tmp_path / "there" / "out"
    run(capfd, "kit", room, "-o", kit)
    words = {"kit": ("-o", out), "print-stand-in": (kit, "-o", out), "tone": ("--out", out)}[what]
    full_disk()
    status, _said, told = run(capfd, what, room, *words)
    assert status == 2
    assert told.startswith("lattice: ")
    assert {path.name for path in tmp_path.rglob("*")} <= {"room.json", "kit.zip", "there"}
