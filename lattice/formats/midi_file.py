"""Standard MIDI Files (MIDI 1.0, RP-001) to tracks of notes, with name, port and channel; tempo and markers."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from io import BytesIO
from typing import Any

import mido

from lattice.apart import read_apart
from lattice.errors import DocumentError
from lattice.model.document import LONGEST_LABEL

BEGINS = b"MThd"
MOST_BYTES = 16 * 1024 * 1024
MOST_TRACKS = 2000
MOST_PORTS = 1024
MOST_MARKERS = 1000
MICROSECONDS = 60_000_000  # a minute
USUAL_BPM = 120.0  # without a tempo in the file (RP-001)


@dataclass(frozen=True)
class MidiTrack:
    """One track of notes. `channel` None: several; `port` counts from 1."""

    name: str
    port: int
    channel: int | None
    device: str = ""
    notes: int = 0


@dataclass(frozen=True)
class MidiSong:
    """The contents of a file. Markers are (bar, name) and tempos (bar, BPM), bars from 1."""

    tracks: tuple[MidiTrack, ...]
    tempo_bpm: float = USUAL_BPM
    markers: tuple[tuple[int, str], ...] = ()
    name: str = ""
    tempos: tuple[tuple[int, float], ...] = ()  # empty where one tempo holds throughout


@dataclass
class _TrackContents:
    """The contents of the events of one track."""

    name: str = ""
    port: int | None = None
    device: str = ""
    notes: dict[int, int] = field(default_factory=dict)  # channel, from 1 → notes that begin


def read_midi(data: bytes) -> MidiSong:
    """The tracks of a file that hold notes or are named, read in a process of its own (`read_midi_here`)."""
    return read_apart(f"{__name__}:read_midi_here", data, MidiSong, "the MIDI file")


def read_midi_here(data: bytes) -> MidiSong:
    """The tracks of a file that hold notes or are named.

    Parameters
    ----------
    data
        A Standard MIDI File of format 0, 1 or 2; up to 16 MiB.

    Returns
    -------
    MidiSong
        A track on its port: that of its port event, else a port for each device that is named, in order, else 1. A
        single track on several channels (format 0) becomes one for each channel.

    Raises
    ------
    DocumentError
        If it is not a MIDI file, or has no track with notes.
    """
    if len(data) > MOST_BYTES:
        raise DocumentError([f"the MIDI file has {len(data) / 1024 / 1024:.0f} MiB; at most 16 are allowed"])
    try:
        file = mido.MidiFile(file=BytesIO(data), charset="latin1", clip=True)
    except Exception as wrong:  # mido lets through whatever a byte breaks
        raise DocumentError([f"the MIDI file cannot be read: {str(wrong) or 'it is cut off'}"]) from None
    if len(file.tracks) > MOST_TRACKS:
        raise DocumentError([f"the MIDI file has {len(file.tracks)} tracks; at most {MOST_TRACKS} are allowed"])
    contents = [_contents(track) for track in file.tracks]
    devices = list(dict.fromkeys(one.device for one in contents if one.device and one.notes))
    # In format 1 the first track is the conductor's: its name is the song's (RP-001).
    conducts = file.type == 1 and bool(contents) and not contents[0].notes
    tracks = tuple(_tracks(contents[conducts:], devices, is_single=len(contents) == 1))
    if not tracks:
        raise DocumentError(["the MIDI file has no track with notes or a name"])
    tempos, markers = _conducted(file)
    first = next(iter(tempos.values()), USUAL_BPM)
    changes = tuple(tempos.items()) if len(set(tempos.values())) > 1 else ()
    return MidiSong(tracks, first, markers, contents[0].name if conducts else "", changes)


def _contents(track: Iterable[Any]) -> _TrackContents:
    found = _TrackContents()
    for message in track:
        if message.type == "track_name":
            found.name = found.name or _text(message.name)
        elif message.type == "midi_port":
            found.port = found.port or message.port + 1
        elif message.type == "device_name":
            found.device = found.device or _text(message.name)
        elif message.type == "note_on" and message.velocity:
            found.notes[message.channel + 1] = found.notes.get(message.channel + 1, 0) + 1
    return found


def _text(said: str) -> str:
    """Text of an event: UTF-8 where it is that, else Latin 1, which the standard's examples use; no control signs."""
    raw = said.encode("latin1", errors="replace")
    try:
        said = raw.decode()
    except UnicodeDecodeError:
        said = raw.decode("cp1252", errors="replace")
    return " ".join("".join(sign if sign.isprintable() else " " for sign in said).split())[:LONGEST_LABEL]


def _tracks(contents: list[_TrackContents], devices: list[str], *, is_single: bool) -> Iterator[MidiTrack]:
    for number, one in enumerate(contents, start=1):
        if not one.notes and not one.name:
            continue
        port = one.port or (devices.index(one.device) + 1 if one.device in devices else 1)
        port = min(port, MOST_PORTS)
        if is_single and len(one.notes) > 1:
            for channel, count in sorted(one.notes.items()):
                yield MidiTrack(f"{one.name or 'Notes'} {channel}", port, channel, one.device, count)
            continue
        only = next(iter(one.notes)) if len(one.notes) == 1 else None
        yield MidiTrack(one.name or f"Track {number}", port, only, one.device, sum(one.notes.values()))


def _conducted(file: mido.MidiFile) -> tuple[dict[int, float], tuple[tuple[int, str], ...]]:
    """The last tempo stated in each bar, and markers with their bar, by the time signatures before them."""
    tempos: dict[int, float] = {}
    markers: list[tuple[int, str]] = []
    bar, beats_left_ticks, per_bar = 1, 0.0, float(4 * file.ticks_per_beat)
    for message in mido.merge_tracks(file.tracks) if file.type != 2 else file.tracks[0]:
        beats_left_ticks += message.time
        whole = int(beats_left_ticks // per_bar) if per_bar > 0 else 0
        bar, beats_left_ticks = bar + whole, beats_left_ticks - whole * per_bar
        if message.type == "set_tempo" and message.tempo and len(tempos) < MOST_MARKERS:
            tempos[bar] = round(MICROSECONDS / message.tempo, 3)
        elif message.type == "time_signature":
            per_bar = file.ticks_per_beat * 4 * message.numerator / message.denominator
        elif message.type == "marker" and len(markers) < MOST_MARKERS and _text(message.text):
            markers.append((bar, _text(message.text)))
    return tempos, tuple(markers)
