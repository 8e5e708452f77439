"""The contents of a kit, its signals and slots, as in `kit.json`. Prints are read by these alone."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import msgspec
import numpy as np
from msgspec import Meta

from lattice.bench.render.lines import Block
from lattice.bench.signals import BURST_ORDER, TONE_HZ, burst, tone
from lattice.errors import DocumentError
from lattice.model.document import SampleRate
from lattice.model.units import gain

FORMAT = "intact-lattice.kit"
SILENCE_SAMPLES = 2048  # between burst and tone
PEAK_DBFS = -18.0
MOST_SLOTS = 100_000
NOTE_MS = 500
Sample = Annotated[int, Meta(ge=0, le=1 << 40)]
Piece = Annotated[str, Meta(min_length=1, max_length=200)]


class Burst(msgspec.Struct, frozen=True):
    """A maximum-length sequence of 2^order − 1 samples, ±peak."""

    order: Annotated[int, Meta(ge=8, le=18)] = BURST_ORDER
    peak_dbfs: Annotated[float, Meta(ge=-80, le=0)] = PEAK_DBFS


class Tone(msgspec.Struct, frozen=True):
    """A sine that fades in and out."""

    hz: Annotated[float, Meta(gt=0)] = TONE_HZ
    length_samples: Sample = 12000
    fade_samples: Sample = 480
    peak_dbfs: Annotated[float, Meta(ge=-80, le=0)] = PEAK_DBFS


class AudioSlot(msgspec.Struct, frozen=True, tag_field="kind", tag="audio", kw_only=True):
    """One channel of a source that plays a pilot."""

    slot: int
    source: Piece
    outlet: str | None = None
    channel: Annotated[int, Meta(ge=0, lt=64)]
    file: Piece
    burst_at: Sample
    tone_at: Sample
    end_at: Sample

    @property
    def begins_at(self) -> int:
        """Its first sample."""
        return self.burst_at


class MidiSlot(msgspec.Struct, frozen=True, tag_field="kind", tag="midi", kw_only=True):
    """One note of an instrument, with the outlet it plays."""

    slot: int
    source: Piece
    outlet: str | None = None
    channel: None = None
    midi_strip: Piece
    port: Annotated[int, Meta(ge=1, le=1024)] = 1
    midi_channel: Annotated[int, Meta(ge=1, le=16)] = 1
    note: Annotated[int, Meta(ge=0, le=127)] = 60
    note_at: Sample
    end_at: Sample

    @property
    def begins_at(self) -> int:
        """Its first sample."""
        return self.note_at


Slot = AudioSlot | MidiSlot


class Kit(msgspec.Struct, frozen=True, kw_only=True):
    """A pilot kit."""

    format: Literal["intact-lattice.kit"] = "intact-lattice.kit"
    version: Literal[1] = 1
    template: str
    sample_rate_hz: SampleRate
    length_samples: Sample
    lead_samples: Sample
    burst: Burst = Burst()
    tone: Tone = Tone()
    slots: Annotated[tuple[Slot, ...], Meta(max_length=MOST_SLOTS)] = ()

    def pilot(self) -> Block:
        """Burst, silence and tone as every audio slot plays them: (samples,)."""
        first = burst(self.burst.order) * gain(self.burst.peak_dbfs)
        last = tone(
            self.tone.peak_dbfs, self.sample_rate_hz, self.tone.length_samples, self.tone.fade_samples, self.tone.hz
        )
        return np.concatenate((first, np.zeros(SILENCE_SAMPLES), last))

    @property
    def turns(self) -> float:
        """Of the tone, each sample."""
        return self.tone.hz / self.sample_rate_hz

    @property
    def digest(self) -> str:
        """The name in readings."""
        import hashlib  # noqa: PLC0415

        return hashlib.sha256(dump(self)).hexdigest()


def dump(kit: Kit) -> bytes:
    """`kit.json`: a line for each slot."""
    plain = msgspec.to_builtins(kit)
    slots = plain.pop("slots")
    lines = [f' "{name}": {msgspec.json.encode(value).decode()}' for name, value in plain.items()]
    rows = ",\n".join(f"  {msgspec.json.encode(slot).decode()}" for slot in slots)
    return ("{\n" + ",\n".join([*lines, f' "slots": [\n{rows}\n ]']) + "\n}\n").encode()


def load(data: bytes) -> Kit:
    """A kit from its JSON. Raises DocumentError, with sentences, where it is none or its slots overlap."""
    try:
        plain: Any = msgspec.json.decode(data)
    except msgspec.DecodeError as wrong:
        raise DocumentError([f"kit.json is not JSON: {wrong}"]) from None
    if not isinstance(plain, dict) or plain.get("format") != FORMAT:
        raise DocumentError(["kit.json is not a pilot kit"])
    try:
        kit = msgspec.convert(plain, Kit)
    except msgspec.ValidationError as wrong:
        raise DocumentError([f"kit.json: {wrong}"]) from None
    problems = []
    end = 0
    for slot in kit.slots:
        if slot.begins_at < end:
            problems.append(f"slot {slot.slot} starts at {slot.begins_at}, before the previous slot ends")
        if slot.end_at <= slot.begins_at or slot.end_at > kit.length_samples:
            problems.append(f"slot {slot.slot} ends at {slot.end_at}, outside the kit")
        end = max(end, slot.end_at)
    if not kit.slots:
        problems.append("the kit has no slot")
    if problems:
        raise DocumentError(problems)
    return kit
