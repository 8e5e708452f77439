"""The manual: every kind of piece of a template has a sentence; missing kinds are left out."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.analysis import Analysis
from lattice.manual import Chapter, manual
from lattice.model.document import Template
from tests.build import template

STRIPS: list[Any] = [
    {"id": "bells", "name": "Bells", "kind": "audio", "layout": "stereo", "section": "fx", "tags": ["guide"],
     "inserts": [{"id": "eq", "name": "Low cut", "type": "eq"}, {"id": "gate", "type": "gate", "state": "bypassed"}]},
    {"id": "fx-bus", "name": "Effects", "kind": "bus", "layout": "stereo", "section": "fx", "mute": True,
     "inserts": [{"id": "duck", "name": "Duck", "type": "compressor", "key": "external", "threshold_db": -30.0, "ratio": 4.0}]},
    {"id": "kit", "name": "Kit", "kind": "instrument", "outlets": [{"id": "1", "name": "Kick"}, {"id": "2"}]},
    {"id": "voice", "name": "Voice", "kind": "audio", "tags": ["trigger"]},
    {"id": "notes", "name": "Notes", "kind": "midi"},
    {"id": "pop", "name": "Sync pop", "kind": "audio", "tags": ["pop"]},
    {"id": "spare", "name": "Spare one", "kind": "audio", "tags": ["spare"], "in_service": False},
    {"id": "echo", "name": "Long echo", "kind": "return", "layout": "stereo"},
    {"id": "mix", "name": "Show mix", "kind": "master", "layout": "stereo"},
    {"id": "print", "name": "Mix print", "kind": "print", "layout": "stereo"},
    {"id": "out", "name": "Out", "kind": "output", "layout": "stereo", "io": [3, 4]},
]  # fmt: skip
ROUTES: list[Any] = [
    "bells>fx-bus", "send bells>echo -8 pre-fader", "kit>fx-bus", "kit/2>fx-bus", "fx-bus>mix", "echo>mix", "mix>out",
    "mix>print", "key voice>fx-bus/duck", {"kind": "midi", "from": "notes", "to": "kit", "port": 2, "channel": 10},
    "pop>mix off", "spare>mix disabled",
]  # fmt: skip
FIELDS: dict[str, Any] = {
    "sections": [{"id": "fx", "name": "Effects and sounds", "bus": "fx-bus"}],
    "machines": [{"id": "main", "name": "Main computer", "outputs": 8, "output_names": {"3": "Left wall", "4": "Right wall"}}],
    "stems": [
        {"id": "st-fx", "name": "Sounds", "strip": "fx-bus", "tap": "pre-fader", "layout": "stereo"},
        {"id": "st-mix", "name": "Mix", "strip": "mix", "print": "print", "role": "mix", "layout": "stereo"},
        {"id": "me", "name": "All but voices", "role": "composite", "of": ["st-fx", "st-mix"], "layout": "stereo"},
    ],
    "rules": [{"id": "r", "name": "Bells are in the mix", "kind": "reaches", "sources": ["strip:bells"], "to": ["strip:mix"]}],
    "profile": {"name": "Dome", "loudness_lufs": -24.0, "loudness_tolerance_lu": 2.0, "true_peak_dbtp": -2.0},
    "frame_rate": "25",
    "timeline": {"start_timecode": "10:00:00:00", "pop_lead_s": 2.0, "markers": [{"name": "Sunrise", "bar": 17}]},
    "info": {"Director": "M. Quay"},
    "note": "For the northern dome.",
}  # fmt: skip


@pytest.fixture(scope="module")
def chapters() -> dict[str, Chapter]:
    return {chapter.heading: chapter for chapter in manual(Analysis(template(STRIPS, ROUTES, **FIELDS)))}


@pytest.mark.parametrize(
    ("heading", "line"),
    [
        ("The template", "Rate: 48 kHz, buffer 256 samples, 120 BPM."),
        ("The template", "Picture at 25 frames a second, from 10:00:00:00."),
        ("The template", "Latency from source to output: 0 samples, 0.0 ms."),
        ("The template", "Director: M. Quay."),
        ("The template", "Sunrise at bar 17."),
        (
            "Effects and sounds",
            "Bells (audio, stereo, guide) through Low cut, gate bypassed, feeds Effects and sends to Long echo at −8.0 dB "
            "pre-fader.",
        ),
        ("Effects and sounds", "Effects (bus, stereo, muted) through Duck, feeds Show mix."),
        ("No section", "Kit (instrument, mono) feeds Effects and feeds Effects from 2."),
        ("No section", "Sync pop (audio, mono, pop) feeds Show mix at −∞ dB."),
        ("No section", "Spare one (audio, mono, spare, disabled) feeds Show mix (disabled)."),
        ("Side-chains", "Voice keys Duck on Effects, by 9.0 dB at its expected level."),
        ("Notes", "Notes plays Kit on port 2, channel 10."),
        ("Machines and channels", "Output 3 of Main computer is Left wall."),
        ("Machines and channels", "Out is on output 3–4 of Main computer."),
        ("Stems", "Sounds (stem, main) is tapped from Effects pre-fader, stereo, not printed."),
        ("Stems", "Mix (mix, main) is tapped from Show mix post-fader, stereo, printed on Mix print."),
        ("Stems", "All but voices (composite, main) is the sum of Sounds and Mix."),
        ("How to print", "Place Sync pop 2 seconds before the first frame, in every stem and mix."),
        ("How to print", "Arm the 1 prints: Mix print."),
        ("How to print", "Measure the mixes: −24.0 LUFS within 2 LU, at most −2.0 dBTP."),
        ("Excluded strips", "Bells is picture audio for orientation, in no stem."),
        ("Excluded strips", "Voice only drives keys and must not be audible."),
        ("Excluded strips", "Spare one is a spare, routed for later."),
    ],
)
def test_everything_is_said_in_a_sentence(chapters: dict[str, Chapter], heading: str, line: str) -> None:
    assert line in chapters[heading].lines


def test_chapters_begin_with_what_they_are_about(chapters: dict[str, Chapter]) -> None:
    assert chapters["The template"].lead == "For the northern dome."
    assert chapters["Effects and sounds"].lead == "2 strips; its bus is Effects."
    assert chapters["Rules"].lines[0].startswith("Bells are in the mix: ")


@pytest.mark.parametrize(
    ("made", "headings"),
    [
        (template([], []), ["The template", "Machines and channels"]),
        (template(["a:x", "o:z"], ["x>z"]), ["The template", "No section", "Machines and channels"]),
    ],
)
def test_what_is_not_there_has_no_chapter(made: Template, headings: list[str]) -> None:
    assert [chapter.heading for chapter in manual(Analysis(made))] == headings
