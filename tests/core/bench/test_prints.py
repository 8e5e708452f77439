"""Reading of prints: every kind of fault with its suspect and nothing else; all file formats; unreadable files."""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from lattice.analysis import Analysis
from lattice.bench.faults import BY_WORD, FAULTS, built
from lattice.bench.kit.making import kit_of
from lattice.bench.prints.files import match
from lattice.bench.prints.model import printed
from lattice.bench.prints.reader import read_prints
from lattice.bench.prints.reading import Reading, as_json, check_kit
from lattice.bench.prints.verdict import Verdict, judge
from lattice.bench.stand_in import print_files
from lattice.errors import DocumentError, EditError
from tests.build import template
from tests.core.bench.sessions import CODES, KINDS, Mapped, fault, mapped, read, session
from tests.deep import SCALE

TEMPLATES = 30
there = lru_cache(maxsize=2)(lambda seed: mapped(session(seed)))
# In the gate every kind is tried in one template; a long run tries all of them in all thirty.
PLACES = [
    (seed, kind)
    for seed in range(TEMPLATES)
    for at, kind in enumerate(KINDS)
    if SCALE >= 1 or (seed < len(KINDS) and at == seed)
]


@pytest.mark.parametrize("seed", range(0, TEMPLATES, 1 if SCALE >= 1 else 10))
def test_without_a_fault_nothing_is_found(seed: int) -> None:
    assert read(there(seed))[1].is_clean


@pytest.mark.parametrize(("seed", "kind"), PLACES)
def test_a_fault_is_found_with_its_suspect_and_nothing_else(seed: int, kind: str) -> None:
    put, at_fault = fault(there(seed), kind, random.Random(seed * 100 + KINDS.index(kind)))  # noqa: S311 - the same every time
    _reading, verdict = read(there(seed), put)
    codes = {finding.code.removeprefix("asbuilt.") for finding in verdict.findings}
    # The effect of a fault on the sum of several paths is part of the same issue.
    may = CODES[kind] | (
        {"delay", "channels"} if kind in ("off", "mute", "feed", "gain", "fader", "polarity") else set()
    )
    assert codes, put
    assert codes & CODES[kind], put
    assert codes <= may, put
    assert verdict.summary["matters"] == 1, put
    if kind in ("late-print", "silent-print", "drop"):
        assert {stem for finding in verdict.findings for stem in finding.stems} == {at_fault}
    else:
        assert at_fault in verdict.found[0].suspects[:3], put


LATE_SETS = (
    ("a", "ab", "ac", "bc"),
    ("ab", "ac", "abc", "bc"),
    ("a", "a", "abc", "bc"),
    ("ab", "ab", "ac", "c"),
    ("ab", "abc", "ac", "b"),
)


@pytest.mark.parametrize("layout", ["mono", "stereo", "5.1"])
@pytest.mark.parametrize("prints", LATE_SETS if SCALE >= 1 else LATE_SETS[:1], ids="-".join)
def test_one_source_late_in_three_prints_of_four_is_late_and_no_other_early(
    prints: tuple[str, ...], layout: str
) -> None:
    """Its slots may be more than those of all others: nothing arrives early without compensation all the same."""
    strips: list[Any] = [{"id": "a", "kind": "audio", "layout": layout}, "a:b", "a:c"]
    routes, stems = [], []
    for number, sources in enumerate(prints):
        strips += [{"id": f"{kind}{number}", "kind": kind, "layout": "stereo"} for kind in ("bus", "print")]
        routes += [*(f"{source}>bus{number}" for source in sources), f"bus{number}>print{number}"]
        stems.append(
            {"id": f"st{number}", "name": f"Stem {number}", "strip": f"bus{number}", "print": f"print{number}"}
        )
    reading, verdict = read(mapped(template(strips, routes, stems=stems)), "late:a:96")
    assert verdict.summary["matters"] == 1
    assert verdict.found[0].suspects[0] == "a"
    said = [
        finding.figures.get("late_samples") or finding.figures.get("offset_samples") for finding in verdict.findings
    ]
    assert said == [96] * 3
    assert {stem for finding in verdict.findings for stem in finding.stems} == {
        f"st{n}" for n, sources in enumerate(prints) if "a" in sources
    }
    assert all(one.offset_samples in (0, 96) for one in reading.prints)


