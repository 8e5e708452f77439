"""A kit for a template: a slot for each channel of a source that plays directly, and for each played note."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator
from typing import NamedTuple

from lattice.analysis import Analysis
from lattice.bench.kit.slots import NOTE_MS, SILENCE_SAMPLES, AudioSlot, Kit, MidiSlot, Slot
from lattice.bench.render.inserts import REVERB_S
from lattice.changes.digests import document_digest
from lattice.errors import EditError
from lattice.graph.origin import Origin
from lattice.model.document import Insert, Strip, main_outlet
from lattice.model.layouts import channel_count
from lattice.model.selectors import select

LEAD_S = 2.0
TAIL_MS = 500.0
MOST_TAIL_S = 4.0  # echoes beyond this are negligible
USUAL_NOTE = 60
UNSAFE = set('/\\:*?"<>|')
ECHO_DB = 60.0  # a delay is over when its repeats have fallen by so much


class Part(NamedTuple):
    """The target of a note: its midi strip, port, channel and number, and the outlet it plays."""

    midi: int
    port: int
    channel: int
    note: int
    outlet: int  # as in Origin


def kit_of(analysis: Analysis, sources: Collection[str] = (), tail_ms: float = TAIL_MS) -> Kit:
    """A pilot kit.

    Parameters
    ----------
    analysis
        Of the template.
    sources
        Selectors of strips (docs/reference/model.md, *Rules*); none: every source.
    tail_ms
        Silence behind each slot, at least. Where a reverb or a delay lies behind the source, it is as long as that
        sounds, at most four seconds.

    Returns
    -------
    Kit
        Slots in document order, the channels of a strip one after the other; no two overlap.

    Raises
    ------
    EditError
        Where no source is named, or the template has none.
    """
    graph, template = analysis.graph, analysis.template
    chosen = select(template, sources) if sources else frozenset(range(len(graph.strips)))
    rate = template.sample_rate_hz
    made = _Making(analysis, rate, tail_ms)
    for origin in analysis.sources:
        if origin.strip in chosen and graph.strips[origin.strip].kind != "instrument":
            made.audio(origin.strip)
    for number in graph.by_kind["instrument"]:
        if number in chosen and graph.strips[number].in_service:
            made.notes(number)
    if not made.slots:
        raise EditError("no active source selected" if sources else "the template has no active source")
    return Kit(
        template=document_digest(template), sample_rate_hz=rate, length_samples=made.at,
        lead_samples=made.lead, slots=tuple(made.slots),
    )  # fmt: skip


class _Making:
    """The slots so far, and where the next one begins."""

    def __init__(self, analysis: Analysis, rate_hz: int, tail_ms: float) -> None:
        self.analysis, self.rate_hz = analysis, rate_hz
        self.tail = round(tail_ms * rate_hz / 1000)
        self.lead = self.at = round(LEAD_S * rate_hz)
        self.slots: list[Slot] = []
        self.pilot = Kit(template="", sample_rate_hz=rate_hz, length_samples=0, lead_samples=0)
        self.burst_samples = (1 << self.pilot.burst.order) - 1

    def audio(self, number: int) -> None:
        """A slot for each channel of a strip that plays a recording, or that is played into."""
        strip = self.analysis.graph.strips[number]
        file = f"pilots/{len(self.slots) + 1:04d} {file_name(strip.name)}.wav"
        for channel in range(channel_count(strip.layout)):
            tone_at = self.at + self.burst_samples + SILENCE_SAMPLES
            end = tone_at + self.pilot.tone.length_samples + self._tail(number)
            self.slots.append(
                AudioSlot(
                    slot=len(self.slots) + 1, source=strip.id, channel=channel, file=file,
                    burst_at=self.at, tone_at=tone_at, end_at=end,
                )
            )  # fmt: skip
            self.at = end

    def notes(self, number: int) -> None:
        """A slot for each note of each midi strip that plays an instrument; none where nothing plays it."""
        graph = self.analysis.graph
        strip = graph.strips[number]
        sounding = {origin for origin in self.analysis.sources if origin.strip == number}
        for part in parts_played(self.analysis, number):
            if Origin(number, part.outlet) not in sounding:
                continue
            end = self.at + round(NOTE_MS * self.rate_hz / 1000) + self._tail(number)
            self.slots.append(
                MidiSlot(
                    slot=len(self.slots) + 1, source=strip.id, outlet=_outlet_id(self.analysis, number, part.outlet),
                    midi_strip=graph.strips[part.midi].id, port=part.port, midi_channel=part.channel, note=part.note,
                    note_at=self.at, end_at=end,
                )
            )  # fmt: skip
            self.at = end

    def _tail(self, number: int) -> int:
        strips = self.analysis.graph.strips
        behind = (insert for strip in self.analysis.downstream(number) for insert in strips[strip].inserts)
        longest = max((sounds_on_s(insert) for insert in behind), default=0.0)
        return max(self.tail, round(min(longest, MOST_TAIL_S) * self.rate_hz))


def sounds_on_s(insert: Insert) -> float:
    """How long an insert sounds on, s: a reverb's noise, a delay's repeats down to −60 dB."""
    if insert.state != "on" or not insert.wet or not insert.traits.has_tail:
        return 0.0
    if not insert.traits.repeats:
        return REVERB_S + (insert.pre_delay_ms or 0.0) / 1000
    repeats = 1.0
    if 0 < insert.feedback < 1:
        repeats += ECHO_DB / -(20 * math.log10(insert.feedback))
    return repeats * (insert.delay_ms or 0.0) / 1000


def _outlet_id(analysis: Analysis, number: int, outlet: int) -> str | None:
    if outlet >= 0:
        return analysis.graph.outlets[outlet][1].id
    main = main_outlet(analysis.graph.strips[number])
    return main.id if main else None


def file_name(name: str) -> str:
    """A strip's name as a file may have it."""
    kept = "".join("_" if letter in UNSAFE or not letter.isprintable() else letter for letter in name)
    return kept.strip(" .")[:80] or "strip"


