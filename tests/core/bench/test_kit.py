"""Pilot kits: slots, files and their places in time, notes, the cue sheet, and kits that are none."""

from __future__ import annotations

import csv
import io
import json
import struct
import zipfile

import mido
import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from lattice.analysis import Analysis
from lattice.bench.kit.making import file_name, kit_of
from lattice.bench.kit.package import read_kit, write_kit
from lattice.bench.kit.slots import AudioSlot, Kit, MidiSlot, dump, load
from lattice.bench.timecode import RATES, at_timecode, frames_of, label_of
from lattice.changes.digests import document_digest
from lattice.errors import DocumentError, EditError
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries

PLAYER = {
    "id": "player", "name": "Player: grand", "kind": "instrument", "layout": "stereo", "midi": {"ports": 2},
    "outlets": [{"id": "1-2"}, {"id": "3-4"}],
    "parts": [{"id": "low", "note": 36, "port": 2, "outlet": "3-4"}, {"id": "high", "port": 2, "channel": 5}, {"id": "other", "port": 1}],
}  # fmt: skip
MADE = template(
    [{"id": "pair", "name": "Pair / left", "kind": "audio", "layout": "stereo", "section": "talk"}, "n:live", PLAYER, "m:notes", "a:spare spare",
     "a:off out", {"id": "hall", "kind": "return", "inserts": [{"id": "v", "type": "reverb", "pre_delay_ms": 100.0}]}, "x:mix", "o:out"],
    ["pair>mix", "live>mix", "send live>hall", "hall>mix", "player>mix", {"from": "player", "from_outlet": "3-4", "to": "mix"}, "mix>out",
     {"kind": "midi", "from": "notes", "to": "player", "port": 2, "channel": 5}],
    sections=[{"id": "talk", "name": "Talk"}], frame_rate="25", timeline={"start_timecode": "01:00:00:00"}, tempo_bpm=93.0,
)  # fmt: skip


def kit(made: Template = MADE, **wanted: object) -> Kit:
    return kit_of(Analysis(made), **wanted)  # type: ignore[arg-type]


def packed(made: Template, its: Kit) -> zipfile.ZipFile:
    out = io.BytesIO()
    write_kit(its, made, out)
    out.seek(0)
    assert read_kit(io.BytesIO(out.getvalue())) == its
    return zipfile.ZipFile(out)


def test_every_source_that_plays_has_its_slots_and_none_overlap() -> None:
    its = kit()
    assert [(slot.source, slot.outlet, slot.channel) for slot in its.slots] == [
        ("pair", None, 0), ("pair", None, 1), ("live", None, 0), ("player", "3-4", None), ("player", "1-2", None)
    ]  # fmt: skip
    first = its.slots[0]
    assert isinstance(first, AudioSlot)
    assert (first.burst_at, first.tone_at, first.end_at) == (
        96000,
        96000 + 8191 + 2048,
        96000 + 8191 + 2048 + 12000 + 24000,
    )
    notes = [slot for slot in its.slots if isinstance(slot, MidiSlot)]
    assert [(one.port, one.midi_channel, one.note, one.midi_strip) for one in notes] == [
        (2, 5, 36, "notes"),
        (2, 5, 60, "notes"),
    ]
    for before, after in zip(its.slots, its.slots[1:], strict=False):
        assert before.end_at <= after.begins_at
    live = its.slots[2]
    assert live.end_at - live.burst_at - 22239 == round(1.3 * 48000)  # type: ignore[union-attr]  # as long as the hall sounds
    assert its.template == document_digest(MADE)


def test_the_signals_are_those_that_the_form_names() -> None:
    line = kit().pilot()
    from scipy.signal import max_len_seq

    np.testing.assert_allclose(line[:8191], (max_len_seq(13)[0] * 2.0 - 1.0) * 10 ** (-18 / 20))
    assert not line[8191 : 8191 + 2048].any()
    tone = line[8191 + 2048 :]
    assert len(tone) == 12000
    np.testing.assert_allclose(
        tone[600:-600], (10 ** (-18 / 20) * np.sin(2 * np.pi * 997 / 48000 * np.arange(12000)))[600:-600]
    )
    assert abs(tone[0]) < 1e-6


def test_files_say_where_on_the_timeline_they_stand() -> None:
    its = kit()
    package = packed(MADE, its)
    assert package.namelist() == [
        "kit.json",
        "cue.csv",
        "pilots.mid",
        "pilots/0001 Pair _ left.wav",
        "pilots/0003 live.wav",
    ]
    data = package.read("pilots/0001 Pair _ left.wav")
    at = data.index(b"bext")
    low, high, version = struct.unpack("<IIH", data[at + 8 + 338 : at + 8 + 348])
    assert (low + (high << 32), version) == (3600 * 48000 + 96000, 1)
    assert struct.unpack("<I", data[at + 4 : at + 8])[0] == 602  # EBU Tech 3285, version 1
    samples, rate = soundfile.read(io.BytesIO(data), always_2d=True)
    assert (rate, samples.shape[1], soundfile.info(io.BytesIO(data)).subtype) == (48000, 2, "PCM_24")
    line = its.pilot()
    np.testing.assert_allclose(samples[: len(line), 0], line, atol=2**-23)
    np.testing.assert_allclose(samples[-len(line) :, 1], line, atol=2**-23)
    assert not samples[len(line) : -len(line), 0].any()
    assert not samples[: len(line), 1].any()