# one session, by hand

ROOM = template(
    [{"id": "kick", "kind": "audio", "section": "drums"}, {"id": "snare", "kind": "audio", "pan": -1.0, "section": "drums"},
     {"id": "pair", "kind": "audio", "layout": "stereo"}, {"id": "drums", "kind": "bus", "layout": "stereo", "section": "drums"},
     {"id": "mix", "kind": "master", "layout": "stereo"}, {"id": "p-drums", "name": "Drums print", "kind": "print", "layout": "stereo"},
     {"id": "p-mix", "name": "Mix print", "kind": "print", "layout": "stereo"}, {"id": "out", "kind": "output", "layout": "stereo"}],
    ["kick>drums", "snare>drums", "drums>mix", "drums>p-drums", "pair>mix", "mix>p-mix", "mix>out"],
    sections=[{"id": "drums", "name": "Drums", "bus": "drums"}],
    stems=[{"id": "st-drums", "name": "Drums", "strip": "drums", "print": "p-drums"}, {"id": "st-mix", "name": "The mix", "role": "mix", "strip": "mix", "print": "p-mix"}],
)  # fmt: skip
HERE = Mapped(ROOM, Analysis(ROOM), kit_of(Analysis(ROOM)), {})


def from_files(paths: list[Path], **wanted: Any) -> tuple[Reading, Verdict]:
    reading = read_prints(HERE.analysis, HERE.kit, paths, **wanted)
    return reading, judge(HERE.analysis, HERE.kit, reading)


def stand_in(folder: Path, *faults: str, **wanted: Any) -> list[Path]:
    return print_files(ROOM, HERE.kit, built(ROOM, faults), folder, **wanted)


@pytest.mark.parametrize(
    ("wanted", "names"),
    [
        ({"bits": "16"}, ["Drums.wav", "The mix.wav"]), ({"bits": "32f"}, ["Drums.wav", "The mix.wav"]),
        ({"split": True}, ["Drums.L.wav", "Drums.R.wav", "The mix.L.wav", "The mix.R.wav"]),
    ],
)  # fmt: skip
def test_prints_of_every_form_read_alike(tmp_path: Path, wanted: dict[str, Any], names: list[str]) -> None:
    paths = stand_in(tmp_path, **wanted)
    assert sorted(path.name for path in paths) == names
    reading, verdict = from_files(paths)
    assert verdict.is_clean
    kick = next(one for one in reading.slots if (one.source, one.stem) == ("kick", "st-drums"))
    for out in kick.out:
        assert out.gain_db == pytest.approx(-3.0, abs=0.05)
        assert (out.delay_samples, out.polarity) == (0, 1)
    assert not any(
        out.present for one in reading.slots if (one.source, one.stem) == ("pair", "st-drums") for out in one.out
    )


def rewritten(path: Path, change: Callable[[np.ndarray], np.ndarray], **form: Any) -> Path:
    """The same print as another program might write it."""
    samples, rate = soundfile.read(path, always_2d=True)
    target = path.with_suffix(form.pop("ending", path.suffix))
    path.unlink()
    soundfile.write(target, change(samples), form.pop("rate", rate), form.pop("subtype", "PCM_24"), **form)
    return target


@pytest.mark.parametrize("late", [1, -70_000, 300_000])
def test_a_whole_set_that_begins_late_or_early_is_read(tmp_path: Path, late: int) -> None:
    shift = (lambda x: np.concatenate((np.zeros((late, 2)), x))) if late > 0 else (lambda x: x[-late:])
    reading, verdict = from_files([rewritten(path, shift) for path in stand_in(tmp_path)])
    assert verdict.is_clean
    assert {one.offset_samples for one in reading.prints} == {late}


