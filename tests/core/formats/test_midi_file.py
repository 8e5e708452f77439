"""Standard MIDI Files, written by hand after RP-001: known bytes, and their meaning."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.errors import DocumentError
from lattice.formats.midi_file import MidiTrack, read_midi, read_midi_here
from tests.deep import tries


def number(value: int) -> bytes:
    """A variable-length quantity (RP-001, page 2)."""
    out = [value & 0x7F]
    while value := value >> 7:
        out.append(0x80 | value & 0x7F)
    return bytes(reversed(out))


def meta(kind: int, data: bytes, after: int = 0) -> bytes:
    return number(after) + bytes([0xFF, kind]) + number(len(data)) + data


def note(channel: int, after: int = 0) -> bytes:
    return number(after) + bytes([0x90 | channel - 1, 60, 100]) + number(120) + bytes([0x80 | channel - 1, 60, 0])


def file(*tracks: bytes, form: int = 1, division: int = 480) -> bytes:
    chunks = b"".join(b"MTrk" + (len(track) + 4).to_bytes(4, "big") + track + b"\x00\xff\x2f\x00" for track in tracks)
    head = b"".join(part.to_bytes(2, "big") for part in (form, len(tracks), division))
    return b"MThd" + (6).to_bytes(4, "big") + head + chunks


NAME, PORT, DEVICE, TEMPO, SIGNATURE, MARKER = 0x03, 0x21, 0x09, 0x51, 0x58, 0x06
SONG = file(
    meta(NAME, b"Night tide") + meta(TEMPO, (500_000).to_bytes(3, "big")) + meta(SIGNATURE, bytes([3, 2, 24, 8]))
    + meta(MARKER, b"Bells", 480 * 3 * 4) + meta(MARKER, "Küste".encode("latin1"), 480 * 3),
    meta(NAME, b"Glass") + meta(PORT, b"\x01") + note(3) + note(3, 100),
    meta(NAME, "Glöckchen".encode()) + note(10),
    meta(NAME, b"Both") + note(1) + note(2),
    note(4),
)  # fmt: skip


def test_each_track_says_its_name_its_port_and_its_channel() -> None:
    song = read_midi(SONG)
    assert song.tracks == (
        MidiTrack("Glass", 2, 3, "", 2), MidiTrack("Glöckchen", 1, 10, "", 1), MidiTrack("Both", 1, None, "", 2),
        MidiTrack("Track 4", 1, 4, "", 1),
    )  # fmt: skip
    assert (song.name, song.tempo_bpm) == ("Night tide", 120.0)
    assert song.markers == ((5, "Bells"), (6, "Küste"))  # in bars of three quarters


def test_devices_are_ports_where_no_port_is_said() -> None:
    song = read_midi(file(*(meta(NAME, name) + meta(DEVICE, device) + note(1) for name, device in
                            ((b"A", b"Rack one"), (b"B", b"Rack two"), (b"C", b"Rack one")))))  # fmt: skip
    assert [(track.name, track.port, track.device) for track in song.tracks] == [
        ("A", 1, "Rack one"),
        ("B", 2, "Rack two"),
        ("C", 1, "Rack one"),
    ]


def test_a_single_track_on_several_channels_is_one_for_each() -> None:
    song = read_midi(file(meta(NAME, b"Tide") + note(1) + note(10) + note(10), form=0))
    assert [(track.name, track.channel, track.notes) for track in song.tracks] == [("Tide 1", 1, 1), ("Tide 10", 10, 2)]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"MThd", "cannot be read"),
        (SONG[:60], "cannot be read"),
        (b"MTrk" + SONG, "cannot be read"),
        (file(meta(TEMPO, (500_000).to_bytes(3, "big"))), "no track with notes"),
        (b"MThd" + bytes(17 * 1024 * 1024), "has 17 MiB; at most 16"),
    ],
)
def test_what_is_no_midi_file_is_refused_with_a_sentence(data: bytes, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        read_midi(data)


@given(st.lists(st.tuples(st.integers(0, len(SONG) - 1), st.integers(0, 255)), max_size=12))
@tries(300)
def test_whatever_bytes_change_it_is_read_or_refused(changes: list[tuple[int, int]]) -> None:
    data = bytearray(SONG)
    for at, value in changes:
        data[at] = value
    try:
        song = read_midi_here(bytes(data))
    except DocumentError:
        return
    assert all(1 <= track.port <= 1024 and (track.channel is None or 1 <= track.channel <= 16) for track in song.tracks)


def test_changes_of_tempo_are_a_map_by_bars_and_one_tempo_is_none() -> None:
    """Microseconds a quarter: 500,000 are 120 BPM, 625,000 are 96 (RP-001); bars of 3/4 after the signature."""
    fast, slow = (500_000).to_bytes(3, "big"), (625_000).to_bytes(3, "big")
    head = meta(NAME, b"Tides") + meta(SIGNATURE, bytes([3, 2, 24, 8])) + meta(TEMPO, fast)
    changing = file(head + meta(TEMPO, slow, 480 * 3 * 4) + meta(TEMPO, fast, 480 * 4), meta(NAME, b"Glass") + note(3))
    song = read_midi_here(changing)
    assert (song.tempo_bpm, song.tempos) == (120.0, ((1, 120.0), (5, 96.0), (6, 120.0)))  # the last begins within bar 6
    steady = file(head + meta(TEMPO, fast, 480 * 3), meta(NAME, b"Glass") + note(3))
    assert read_midi_here(steady).tempos == ()
