"""A kit as a ZIP: a Broadcast Wave file for every audio source, the notes, the cue sheet, and `kit.json`."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from typing import IO

import mido
import numpy as np

from lattice.bench.kit.slots import NOTE_MS, AudioSlot, Kit, MidiSlot, dump, load
from lattice.bench.kit.wave import broadcast_wave
from lattice.bench.progress import CountProgress, no_progress
from lattice.bench.timecode import at_timecode, samples_before
from lattice.errors import DocumentError
from lattice.formats.table import write
from lattice.model.document import Template

TICKS_A_BEAT = 24000  # at 120 bpm and 48 kHz a sample
VELOCITY = 100
MOST_JSON_BYTES = 64 * 1024 * 1024
MADE_ON = (1980, 1, 1, 0, 0, 0)  # the first time a ZIP can say, so that the same kit is the same bytes
CUE_HEADS = (
    "slot", "start_samples", "timecode", "strip", "section", "channel", "file", "port", "midi_channel", "note",
)  # fmt: skip


def write_kit(kit: Kit, template: Template, to: IO[bytes], progress: CountProgress = no_progress) -> None:
    """Writes a kit as a ZIP.

    Parameters
    ----------
    kit, template
        The kit, and the template it was made for.
    to
        A file to write to.
    progress
        Called with the number of files written and the total; an exception it raises ends the writing.
    """
    files = pilots(kit)
    with zipfile.ZipFile(to, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as package:
        _add(package, "kit.json", dump(kit))
        _add(package, "cue.csv", cue_csv(kit, template))
        if any(isinstance(slot, MidiSlot) for slot in kit.slots):
            _add(package, "pilots.mid", notes(kit, template))
        line = kit.pilot()
        start = samples_before(template)
        for done, (name, slots) in enumerate(files, start=1):
            first, last = slots[0].burst_at, slots[-1].burst_at + len(line)
            samples = np.zeros((len(slots), last - first))
            for slot in slots:
                samples[slot.channel, slot.burst_at - first : slot.burst_at - first + len(line)] = line
            _add(package, name, broadcast_wave(samples, kit.sample_rate_hz, start + first, slots[0].source))
            progress(done, len(files))


def _add(package: zipfile.ZipFile, name: str, data: bytes) -> None:
    entry = zipfile.ZipInfo(name, MADE_ON)
    entry.compress_type = zipfile.ZIP_DEFLATED
    package.writestr(entry, data)


def pilots(kit: Kit) -> list[tuple[str, list[AudioSlot]]]:
    """File → its slots, channel by channel."""
    found: dict[str, list[AudioSlot]] = {}
    for slot in kit.slots:
        if isinstance(slot, AudioSlot):
            found.setdefault(slot.file, []).append(slot)
    return list(found.items())


def read_kit(data: IO[bytes]) -> Kit:
    """Return the kit of a ZIP or a `kit.json`. Raises DocumentError if the file has none."""
    head = data.read(2)
    data.seek(0)
    if head != b"PK":
        return load(data.read(MOST_JSON_BYTES))
    try:
        with zipfile.ZipFile(data) as package, package.open("kit.json") as entry:
            return load(entry.read(MOST_JSON_BYTES))
    except KeyError:
        raise DocumentError(["the ZIP has no kit.json"]) from None
    except (zipfile.BadZipFile, OSError, EOFError, ValueError) as wrong:
        raise DocumentError([f"the ZIP is damaged: {wrong}"]) from None


def cue_rows(kit: Kit, template: Template) -> Iterator[tuple[object, ...]]:
    """A row for each slot, under CUE_HEADS."""
    names = {strip.id: strip for strip in template.strips}
    sections = {section.id: section.name for section in template.sections}
    for slot in kit.slots:
        strip = names.get(slot.source)
        shown = strip.name if strip else slot.source
        section = sections.get((strip.section if strip else None) or "", "")
        where = at_timecode(template, slot.begins_at)
        if isinstance(slot, AudioSlot):
            yield slot.slot, slot.burst_at, where, shown, section, slot.channel + 1, slot.file, "", "", ""
        else:
            yield (
                slot.slot, slot.note_at, where, shown, section, slot.outlet or "", "pilots.mid",
                slot.port, slot.midi_channel, slot.note,
            )  # fmt: skip


def cue_csv(kit: Kit, template: Template) -> bytes:
    """The cue sheet."""
    return write([CUE_HEADS, *([str(cell) for cell in row] for row in cue_rows(kit, template))])


def notes(kit: Kit, template: Template) -> bytes:
    """A Standard MIDI File, type 1: a track for each midi strip, a note in each of its slots (MIDI 1.0, RP-001)."""
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_A_BEAT, charset="utf-8")
    first = mido.MidiTrack()
    first.append(mido.MetaMessage("set_tempo", tempo=min(round(60e6 / template.tempo_bpm), 0xFFFFFF)))
    file.tracks.append(first)
    names = {strip.id: strip.name for strip in template.strips}
    by_strip: dict[str, list[MidiSlot]] = {}
    for slot in kit.slots:
        if isinstance(slot, MidiSlot):
            by_strip.setdefault(slot.midi_strip, []).append(slot)
    for strip, slots in by_strip.items():
        file.tracks.append(_track(kit, template.tempo_bpm, names.get(strip, strip), slots, names))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _track(kit: Kit, tempo_bpm: float, name: str, slots: list[MidiSlot], names: dict[str, str]) -> mido.MidiTrack:
    track = mido.MidiTrack([mido.MetaMessage("track_name", name=name)])
    ticks_a_sample = TICKS_A_BEAT * tempo_bpm / 60 / kit.sample_rate_hz
    length = round(NOTE_MS * kit.sample_rate_hz / 1000)
    now, device = 0, ("", 0)
    for slot in slots:
        begins, ends = (round(at * ticks_a_sample) for at in (slot.note_at, slot.note_at + length))
        if device != (slot.source, slot.port):
            device = slot.source, slot.port
            track.append(mido.MetaMessage("device_name", name=f"{names.get(slot.source, slot.source)} {slot.port}"))
            track.append(mido.MetaMessage("midi_port", port=min(slot.port - 1, 255)))
        sounding = {"channel": slot.midi_channel - 1, "note": slot.note}
        track.append(mido.Message("note_on", time=begins - now, velocity=VELOCITY, **sounding))
        track.append(mido.Message("note_off", time=ends - begins, velocity=0, **sounding))
        now = ends
    return track
