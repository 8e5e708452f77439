"""Signals of the sources while a kit plays: pilots in their slots, and notes of the mapped instruments."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

import numpy as np

from lattice.bench.kit.slots import NOTE_MS, AudioSlot, Kit, MidiSlot
from lattice.bench.render.lines import Block, Sound
from lattice.bench.signals import Signal, tone
from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Strip, main_outlet, source_of
from lattice.model.layouts import channel_count


class Cues:
    """The same line, or several, at places in time, each on some channels: (channels, samples)."""

    def __init__(self, channels: int, cues: Sequence[tuple[int, Block, Sequence[int]]]) -> None:
        self.channels = channels
        self.cues = sorted(cues, key=lambda cue: cue[0])
        self._ends = [start + len(line) for start, line, _on in self.cues]

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) from a sample on."""
        out: Sound = None
        at = bisect_right(self._ends, start)
        while at < len(self.cues) and self.cues[at][0] < start + count:
            first, line, channels = self.cues[at]
            begin, end = max(first, start), min(self._ends[at], start + count)
            if out is None:
                out = np.zeros((self.channels, count))
            out[list(channels), begin - start : end - start] = line[begin - first : end - first]
            at += 1
        return out

    def next_sound(self, start: int) -> int | None:
        """The first sample at or behind `start` that may sound."""
        at = bisect_right(self._ends, start)
        return max(start, self.cues[at][0]) if at < len(self.cues) else None


def playing(kit: Kit, graph: SignalGraph) -> dict[Origin, Signal]:
    """The signal of each source while a kit plays.

    Parameters
    ----------
    kit
        The kit; slots of strips and outlets that the template does not have are passed over.
    graph
        Of the template that is played.

    Returns
    -------
    dict
        Source → its pilots, or its notes: 500 ms of a sine at the peak that the source states, on every channel.
    """
    pilot, rate = kit.pilot(), kit.sample_rate_hz
    cues: dict[Origin, list[tuple[int, Block, Sequence[int]]]] = {}
    channels: dict[Origin, int] = {}
    notes: dict[float, Block] = {}
    for slot in kit.slots:
        origin = origin_of(slot, graph)
        if origin is None:
            continue
        strip = graph.strips[origin.strip]
        outlet = main_outlet(strip) if origin.is_chain else graph.outlets[origin.outlet][1]
        width = channels[origin] = channel_count(strip.layout if origin.is_chain or not outlet else outlet.layout)
        if isinstance(slot, AudioSlot):
            if slot.channel < width:
                cues.setdefault(origin, []).append((slot.burst_at, pilot, (slot.channel,)))
            continue
        source = source_of(strip, outlet)
        if source is not None:
            line = notes.get(source.peak_dbfs)
            if line is None:
                line = notes[source.peak_dbfs] = tone(source.peak_dbfs, rate, round(NOTE_MS * rate / 1000), 0)
            cues.setdefault(origin, []).append((slot.note_at, line, range(width)))
    return {origin: Cues(channels[origin], its) for origin, its in cues.items()}


def origin_of(slot: AudioSlot | MidiSlot, graph: SignalGraph) -> Origin | None:
    """The source of a slot; None where the template does not have it."""
    number = graph.index.get(slot.source)
    if number is None:
        return None
    strip: Strip = graph.strips[number]
    main = main_outlet(strip)
    if slot.outlet is None or (main is not None and slot.outlet == main.id):
        return Origin(number)
    outlet = graph.outlet_index.get((number, slot.outlet), NO_OUTLET)
    return Origin(number, outlet) if outlet >= 0 else None
