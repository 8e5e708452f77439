"""Where prints are not as mapped: each source in each print, its slots taken together.

Defined in docs/reference/bench.md, *Findings of a reading*.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from lattice.bench.kit.slots import Kit, MidiSlot
from lattice.bench.playing import origin_of
from lattice.bench.prints.model import Outs
from lattice.bench.prints.offsets import NOTE_SAMPLES
from lattice.bench.prints.slot_reading import FLOOR_DB, Out
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import SignalGraph

LEVEL_DB = 0.5  # tolerance of a gain
EXCHANGED_DB = 1.5  # and one that has moved to another channel
Channels = tuple[Out, ...]  # a slot in a print, channel by channel
SURE_DB = FLOOR_DB + 6.0  # between the floor and this a signal may be present or not
MISSING, UNEXPECTED, LEVEL, DELAY, POLARITY, CHANNELS = (
    "asbuilt.missing", "asbuilt.unexpected", "asbuilt.level", "asbuilt.delay", "asbuilt.polarity", "asbuilt.channels",
)  # fmt: skip


class Pair(NamedTuple):
    """A source, and a stem whose print it is looked for in."""

    origin: Origin
    stem: str


class Difference(NamedTuple):
    """One thing that is not as mapped about a source in a print."""

    code: str
    pair: Pair
    expected_db: float | None = None
    read_db: float | None = None
    late_samples: int = 0
    detail: str = ""
    is_wet: bool | None = None  # of unexpected signal: a reverb tail alone; None if notes cannot tell

    @property
    def change_db(self) -> float:
        """How much louder it is than expected."""
        return (self.read_db or 0.0) - (self.expected_db or 0.0)


class Compared(NamedTuple):
    """Differences, and the pairs that are as mapped."""

    differences: list[Difference]
    as_mapped: list[Pair]
    blind: dict[str, frozenset[Pair]]  # code → pairs in which such a fault would not be noticed


def compare(
    kit: Kit, graph: SignalGraph, expected: Mapping[str, Outs], read: Mapping[str, Outs], stems: Sequence[str]
) -> Compared:
    """Every source in every print that was read.

    Parameters
    ----------
    kit, graph
        The kit, and the template.
    expected, read
        Stem → slot → the channels of the model's own rendering, and those of the print.
    stems
        Stems that are compared, in document order.
    """
    groups: dict[Origin, list[int]] = {}
    notes = {slot.slot for slot in kit.slots if isinstance(slot, MidiSlot)}
    for slot in kit.slots:
        origin = origin_of(slot, graph)
        if origin is not None:
            groups.setdefault(origin, []).append(slot.slot)
    found = Compared([], [], {})
    blind: dict[str, set[Pair]] = {CHANNELS: set(), DELAY: set(), POLARITY: set()}
    for origin, slots in groups.items():
        for stem in stems:
            pair = Pair(origin, stem)
            model = [expected[stem].get(slot, ()) for slot in slots]
            mine = [read[stem].get(slot, ()) for slot in slots]
            different = list(_pair(pair, model, mine, is_note=slots[0] in notes))
            found.differences.extend(different)
            if any(one.present for outs in model for one in outs):
                if not different:
                    found.as_mapped.append(pair)
                there = [one for outs in model for one in outs if one.present]
                if all(_is_even(outs) for outs in model):
                    blind[CHANNELS].add(pair)
                if all(one.delay_samples is None for one in there):
                    blind[DELAY].add(pair)
                if not any(one.is_coherent for one in there):
                    blind[POLARITY].add(pair)
    return found._replace(blind={code: frozenset(pairs) for code, pairs in blind.items()})


def _is_even(outs: Sequence[Out]) -> bool:
    levels = [one.gain_db or 0.0 for one in outs if one.present]
    return not levels or (len(levels) == len(outs) and max(levels) - min(levels) < LEVEL_DB)


def _pair(
    pair: Pair, model: list[tuple[Out, ...]], mine: list[tuple[Out, ...]], *, is_note: bool
) -> Iterator[Difference]:
    """A deviation of one source in one print from the map."""
    slots = list(zip(model, mine, strict=True))
    lost = [n for n, (was, now) in enumerate(slots) if _heard(was) and not _any(now)]
    new = [n for n, (was, now) in enumerate(slots) if not _any(was) and _heard(now)]
    moved = [n for n, (was, now) in enumerate(slots) if _channels(was, now)]
    kept = [(was, now) for was, now in slots if _any(was) and _any(now)]
    exchanged = not is_note and len(slots) > 1 and (lost or new) and (kept or (lost and new))
    if moved or exchanged:
        yield Difference(CHANNELS, pair, detail=_on_channels(slots))
    else:
        if lost:
            yield Difference(MISSING, pair, expected_db=_loudest(model[n] for n in lost))
        if new:
            is_wet = None if is_note else not any(one.is_coherent for n in new for one in mine[n])
            yield Difference(UNEXPECTED, pair, read_db=_loudest(mine[n] for n in new), is_wet=is_wet)
        yield from _level(pair, kept)
    yield from _delay(pair, kept, is_note=is_note)
    if not moved:
        yield from _polarity(pair, kept)


def _any(outs: Sequence[Out]) -> bool:
    return any(one.present for one in outs)


def _heard(outs: Sequence[Out]) -> bool:
    """Present, and not so near the floor that it might as well not be."""
    return any(one.present and (one.gain_db or 0.0) >= SURE_DB for one in outs)


def _loudest(outs: Iterator[Channels]) -> float | None:
    return max((one.gain_db for each in outs for one in each if one.present and one.gain_db is not None), default=None)


def _channels(was: Sequence[Out], now: Sequence[Out]) -> bool:
    """Return whether a slot that is there is on other channels, or its channels are exchanged."""
    pairs = list(zip(was, now, strict=False))
    if not _any(was) or not _any(now):
        return False
    if any(a.present != b.present and max(a.gain_db or -200, b.gain_db or -200) >= SURE_DB for a, b in pairs):
        return True
    bursts = [{n for n, pair in enumerate(pairs) if pair[side].is_coherent} for side in (0, 1)]
    if bursts[0] - bursts[1] and bursts[1] - bursts[0]:
        return True
    there = [(a, b) for a, b in pairs if a.present and b.present]
    if len(there) < 2 or all(abs(_change(a, b)) <= LEVEL_DB for a, b in there):
        return False
    befores, nows = [a.gain_db or 0.0 for a, _b in there], [b.gain_db or 0.0 for _a, b in there]
    # Wet signal keeps its place, so exchanged levels are similar and not equal.
    within = LEVEL_DB if befores.index(max(befores)) == nows.index(max(nows)) else EXCHANGED_DB
    return all(abs(a - b) <= within for a, b in zip(sorted(befores), sorted(nows), strict=True))


def _change(a: Out, b: Out) -> float:
    return (b.gain_db or 0.0) - (a.gain_db or 0.0)


def _level(pair: Pair, kept: list[tuple[Channels, Channels]]) -> Iterator[Difference]:
    """The largest difference of gain: by the burst where both have it, or by the energy of the whole slot."""
    found: list[tuple[float, float, float]] = []
    for was, now in kept:
        for a, b in zip(was, now, strict=False):
            if not a.present or not b.present:
                continue
            if a.is_coherent == b.is_coherent and a.gain_db is not None and b.gain_db is not None:
                found.append((abs(b.gain_db - a.gain_db), a.gain_db, b.gain_db))
            if a.energy_db is not None and b.energy_db is not None and a.trusted and b.trusted:
                found.append((abs(b.energy_db - a.energy_db), a.energy_db, b.energy_db))
    wrong = max(found, default=(0.0, 0.0, 0.0))
    if wrong[0] > LEVEL_DB:
        yield Difference(LEVEL, pair, expected_db=wrong[1], read_db=wrong[2])


def _delay(pair: Pair, kept: list[tuple[Channels, Channels]], *, is_note: bool) -> Iterator[Difference]:
    late = [
        b.delay_samples - a.delay_samples
        for was, now in kept
        for a, b in zip(was, now, strict=False)
        if a.delay_samples is not None and b.delay_samples is not None and a.present and b.present
    ]
    wrong = [one for one in late if abs(one) > (NOTE_SAMPLES if is_note else 0)]
    if wrong and len(wrong) * 2 > len(late):
        yield Difference(DELAY, pair, late_samples=max(set(wrong), key=lambda one: (wrong.count(one), -abs(one))))


def _polarity(pair: Pair, kept: list[tuple[Channels, Channels]]) -> Iterator[Difference]:
    signs = [
        a.polarity * b.polarity
        for was, now in kept
        for a, b in zip(was, now, strict=False)
        if a.polarity is not None and b.polarity is not None
    ]
    if signs and sum(signs) < 0:
        yield Difference(POLARITY, pair)


def _on_channels(slots: list[tuple[Channels, Channels]]) -> str:
    """“expected on 1, 2; found on 2”."""
    was = sorted({one.channel + 1 for outs, _now in slots for one in outs if one.present})
    now = sorted({one.channel + 1 for _was, outs in slots for one in outs if one.present})
    if was == now:
        return f"channels {', '.join(map(str, was))} swapped"
    return f"expected on {', '.join(map(str, was))}, found on {', '.join(map(str, now)) or 'none'}"
