"""The command line as a script would use it."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile

from lattice.cli import main, parser
from lattice.formats.document_json import dump
from tests.build import template

GOOD = template(["a:kick", "b:drums", "o:out"], ["kick>drums", "drums>out"])
BAD = template(
    ["a:kick", "a:lost", "b:drums", "x:mix", "o:out"], ["kick>drums", "drums>mix", "send mix>drums", "mix>out"]
)


@pytest.fixture
def files(tmp_path: Path) -> dict[str, str]:
    made = {
        "good": dump(GOOD),
        "bad": dump(BAD),
        "broken": b'{"name": "x", "strips": [{"id": "a"}]}',
        "sheet": b"name,feed\nKick,Bus\nBus,\n",
    }
    for name, data in made.items():
        (tmp_path / f"{name}.{'csv' if name == 'sheet' else 'json'}").write_bytes(data)
    return {path.stem: str(path) for path in tmp_path.iterdir()}


def run(capsysbinary: pytest.CaptureFixture, *arguments: str) -> tuple[int, str, str]:
    status = main(list(arguments))
    out, err = capsysbinary.readouterr()
    return status, out.decode(), err.decode()


@pytest.mark.parametrize(
    ("arguments", "status"),
    [
        (["audit", "good"], 0), (["audit", "good", "--fail-on", "warning"], 0), (["audit", "good", "--fail-on", "note"], 0), (["audit", "bad"], 1), (["audit", "broken"], 2),
        (["audit", "sheet"], 1), (["audit", "nowhere"], 2), (["trace", "good", "--from", "kick"], 0),
        (["trace", "good", "--from", "no"], 2), (["diff", "good", "bad"], 0), (["diff", "good", "broken"], 2),
    ],
)  # fmt: skip
def test_exit_status(
    capsysbinary: pytest.CaptureFixture, files: dict[str, str], arguments: list[str], status: int
) -> None:
    assert run(capsysbinary, *(files.get(word, word) for word in arguments))[0] == status


def test_audit_json(capsysbinary: pytest.CaptureFixture, files: dict[str, str]) -> None:
    _status, out, _err = run(capsysbinary, "audit", files["bad"], "--json", "--times")
    answer = json.loads(out)
    assert (answer["format"], answer["version"]) == ("intact-lattice.audit", 1)
    assert answer["summary"]["blocker"] == 2
    assert set(answer["times"]) == {"parse_ms", "compute_ms"}
    loop = next(finding for finding in answer["findings"] if finding["code"] == "loop.audio")
    assert (loop["strips"], loop["routes"], loop["waived"]) == (["drums", "mix"], ["r2", "r3"], False)
    assert set(loop) >= {"severity", "message", "inserts", "stems", "outlets", "figures", "evidence", "fingerprint"}


def test_problems_are_said_a_line_each_with_the_file_and_no_traceback(
    capsysbinary: pytest.CaptureFixture, files: dict[str, str]
) -> None:
    _status, out, err = run(capsysbinary, "audit", files["broken"])
    assert out == ""
    assert err.splitlines() == [
        f"{files['broken']}: strips[0]: the field {name} is missing" for name in ("name", "kind")
    ]


def test_trace_says_a_sentence_and_gives_hops(capsysbinary: pytest.CaptureFixture, files: dict[str, str]) -> None:
    assert run(capsysbinary, "trace", files["good"], "--from", "kick")[1] == (
        "kick feeds drums, which feeds out.\n"
        "  drums: peak −6.0, RMS −18.0 dBFS, after 0 samples\n"
        "  out: peak −6.0, RMS −18.0 dBFS, after 0 samples\n"
    )
    answer = json.loads(run(capsysbinary, "trace", files["good"], "--from", "kick", "--to", "drums", "--json")[1])
    assert answer["paths"][0]["strips"] == ["kick", "drums"]
    assert answer["paths"][0]["blocked"] is False


def test_diff(capsysbinary: pytest.CaptureFixture, files: dict[str, str]) -> None:
    assert run(capsysbinary, "diff", files["good"], files["good"])[1] == "no difference\n"
    assert "+ strip lost: lost (audio)" in run(capsysbinary, "diff", files["good"], files["bad"])[1]


@pytest.mark.parametrize("form", ["json", "csv", "graphml", "dot", "svg"])
def test_convert(capsysbinary: pytest.CaptureFixture, files: dict[str, str], form: str) -> None:
    status, out, _err = run(capsysbinary, "convert", files["good"], "--to", form)
    assert status == 0
    assert "drums" in out
    if form == "json":
        assert out.encode() == dump(GOOD)


def test_generate_is_repeatable_exact_and_without_blockers(capsysbinary: pytest.CaptureFixture, tmp_path: Path) -> None:
    first = run(capsysbinary, "generate", "--strips", "137", "--seed", "3")[1]
    assert run(capsysbinary, "generate", "--strips", "137", "--seed", "3")[1] == first
    assert run(capsysbinary, "generate", "--strips", "137", "--seed", "4")[1] != first
    assert len(json.loads(first)["strips"]) == 137
    (tmp_path / "made.json").write_text(first)
    assert run(capsysbinary, "audit", str(tmp_path / "made.json"))[0] == 0
    assert run(capsysbinary, "generate", "--strips", "3")[0] == 2


def test_standard_input_as_document_and_as_sheet() -> None:
    for data in (dump(GOOD), b"name,feed\nkick,out\nout,\n"):
        done = subprocess.run(
            [sys.executable, "-m", "lattice", "convert", "-", "--to", "csv"],
            input=data,
            capture_output=True,
            check=False,
        )
        assert done.returncode == 0
        assert b"kick" in done.stdout


@pytest.mark.parametrize("what", ["levels", "timing", "stems"])
def test_figures_behind_the_checks(capsysbinary: pytest.CaptureFixture, files: dict[str, str], what: str) -> None:
    status, out, _err = run(capsysbinary, what, files["good"], "--json")
    found = json.loads(out)
    assert (status, found["format"]) == (0, f"intact-lattice.{what}")
    if what == "levels":
        assert found["strips"]["out"]["post"]["peak_dbfs"] == pytest.approx([-6.0])
    elif what == "stems":
        assert (found["ledger"], found["cut"]) == ({}, True)
    else:
        assert found["outputs"] == {"out": {"samples": 0, "ms": 0.0}}
        assert found["critical_path"] == ["kick", "drums", "out"]
    assert run(capsysbinary, what, files["good"])[1]
    assert run(capsysbinary, what, files["broken"])[0] == 2


def test_awake_is_the_audit_with_every_insert_on(capsysbinary: pytest.CaptureFixture, tmp_path: Path) -> None:
    asleep = {"id": "s", "type": "eq", "state": "unloaded", "latency_samples": 64}
    made = template(["a:x", {"id": "b", "kind": "bus", "inserts": [asleep]}, "o:out"], ["x>b", "b>out"])
    path = tmp_path / "asleep.json"
    path.write_bytes(dump(made))
    totals = []
    for flags in ([], ["--awake"]):
        found = json.loads(run(capsysbinary, "audit", str(path), "--json", *flags)[1])["findings"]
        totals += [finding["figures"]["total_samples"] for finding in found if finding["code"] == "time.total"]
    assert totals == [64]  # a total of 0 is not said


def test_an_inventory_is_checked_against_and_what_is_wrong_with_it_is_said(
    capsysbinary: pytest.CaptureFixture, tmp_path: Path
) -> None:
    made = template(
        [
            {
                "id": "x",
                "kind": "bus",
                "inserts": [{"id": "i", "name": "Glue", "type": "compressor", "maker": "Tern Audio", "version": "2.1"}],
            }
        ]
    )
    path, has = tmp_path / "made.json", tmp_path / "Second studio.csv"
    path.write_bytes(dump(made))
    codes = {}
    for rows in (
        "name\nTone\n",
        "what,maker,name,version\nplug-in,Tern Audio,Glue,2.0.9\n",
        "name;version\nglue;2.10\n",
    ):
        has.write_text(rows)
        found = json.loads(run(capsysbinary, "audit", str(path), "--json", "--inventory", str(has))[1])["findings"]
        codes[rows[:12]] = [(one["code"], one["message"]) for one in found if one["code"].startswith("plugin")]
    assert codes == {
        "name\nTone\n": [("plugin.missing", "Tern Audio Glue is missing at Second studio")],
        "what,maker,n": [("plugin.older", "Second studio has Tern Audio Glue 2.0.9; 2.1 is required")],
        "name;version": [],
    }
    has.write_text("what,name\ndoor,Hatch\ninput,Pulpit\n")
    status, _out, err = run(capsysbinary, "audit", str(path), "--inventory", str(has))
    assert (status, err.splitlines()) == (2, [
        f"{has}: row 2: door is not one of plug-in, input, output",
        f"{has}: row 3: an input needs its number, 1 to 1024, in the column channel",
    ])  # fmt: skip


def test_the_audit_prints_matters_and_all_findings_when_asked(
    capsysbinary: pytest.CaptureFixture, tmp_path: Path
) -> None:
    file = tmp_path / "worn.json"
    file.write_text(run(capsysbinary, "generate", "--strips", "300", "--worn")[1])
    by_matter = run(capsysbinary, "audit", str(file))[1]
    every_one = run(capsysbinary, "audit", str(file), "--all")[1]
    assert "sources reach Return 0 by two paths" in by_matter
    assert len(by_matter.splitlines()) < len(every_one.splitlines()) / 3
    assert by_matter.splitlines()[-1] == every_one.splitlines()[-1]
    said = json.loads(run(capsysbinary, "audit", str(file), "--json")[1])
    marks = [mark for matter in said["matters"] for mark in matter["findings"]]
    assert sorted(marks) == sorted(finding["fingerprint"] for finding in said["findings"])
    assert set(said["matters"][0]) >= {"fingerprint", "severity", "message", "findings", "cause", "remedies"}


def test_a_plan_is_printed_written_as_json_and_applied(capsysbinary: pytest.CaptureFixture, tmp_path: Path) -> None:
    file, out = tmp_path / "worn.json", tmp_path / "mended.json"
    file.write_text(run(capsysbinary, "generate", "--strips", "80", "--worn")[1])
    status, printed, _errors = run(capsysbinary, "plan", str(file))
    assert status == 0
    said = json.loads(run(capsysbinary, "plan", str(file), "--json", "--apply", str(out))[1])
    assert (said["format"], said["version"]) == ("intact-lattice.plan", 1)
    assert len(printed.splitlines()) >= len(said["steps"]) + 2
    summary = json.loads(run(capsysbinary, "audit", str(out), "--json")[1])["summary"]
    assert {severity: summary[severity] for severity in said["after"]} == said["after"]
    assert said["after"]["blocker"] < said["before"]["blocker"]
    only = json.loads(run(capsysbinary, "plan", str(file), "--json", "--only", "loop.audio,io")[1])
    assert len(only["steps"]) == 1
    assert run(capsysbinary, "plan", str(tmp_path / "nothing.json"))[0] == 2


def test_codes_are_explained(capsysbinary: pytest.CaptureFixture) -> None:
    status, one, _errors = run(capsysbinary, "explain", "route.double-path")
    assert status == 0
    assert [line.partition(":")[0] for line in one.splitlines()] == [
        "Finding",
        "Why",
        "How",
        "Usual fix",
    ]
    assert "stem.leak" in run(capsysbinary, "explain")[1]
    status, _out, errors = run(capsysbinary, "explain", "stem.leek")
    assert status == 2
    assert "unknown code stem.leek; lattice explain lists all codes" in errors


SHOW = "Track,Type,Output,Weather\nKick,audio,Drums,fine\nDrums,aux,Out 1-2,\n"


def test_anybodys_table_is_converted_and_what_is_not_used_is_said(
    capsysbinary: pytest.CaptureFixture, tmp_path: Path
) -> None:
    sheet = tmp_path / "show.csv"
    sheet.write_text(SHOW)
    status, out, errors = run(capsysbinary, "convert", str(sheet), "--to", "json")
    assert status == 0
    assert [route["to"] for route in json.loads(out)["routes"]] == ["drums", "out-1-2"]
    assert errors == f"{sheet}: columns not used: Weather\n"
    sheet.write_text(SHOW.replace("audio", "spot"))
    status, _out, errors = run(capsysbinary, "convert", str(sheet), "--to", "json")
    assert (status, errors) == (2, f"{sheet}: row 2, column Type: “spot” is not known\n")


def test_columns_are_guessed_changed_and_used_again(capsysbinary: pytest.CaptureFixture, tmp_path: Path) -> None:
    sheet, chosen = tmp_path / "show.csv", tmp_path / "map.json"
    sheet.write_text(SHOW.replace("audio", "spot"))
    status, out, errors = run(capsysbinary, "columns", str(sheet))
    assert (status, "“spot” is not known" in errors) == (0, True)
    choices = json.loads(out)
    assert choices["columns"] == {"track": "name", "type": "kind", "output": "feed", "weather": ""}
    choices["words"]["kind"]["spot"] = "audio"
    choices["columns"]["weather"] = "noted"
    chosen.write_text(json.dumps(choices))
    status, out, errors = run(capsysbinary, "convert", str(sheet), "--to", "json", "--columns", str(chosen))
    assert (status, errors) == (0, "")
    assert json.loads(out)["strips"][0]["note"] == "Weather: fine"
    chosen.write_text('{"weather": 1}')
    status, _out, errors = run(capsysbinary, "convert", str(sheet), "--to", "json", "--columns", str(chosen))
    assert status == 2
    assert errors.startswith(f"{chosen}: these are not choices for a table")


def test_a_newer_sheet_is_merged(capsysbinary: pytest.CaptureFixture, tmp_path: Path) -> None:
    file, sheet, out = tmp_path / "a.json", tmp_path / "b.csv", tmp_path / "out.json"
    sheet.write_text(SHOW)
    file.write_bytes(run(capsysbinary, "convert", str(sheet), "--to", "json")[1].encode())
    sheet.write_text("Track,Type,Output\nSnare,audio,Drums\nDrums,,\n")
    status, _out, errors = run(capsysbinary, "merge", str(file), str(sheet), "-o", str(out))
    assert status == 0
    assert [line.split()[0] for line in errors.splitlines()] == ["new", "gone", "gone"]
    assert [strip["id"] for strip in json.loads(out.read_bytes())["strips"]] == ["snare", "kick", "drums", "out-1-2"]
    run(capsysbinary, "merge", str(file), str(sheet), "--remove", "-o", str(out))
    assert [strip["id"] for strip in json.loads(out.read_bytes())["strips"]] == ["snare", "drums"]
    sheet.write_text("Track,Level\nKick,loud\n")
    status, _out, errors = run(capsysbinary, "merge", str(file), str(sheet), "-o", "-")
    assert (status, "row 2, column fader_db: “loud” is not a level" in errors) == (2, True)


def test_measured_levels_come_into_the_strips_of_the_same_names(
    capsysbinary: pytest.CaptureFixture, files: dict[str, str], tmp_path: Path
) -> None:
    takes, out = tmp_path / "takes", tmp_path / "out.json"
    takes.mkdir()
    tone = 0.5 * np.sin(2 * np.pi * 997 * np.arange(48_000) / 48_000)
    for name, samples in (("KICK", tone), ("Room", tone), ("drums", tone)):
        soundfile.write(takes / f"{name}.wav", samples, 48_000)
    status, _out, errors = run(capsysbinary, "sources", files["good"], str(takes), "-o", str(out))
    assert status == 0
    assert "KICK.wav: kick, peak -6.0" in errors
    assert "no source has the name Room" in errors
    assert "no source has the name drums" in errors
    strips = {strip["id"]: strip for strip in json.loads(out.read_bytes())["strips"]}
    assert strips["kick"]["source"]["rms_dbfs"] == pytest.approx(-9.03, abs=0.01)
    assert "source" not in strips["drums"]
    (takes / "empty.wav").write_bytes(b"")
    status, _out, errors = run(capsysbinary, "sources", files["good"], str(takes), "-o", "-")
    assert (status, "empty.wav: cannot be read as WAV or FLAC" in errors) == (2, True)


@pytest.mark.parametrize(
    ("old", "new"),
    [
        (["audit", "a.json", "--awake"], ["audit", "a.json", "--all-on"]),
        (["generate", "--worn"], ["generate", "--with-faults"]),
        (["read-prints", "a.json", "kit.zip", "prints"], ["check-prints", "a.json", "kit.zip", "prints"]),
        (["print-stand-in", "a.json", "kit.zip", "-o", "x"], ["simulate-prints", "a.json", "kit.zip", "-o", "x"]),
    ],
)
def test_plain_names_do_the_same_as_the_first_ones(old: list[str], new: list[str]) -> None:
    assert vars(parser().parse_args(old)) == vars(parser().parse_args(new))
