"""The start offset of a print: the delay most of its slots share, as opposed to single late slots."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from lattice.bench.kit.slots import Kit, MidiSlot
from lattice.bench.prints.cells import PrintCells
from lattice.bench.prints.slot_reading import FLOOR_DB, Out, came_at, first_present
from lattice.model.units import gain

MOST_S = 10.0  # that a print may begin early or late
NOTE_SAMPLES = 24  # how exactly a note's onset is known: 0.5 ms at 48 kHz
AROUND = 32  # cells on either side in which a burst is the highest
ALIKE_DB = 1.0
ALIKE = 0.05  # of a voice more, for a slot at the level that is expected
NEVER = 1 << 60
A_TENTH = 0.1
QUIET_CELLS = 16  # of quiet before something begins


class Expected(NamedTuple):
    """The expected prominent signal of a slot in a print: sample, gain and its accuracy."""

    at: int
    gain_db: float
    within: int


def slot_weights(kit: Kit) -> dict[int, float]:
    """Slot → its share of its source's vote: a source of six channels is late once, not six times."""
    count = Counter((slot.source, slot.outlet) for slot in kit.slots)
    return {slot.slot: 1 / count[slot.source, slot.outlet] for slot in kit.slots}


def expected_places(kit: Kit, outs: Mapping[int, Sequence[Out]]) -> list[Expected]:
    """Places of the slots that the model's own rendering has in a print."""
    found = []
    for slot in kit.slots:
        one = first_present(outs.get(slot.slot, ()))
        came = came_at(one) if one is not None else None
        if one is not None and came is not None:
            within = NOTE_SAMPLES if isinstance(slot, MidiSlot) or one.delay_samples is None else 0
            found.append(Expected(slot.begins_at + came, one.gain_db or 0.0, within))
    exact = [place for place in found if not place.within]
    return exact or found


def bursts_in(kit: Kit, cells: PrintCells) -> list[tuple[int, float]]:
    """(sample, gain in dB) of every prominent burst in a print."""
    if not cells.channels or not len(cells.channels[0].burst):
        return []
    values = np.abs(np.stack([one.burst for one in cells.channels]))
    best = values.argmax(axis=0)
    top = values.max(axis=0)
    padded = np.pad(top, AROUND)
    around = np.lib.stride_tricks.sliding_window_view(padded, 2 * AROUND + 1).max(axis=1)
    middle = _middle(top)
    level = gain(kit.burst.peak_dbfs)
    standing = np.flatnonzero((top == around) & (top > 3.0 * middle) & (top > level * gain(FLOOR_DB)))
    return [
        (int(cells.channels[best[at]].burst_at[at]), float(20 * np.log10(top[at] / level))) for at in standing.tolist()
    ]


def _middle(top: NDArray[np.floating]) -> NDArray[np.floating]:
    """Median of stretches of 64 cells, for each cell."""
    count = -(-len(top) // 64)
    rows = np.pad(top, (0, count * 64 - len(top))).reshape(count, 64)
    return np.repeat(np.median(rows, axis=1), 64)[: len(top)]


def onsets_in(cells: PrintCells) -> list[tuple[int, float]]:
    """(sample, peak in dBFS) of every place where something begins out of quiet."""
    if not cells.channels or not len(cells.channels[0].peak):
        return []
    peaks = np.max(np.stack([one.peak for one in cells.channels]), axis=0)
    onsets = np.stack([np.where(one.onset < 0, np.iinfo(np.int64).max, one.onset) for one in cells.channels]).min(
        axis=0
    )
    before = np.lib.stride_tricks.sliding_window_view(np.pad(peaks, (QUIET_CELLS, 0)), QUIET_CELLS).max(axis=1)[
        : len(peaks)
    ]
    rising = np.flatnonzero((peaks > gain(FLOOR_DB)) & (before < 0.1 * peaks) & (onsets < NEVER))
    found: list[tuple[int, float]] = []
    last = -QUIET_CELLS
    for at in rising.tolist():
        if at - last >= QUIET_CELLS:  # a rise that continues from there is the same
            loudest = float(peaks[at : at + QUIET_CELLS].max())
            found.append((int(onsets[at]), 20 * math.log10(loudest)))
            last = at
    return found


def votes(kit: Kit, cells: PrintCells, places: Iterable[Expected]) -> dict[int, float]:
    """Offset → how many slots speak for it; those that come at the level expected a little louder."""
    bursts, onsets = bursts_in(kit, cells), onsets_in(cells)
    most = round(MOST_S * kit.sample_rate_hz)
    found: dict[int, float] = {}
    for place in places:
        heard = onsets if place.within else bursts
        moments = np.array([at for at, _level in heard])
        for number in np.flatnonzero(np.abs(moments - place.at) <= most).tolist() if len(moments) else ():
            at, level_db = heard[number]
            weight = 1.0 + (ALIKE if abs(level_db - place.gain_db) < ALIKE_DB else 0.0)
            found[at - place.at] = found.get(at - place.at, 0.0) + weight
    return _gathered(found, max((place.within for place in places), default=0)) if found else {}


def _gathered(found: dict[int, float], within: int) -> dict[int, float]:
    """Offsets that differ by less than an onset is known by speak together."""
    if not within:
        return found
    ordered = sorted(found)
    at = np.array(ordered)
    weights = np.concatenate(([0.0], np.cumsum([found[one] for one in ordered])))
    low, high = np.searchsorted(at, at - within), np.searchsorted(at, at + within, side="right")
    return dict(zip(ordered, (weights[high] - weights[low]).tolist(), strict=True))


def best_offset(found: Mapping[int, float], near: int = 0) -> int | None:
    """The offset with the most votes; of several, the one nearest to that of the other prints."""
    if not found:
        return None
    most = max(found.values())
    return min(
        (offset for offset, weight in found.items() if weight >= most - ALIKE - 1e-9),
        key=lambda one: (abs(one - near), one),
    )


def offsets_by_votes(each: Iterable[Mapping[int, float]], near_samples: int) -> list[int]:
    """Offsets by the votes of slots of all prints, most first; 0 alone if no slot has signal.

    Of equal ones the nearest to 0. Less than a tenth of the most votes is chance. An offset farther than `near_samples`
    from the first confuses two slots.
    """
    total: dict[int, float] = {}
    for found in each:
        for offset, weight in found.items():
            total[offset] = total.get(offset, 0.0) + weight
    first = best_offset(total)
    if first is None:
        return [0]
    others = [
        offset
        for offset, weight in total.items()
        if 0 < abs(offset - first) <= near_samples and weight >= A_TENTH * total[first]
    ]
    return [first, *sorted(others, key=lambda offset: (-total[offset], abs(offset), offset))]