def parts_played(analysis: Analysis, number: int) -> Iterator[Part]:
    """The notes of midi strips for an instrument: one for each of its parts, or one on its main outlet."""
    graph, strip = analysis.graph, analysis.graph.strips[number]
    for midi, port, channel in _playing(analysis, number):
        played = [one for one in strip.parts if one.port == port and _meet(one.channel, channel)]
        for part in played:
            yield Part(midi, port, part.channel or channel or 1, USUAL_NOTE if part.note is None else part.note,
                       _outlet_number(graph.outlet_index, strip, number, part.outlet))  # fmt: skip
        if not strip.parts:
            yield Part(midi, port, channel or 1, USUAL_NOTE, Origin(number).outlet)


def _meet(of_part: int | None, of_route: int | None) -> bool:
    """Return whether a part receives a route's channel; None is all channels."""
    return None in (of_part, of_route) or of_part == of_route


def _outlet_number(index: dict[tuple[int, str], int], strip: Strip, number: int, outlet: str | None) -> int:
    main = main_outlet(strip)
    if outlet is None or (main is not None and outlet == main.id):
        return Origin(number).outlet
    return index.get((number, outlet), Origin(number).outlet)


def _playing(analysis: Analysis, number: int) -> Iterator[tuple[int, int, int | None]]:
    """(midi strip, port, channel or None for all) of notes that reach an instrument, also by other midi strips."""
    graph = analysis.graph
    into: dict[int, list[int]] = {}
    for route in graph.midis:
        if graph.routes[route].enabled:
            into.setdefault(graph.head[route], []).append(route)
    for last in into.get(number, ()):
        port, channel = graph.routes[last].port or 1, graph.routes[last].channel
        seen, waiting = set[int](), [graph.tail[last]]
        while waiting:
            tail = waiting.pop(0)
            if tail in seen:
                continue
            seen.add(tail)
            if graph.strips[tail].kind == "midi" and graph.strips[tail].in_service:
                before = [graph.tail[route] for route in into.get(tail, ())]
                if all(graph.strips[one].kind != "midi" for one in before):
                    yield tail, port, channel
                waiting += before
