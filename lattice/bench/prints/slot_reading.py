"""One slot in one channel of a print: presence, gain, delay, polarity."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from lattice.bench.kit.slots import AudioSlot, Kit, MidiSlot, Slot
from lattice.bench.prints.cells import CELL, Cells, PrintCells
from lattice.model.units import gain

FLOOR_DB = -80.0  # gain below which a source is not in a print
EARLY = 4096  # samples before its place from which a burst is looked for
GUARD = 2 * CELL
STANDS_OUT = 3.0  # times the middle of its surroundings: a burst in noise is 1.6, a true one about 30
RISES = 4.0  # times the power before the slot: +6 dB
TRUSTED = 100.0  # times that power: a level by energy is good to a hundredth
COHERENT = 0.1  # share of a slot's energy that the burst explains: less is a wet part alone
TINY = 1e-12
BEGINS = 0.1  # of the peak of a slot: it sounds from there on


class Out(msgspec.Struct, frozen=True, kw_only=True):
    """A slot in one channel of a print."""

    channel: int
    present: bool
    gain_db: float | None = None
    delay_samples: int | None = None
    polarity: int | None = None
    onset_samples: int | None = None  # of wet-only signal: its first sample, as exactly as reverbs are alike
    energy_db: float | None = None  # gain by the energy of the whole slot, wet parts and tails in it
    trusted: bool = False  # the energy is well above the energy before

    @property
    def is_coherent(self) -> bool:
        """Return whether the burst itself is in it, and not its tail alone."""
        return self.polarity is not None


def read_slot(kit: Kit, slot: Slot, cells: PrintCells, offset: int, pilot_energy: float) -> tuple[Out, ...]:
    """Read a slot in a print, channel by channel.

    Parameters
    ----------
    kit, slot
        The kit, and one of its slots.
    cells
        The print.
    offset
        Samples by which the print begins late.
    pilot_energy
        Sum of squares of the signal of a slot, without its tone.
    """
    if isinstance(slot, AudioSlot):
        return tuple(_audio(kit, slot, one, n, offset, pilot_energy) for n, one in enumerate(cells.channels))
    return tuple(_note(slot, one, n, offset, pilot_energy) for n, one in enumerate(cells.channels))


def _cells(first: int, last: int, cells: Cells) -> slice:
    """Whole cells between two samples."""
    return slice(max(-(-first // CELL), 0), max(min(last // CELL, len(cells.burst)), 0))


def _powers(slot: Slot, energy: NDArray[np.float64], cells: Cells, offset: int, early: int = 0) -> tuple[float, float]:
    """Energy of a slot that starts so many samples early, and the part of it that precedes the slot."""
    begins, ends = slot.begins_at + offset - early, slot.end_at + offset - early
    before = energy[_cells(begins - EARLY, begins - CELL, cells)]
    inside = energy[_cells(begins, ends, cells)]
    there = float(before.mean()) * len(inside) if len(before) else 0.0
    return float(inside.sum()), there


def _by_energy(energy: float, there: float, pilot_energy: float) -> tuple[float | None, bool, bool]:
    """Gain by energy, dB; whether it exceeds the energy before, and whether by far."""
    left = energy - there
    if left <= TINY * pilot_energy or pilot_energy <= 0:
        return None, False, False
    level_db = 10 * math.log10(left / pilot_energy)
    return level_db, level_db >= FLOOR_DB and energy >= RISES * there, energy >= TRUSTED * there


def _audio(kit: Kit, slot: AudioSlot, cells: Cells, number: int, offset: int, pilot_energy: float) -> Out:
    energy, there = _powers(slot, cells.broad, cells, offset)
    energy_db, rises, trusted = _by_energy(energy, there, pilot_energy)
    begins, burst = slot.burst_at + offset, (1 << kit.burst.order) - 1
    # The burst of the next slot begins to show so much before it.
    ends = max(slot.end_at + offset - burst - GUARD, begins + burst)
    window = _cells(begins - EARLY, ends, cells)
    values = np.abs(cells.burst[window])
    if len(values):
        highest = float(values.max())
        level_db = 20 * math.log10(highest / gain(kit.burst.peak_dbfs)) if highest > TINY else -math.inf
        stands_out = highest > STANDS_OUT * float(np.median(values))
        explained = energy_db is not None and level_db >= energy_db + 10 * math.log10(COHERENT)
        if level_db >= FLOOR_DB and stands_out and (explained or not rises):
            # Of several within half a decibel, the first: nothing else distinguishes two equal paths.
            at = window.start + int(np.argmax(values >= 0.944 * highest))
            found, delay = float(cells.burst[at]), int(cells.burst_at[at]) - begins
            if delay < 0:
                early = _powers(slot, cells.broad, cells, offset, CELL - delay)
                energy_db, _rises, trusted = _by_energy(*early, pilot_energy)
            return Out(
                channel=number, present=True, gain_db=round(20 * math.log10(abs(found) / gain(kit.burst.peak_dbfs)), 3),
                delay_samples=delay, polarity=1 if found > 0 else -1,
                energy_db=None if energy_db is None else round(energy_db, 3), trusted=trusted,
            )  # fmt: skip
    if rises:
        level_db = round(energy_db or 0.0, 3)
        window = _cells(begins - EARLY, slot.end_at + offset, cells)
        return Out(
            channel=number, present=True, gain_db=level_db, energy_db=level_db, trusted=trusted,
            onset_samples=_onset(cells, window, begins),
        )  # fmt: skip
    return Out(channel=number, present=False)


def _note(slot: MidiSlot, cells: Cells, number: int, offset: int, _pilot_energy: float) -> Out:
    """A note: its peak, dBFS, as its gain; its onset as its delay."""
    energy, there = _powers(slot, cells.energy, cells, offset)
    begins = slot.note_at + offset
    window = _cells(begins, slot.end_at + offset, cells)
    peak = float(cells.peak[window].max()) if window.stop > window.start else 0.0
    if peak < gain(FLOOR_DB) or energy < RISES * there:
        return Out(channel=number, present=False)
    onset = _onset(cells, _cells(begins - EARLY, slot.end_at + offset, cells), begins)
    level_db = round(20 * math.log10(peak), 3)
    return Out(channel=number, present=True, gain_db=level_db, delay_samples=onset, energy_db=None, trusted=False)


def _onset(cells: Cells, window: slice, begins: int) -> int | None:
    """Samples from its place to where a slot begins to sound in a channel."""
    onsets, peaks = cells.onset[window], cells.peak[window]
    if not len(peaks):
        return None
    sounding = np.flatnonzero((onsets >= 0) & (peaks >= BEGINS * peaks.max()))
    return int(onsets[sounding[0]]) - begins if len(sounding) else None


def first_present(outs: Sequence[Out]) -> Out | None:
    """The loudest channel with an arrival; a wet-only one if no other has any."""
    timed = [one for one in outs if one.present and one.delay_samples is not None]
    wet = [one for one in outs if one.present and one.onset_samples is not None]
    return max(timed or wet, key=lambda one: one.gain_db or 0.0, default=None)


def came_at(one: Out) -> int | None:
    """Samples from its place to where it came."""
    return one.onset_samples if one.delay_samples is None else one.delay_samples