def test_notes_stand_in_their_slots_on_their_ports_and_channels() -> None:
    its = kit()
    file = mido.MidiFile(file=io.BytesIO(packed(MADE, its).read("pilots.mid")))
    assert (file.type, len(file.tracks)) == (1, 2)
    tempo = next(one.tempo for one in file.tracks[0] if one.type == "set_tempo")
    at, found, devices = 0, [], []
    for event in file.tracks[1]:
        at += event.time
        if event.type == "note_on":
            seconds = mido.tick2second(at, file.ticks_per_beat, tempo)
            found.append((round(seconds * 48000), event.channel + 1, event.note, event.velocity))
        if event.type in ("device_name", "midi_port"):
            devices.append(event.name if event.type == "device_name" else event.port)
    wanted = [slot for slot in its.slots if isinstance(slot, MidiSlot)]
    assert [one[1:] for one in found] == [(5, 36, 100), (5, 60, 100)]
    assert all(abs(one[0] - slot.note_at) <= 2 for one, slot in zip(found, wanted, strict=True))
    assert devices == ["Player: grand 2", 1]


def test_the_cue_sheet_names_places_as_people_do() -> None:
    rows = list(csv.DictReader(io.StringIO(packed(MADE, kit()).read("cue.csv").decode())))
    assert rows[0]["timecode"] == "01:00:02:00"
    assert (rows[0]["strip"], rows[0]["section"], rows[0]["channel"]) == ("Pair / left", "Talk", "1")
    assert (rows[3]["file"], rows[3]["port"], rows[3]["note"]) == ("pilots.mid", "2", "36")


def test_sources_may_be_chosen() -> None:
    assert {slot.source for slot in kit(sources=["strip:live", "kind:instrument"]).slots} == {"live", "player"}
    with pytest.raises(EditError, match="no active source selected"):
        kit(sources=["strip:mix"])
    with pytest.raises(EditError, match="no active source"):
        kit(template(["b:x", "o:y"], ["x>y"]))


def mended(**changes: object) -> bytes:
    plain = json.loads(dump(kit()))
    return json.dumps({**plain, **changes}).encode()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"{", "is not JSON"), (b"[]", "is not a pilot kit"), (mended(format="x"), "is not a pilot kit"),
        (mended(version=2), "version"), (mended(sample_rate_hz=1), "sample_rate_hz"), (mended(slots=[]), "no slot"),
        (mended(slots=json.loads(dump(kit()))["slots"][:1] * 2), "before the previous slot ends"),
        (mended(length_samples=100), "outside the kit"), (mended(burst={"order": 99}), "order"),
        (b"PK\x03\x04 and nothing", "the ZIP is damaged"),
    ],
)  # fmt: skip
def test_what_is_no_kit_is_refused_with_a_sentence(data: bytes, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        read_kit(io.BytesIO(data))


def test_a_zip_without_a_kit_is_refused() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as package:
        package.writestr("a.txt", "a")
    out.seek(0)
    with pytest.raises(DocumentError, match=r"no kit\.json"):
        read_kit(out)


def test_a_kit_reads_back_as_it_was() -> None:
    assert load(dump(kit())) == kit()


@pytest.mark.parametrize(
    ("name", "expected"), [("a/b:c", "a_b_c"), ("  . ", "strip"), ("x" * 200, "x" * 80), ("Kick\n1", "Kick_1")]
)
def test_names_become_file_names(name: str, expected: str) -> None:
    assert file_name(name) == expected


# SMPTE ST 12-1: one hour of drop-frame time code is 107 892 frames, one minute 1 798 but for every tenth.
@pytest.mark.parametrize(("label", "rate", "frames"), [
    ("01:00:00;00", "29.97df", 107_892), ("00:01:00;02", "29.97df", 1800), ("00:10:00;00", "29.97df", 17_982),
    ("01:00:00:00", "25", 90_000), ("00:00:10:12", "23.976", 252), ("10:00:00:00", "30", 1_080_000),
])  # fmt: skip
def test_time_code_counts_frames(label: str, rate: str, frames: int) -> None:
    assert frames_of(label, rate) == frames
    assert label_of(frames, rate) == label


@given(st.sampled_from(sorted(RATES)), st.integers(0, 24 * 3600 * 23))
@tries(100)
def test_labels_and_frames_are_each_others(rate: str, frames: int) -> None:
    assert frames_of(label_of(frames, rate), rate) == frames


def test_without_a_frame_rate_places_are_in_milliseconds() -> None:
    assert at_timecode(template(["a:x"]), 48000 * 3661 + 48) == "01:01:01.001"
