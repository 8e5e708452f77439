"""Renderer of one strip: its routes and its own source, its chain, its fader."""

from __future__ import annotations

import numpy as np

from lattice.bench.render.inserts import InsertRenderer
from lattice.bench.render.lines import Block, Delay, Sound
from lattice.bench.signals import Signal
from lattice.model.document import Strip
from lattice.model.layouts import balance_gains, channel_count
from lattice.model.units import gain


class Playing:
    """A source at its entry: its signal, delayed."""

    def __init__(self, signal: Signal, late: int) -> None:
        self.signal, self.late = signal, late

    def block(self, start: int, count: int) -> Sound:
        """(channels, count) from a sample of the run on."""
        first = start - self.late
        if first >= 0:
            return self.signal.block(first, count)
        if first + count <= 0:
            return None
        new = self.signal.block(0, first + count)
        return None if new is None else np.concatenate((np.zeros((len(new), -first)), new), axis=1)

    def next_sound(self, start: int) -> int | None:
        """The first sample at or behind `start` that may sound."""
        found = self.signal.next_sound(max(start - self.late, 0))
        return None if found is None else found + self.late


class RouteWork:
    """A route: the sound at its tap, through its matrix and gain, delayed."""

    def __init__(self, matrix: Block | None, level: float, late: int) -> None:
        if matrix is not None and level != 1.0:
            matrix, level = matrix * level, 1.0
        self.matrix, self.level, self.delay = matrix, level, Delay(late)

    def feed(self, block: Sound, count: int) -> Sound:
        """The input during a block of output."""
        if block is not None:
            if self.matrix is not None:  # of one channel spread over others, a product is that of each sample
                block = self.matrix * block if len(block) == 1 else self.matrix @ block
            elif self.level != 1.0:
                block = block * self.level
        return self.delay.feed(block, count)


class StripRenderer:
    """A strip: its active chain, in parts that end before keyed inserts, and the stages after its fader.

    Parameters
    ----------
    strip
        The strip.
    waits
        Position of an insert → the delay of the sound there for its key.
    keyed
        Places of inserts with a key: the chain stops before each, until the key has come.
    rate_hz, size
        Sample rate, and samples of a block.
    crossed
        Whether its first two channels are exchanged after the chain: a fault of simulated sessions.
    """

    def __init__(
        self, strip: Strip, waits: dict[int, int], keyed: list[int], rate_hz: int, size: int, *, crossed: bool = False
    ) -> None:
        self.strip, self.channels = strip, channel_count(strip.layout)
        self.works: list[InsertRenderer] = []
        layout = strip.layout
        for place, insert in enumerate(strip.inserts):
            self.works.append(InsertRenderer(insert, layout, waits.get(place, 0), rate_hz, size))
            layout = self.works[-1].layout
        self.layout, self.crossed = layout, crossed and channel_count(layout) > 1
        self.starts = [0, *sorted(keyed)]  # of the stretches
        self.playing: Playing | None = None
        self.ins: list[tuple[int, RouteWork]] = []
        self.by_fader = self._fader()

    def _fader(self) -> Block | float | None:
        """Behind the fader: a gain, one for each side of a balance, or nothing."""
        strip = self.strip
        if strip.mute or strip.fader_db is None:
            return None
        if strip.pan and self.layout == "stereo":
            return np.array(balance_gains(strip.pan))[:, None] * gain(strip.fader_db)
        return gain(strip.fader_db)

    def stretch(self, number: int) -> list[InsertRenderer]:
        """The inserts of one stretch of the chain."""
        end = self.starts[number + 1] if number + 1 < len(self.starts) else len(self.works)
        return self.works[self.starts[number] : end]

    def entering(self, block: Sound) -> Sound:
        """The sound at `in`."""
        return -block if block is not None and self.strip.invert else block

    def behind(self, block: Sound) -> Sound:
        """The output of the chain, direct or crossed."""
        if block is None or not self.crossed:
            return block
        return block[[1, 0, *range(2, len(block))]]

    def post(self, block: Sound) -> Sound:
        """The sound after the fader."""
        if block is None or self.by_fader is None:
            return None
        return block if isinstance(self.by_fader, float) and self.by_fader == 1.0 else block * self.by_fader