@pytest.mark.parametrize(
    "form", [{"ending": ".flac", "format": "FLAC"}, {"ending": ".rf64", "format": "RF64"}, {"subtype": "FLOAT"}]
)
def test_other_containers_are_read(tmp_path: Path, form: dict[str, Any]) -> None:
    assert from_files([rewritten(path, lambda x: x, **dict(form)) for path in stand_in(tmp_path)])[1].is_clean


def cut_off(path: Path) -> Path:
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 3])
    return path


def empty(path: Path) -> Path:
    path.write_bytes(b"")
    return path


BAD: list[tuple[str, Callable[[Path], Path], str]] = [
    ("another rate", lambda p: rewritten(p, lambda x: x, rate=44100), "has 44100 Hz; the kit has 48000"),
    ("cut off", cut_off, "is cut off"),
    ("empty", empty, "cannot be read as WAV, RF64 or FLAC"),
    ("mono", lambda p: rewritten(p, lambda x: x[:, :1]), "1 channels; the print has 2"),
    ("no samples", lambda p: rewritten(p, lambda x: x[:0]), "has no samples"),
    ("too short", lambda p: rewritten(p, lambda x: x[: 48000 * 3]), "is shorter than the kit: 3.0 s of 5.9 s"),
]


@pytest.mark.parametrize(
    ("spoil", "words"), [(spoil, words) for _name, spoil, words in BAD], ids=[name for name, *_ in BAD]
)
def test_a_print_that_cannot_be_read_is_said_and_the_others_are(
    tmp_path: Path, spoil: Callable[[Path], Path], words: str
) -> None:
    drums, mix = stand_in(tmp_path)
    _reading, verdict = from_files([spoil(drums), mix])
    (only,) = verdict.findings
    assert (only.code, only.stems) == ("asbuilt.unread", ("st-drums",))
    assert words in only.message


def test_a_silent_file_is_a_silent_print(tmp_path: Path) -> None:
    drums, mix = stand_in(tmp_path)
    _reading, verdict = from_files([rewritten(drums, lambda x: x * 0.0), mix])
    assert [(one.code, one.stems) for one in verdict.findings] == [("asbuilt.silent", ("st-drums",))]


def test_files_are_matched_by_names_and_ids_and_by_hand(tmp_path: Path) -> None:
    drums, mix = stand_in(tmp_path)
    drums, mix = drums.rename(tmp_path / "DRUMS_print.wav"), mix.rename(tmp_path / "something else.wav")
    prints = printed(HERE.analysis.graph)
    found = match(HERE.analysis.graph, prints, [drums, mix])
    assert {stem: [path.name for path in one.paths] for stem, one in found.prints.items()} == {
        "st-drums": ["DRUMS_print.wav"]
    }
    assert found.unmatched == {"something else.wav": "its name matches no stem"}
    assert from_files([drums, mix], assigned={"something else.wav": "st-mix"})[1].is_clean
    twice = [drums, tmp_path / "st-drums.wav"]
    said = match(HERE.analysis.graph, prints, twice).unmatched
    assert said == {"st-drums.wav": "DRUMS_print.wav is a print of the same stem"}


def test_foreign_kits_are_refused() -> None:
    other = template(["a:other", *[{"id": one.id, "kind": one.kind, "layout": one.layout} for one in ROOM.strips]], [])
    with pytest.raises(DocumentError, match="a different template: this one has no strip other"):
        check_kit(HERE.analysis, kit_of(Analysis(other)))
    moved = template(
        [{"id": one.id, "kind": one.kind, "layout": one.layout} for one in ROOM.strips], ["kick>mix", "mix>out"]
    )
    with pytest.raises(DocumentError, match="a different version of this template"):
        check_kit(HERE.analysis, kit_of(Analysis(moved)))


@pytest.mark.parametrize(
    ("fed", "first"),
    [("feed:bell:room", "room"), ("feed:bell:bus", "bus"), ("feed:bell:low", "low")],
)
def test_of_the_ways_something_may_have_come_in_the_one_that_sounds_like_it_is_first(fed: str, first: str) -> None:
    """By the room it is a tail alone, by the bus itself as loud, by the other bus 12 dB lower."""
    made = template(
        [{"id": "voice", "kind": "audio"}, {"id": "bell", "kind": "audio"},
         {"id": "room", "kind": "return", "layout": "stereo", "inserts": [{"id": "verb", "type": "reverb", "wet": 1.0}]},
         {"id": "low", "kind": "bus", "layout": "stereo", "fader_db": -12.0}, {"id": "bus", "kind": "bus", "layout": "stereo"},
         {"id": "bells", "kind": "bus", "layout": "stereo"}, {"id": "p-bus", "kind": "print", "layout": "stereo"},
         {"id": "p-bells", "kind": "print", "layout": "stereo"}, {"id": "out", "kind": "output", "layout": "stereo"}],
        ["voice>bus", "send voice>room -14", "send voice>low -6", "room>bus", "low>bus", "bell>bells",
         "bus>p-bus", "bells>p-bells", "bus>out", "bells>out"],
        stems=[{"id": "st-bus", "name": "Voices", "strip": "bus", "print": "p-bus"},
               {"id": "st-bells", "name": "Bells", "strip": "bells", "print": "p-bells"}],
    )  # fmt: skip
    here = mapped(made)
    _reading, verdict = read(here, fed)
    assert verdict.found[0].suspects[:2] == ("bell", first)


def test_twelve_sources_up_in_one_print_are_one_matter_at_its_feed(tmp_path: Path) -> None:
    """docs/reference/bench.md, *Where to look*: up in one stem and right in the mix: the print's feed; up in both: the bus."""
    _reading, verdict = from_files(stand_in(tmp_path / "a", "gain:r4:+3"))
    assert {(one.finding.code, one.finding.stems, one.matter) for one in verdict.found} == {
        ("asbuilt.level", ("st-drums",), 0)
    }
    assert verdict.found[0].suspects[0] == "r4"
    assert verdict.findings[0].figures == pytest.approx({"expected_db": -3.0, "read_db": 0.0}, abs=0.05)
    _reading, verdict = from_files(stand_in(tmp_path / "b", "fader:drums:+3"))
    assert verdict.found[0].suspects[0] == "drums"
    assert {stem for one in verdict.findings for stem in one.stems} == {"st-drums", "st-mix"}


def test_the_reading_as_json_has_the_form_that_is_published(tmp_path: Path) -> None:
    reading, verdict = from_files(stand_in(tmp_path, "polarity:kick"))
    plain = json.loads(as_json(reading, verdict.as_json()))
    assert (plain["format"], plain["version"], plain["kit"]) == ("intact-lattice.reading", 1, HERE.kit.digest)
    assert plain["prints"][0] == {
        "stem": "st-drums",
        "files": ["Drums.wav"],
        "channels": 2,
        "offset_samples": 0,
        "problem": "",
    }
    kick = plain["slots"][0]
    assert {"source", "outlet", "channel", "stem", "out"} <= set(kick)
    assert (kick["out"][0]["polarity"], kick["out"][0]["delay_samples"]) == (-1, 0)
    assert plain["findings"][0]["suspects"][0] == "kick"
    assert plain["summary"]["blocker"] == 2


@pytest.mark.parametrize(
    ("put", "words"),
    [
        ("nothing:x", "is not a fault"), ("off:zz", "route zz does not exist"), ("off", "written off:ROUTE"), ("gain:r1:loud", "is not a level"),
        ("fader:kick:999", "is not a level"), ("swap:kick", "has one channel"), ("late:kick:-5", "before the session"),
        ("late:kick:x", "is not a number of samples"), ("feed:kick:out:1", "written feed:SOURCE:STRIP"), ("feed:out:kick", "cannot start at an output"),
        ("bypass:x", "insert x does not exist"), ("drop:x", "stem x does not exist"), ("mute:x", "strip x does not exist"), ("late-print:st-mix:9e9", "is not a number"),
    ],
)  # fmt: skip
def test_faults_that_cannot_be_put_in_are_refused(put: str, words: str) -> None:
    with pytest.raises(EditError, match=words):
        built(ROOM, [put])


def test_every_kind_of_fault_is_tried() -> None:
    assert set(KINDS) == set(BY_WORD) == {kind.word for kind in FAULTS}
