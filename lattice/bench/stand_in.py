"""The simulated session: in place of the real one it prints a kit, with faults on request."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile

from lattice.bench.faults import Session
from lattice.bench.kit.making import file_name
from lattice.bench.kit.slots import Kit
from lattice.bench.playing import playing
from lattice.bench.prints.cells import PrintCells
from lattice.bench.prints.files import plain_name
from lattice.bench.prints.model import Printed, printed, recorded, taps_of
from lattice.bench.progress import Progress, no_progress
from lattice.bench.render.host import HostDelays
from lattice.bench.render.lines import Block
from lattice.bench.render.renderer import Renderer
from lattice.graph.loops import LoopGraph
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from lattice.model.layouts import DISCRETE, channel_names

Bits = Literal["16", "24", "32f"]
SUBTYPES = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}
Played = tuple[int, dict[str, Block]]  # sample of the kit, and stem → (channels, samples)


def play(template: Template, kit: Kit, session: Session, progress: Progress = no_progress) -> Iterator[Played]:
    """The prints of a session, block by block: (start, stem → (channels, samples)); silent stretches are missing.

    Parameters
    ----------
    template
        The map: the host compensates for it, whatever the faults of the session.
    kit
        The signals.
    session
        The session as built.
    progress
        Called with the share that is done.
    """
    graph = SignalGraph(session.template)
    prints = [one for one in printed(graph) if one.stem.id not in session.dropped]
    renderer = Renderer(
        session.template,
        playing(kit, graph),
        taps_of(prints),
        compensation(template, session.template),
        session.crossed,
    )
    for start, blocks in recorded(renderer, kit.length_samples, progress):
        yield (
            start,
            {
                one.stem.id: blocks[one.strip]
                for one in prints
                if one.strip in blocks and one.stem.id not in session.silent_prints
            },
        )


def compensation(template: Template, built: Template) -> HostDelays:
    """The compensation of the host: as mapped, and for unmapped routes as much as their end requires."""
    host = HostDelays(LoopGraph(SignalGraph(template)))
    if len(built.routes) > len(template.routes):
        graph = SignalGraph(built)
        for route in range(len(template.routes), len(built.routes)):
            tap = host.at_tap_of(graph, route)
            there = host.reported.get(graph.head[route])
            host.routes[route] = max(host.held((there or 0) - (tap or 0)), 0)
    return host


def cells_of(template: Template, kit: Kit, session: Session, progress: Progress = no_progress) -> dict[str, PrintCells]:
    """The reading of a session's prints without files in between."""
    cells = {
        one.stem.id: PrintCells(one.channels, kit.burst.order, kit.turns)
        for one in printed(SignalGraph(template))
        if one.stem.id not in session.dropped
    }
    shifts = {stem: session.late_prints.get(stem, 0) for stem in cells}
    for start, blocks in play(template, kit, session, progress):
        for stem, block in blocks.items():
            at = start + shifts[stem]
            left = block[:, max(-at, 0) :]
            if left.shape[1]:
                cells[stem].skip_to(max(at, 0))
                cells[stem].feed(left)
    for one in cells.values():
        one.skip_to(kit.length_samples)
        one.finish()
    return cells


def print_files(
    template: Template, kit: Kit, session: Session, folder: Path, bits: Bits = "24", *, split: bool = False,
    seed: int = 1, progress: Progress = no_progress,
) -> list[Path]:  # fmt: skip
    """Prints of a session as WAV files, one for each stem that is printed, or for each of its channels.

    Parameters
    ----------
    template, kit, session
        As for `play`.
    folder
        Where they go; it is made.
    bits
        16 or 24 with triangular dither of one step, or 32-bit floating point.
    split
        A mono file for each channel: `.L`, `.R` … by the names of its layout, `_1`, `_2` … where it has none.
    seed
        Of the dither.

    Returns
    -------
    list of Path
        In the order of the stems.
    """
    folder.mkdir(parents=True, exist_ok=True)
    dither = _Dither(bits, seed)
    with ExitStack() as stack:
        prints = [one for one in printed(SignalGraph(template)) if one.stem.id not in session.dropped]
        files = {one.stem.id: _File(template, kit, one, folder, bits, split, dither, stack) for one in prints}
        for stem, samples in session.late_prints.items():
            if stem in files:
                files[stem].shift(samples)
        for start, blocks in play(template, kit, session, progress):
            for stem, block in blocks.items():
                files[stem].write(start, block)
        for file in files.values():
            file.finish()
        return [path for file in files.values() for path in file.paths]


class _Dither:
    def __init__(self, bits: Bits, seed: int) -> None:
        self._noise = np.random.default_rng(seed)
        self._step = {"16": 2.0**-15, "24": 2.0**-23}.get(bits, 0.0)

    def __call__(self, block: Block) -> Block:
        """A block with noise of triangular density, ±1 step: rounding leaves no distortion (common practice)."""
        if not self._step:
            return block
        return np.asarray(block + self._step * (self._noise.random(block.shape) - self._noise.random(block.shape)))


class _File:
    """The file or files of one print; silence is written too."""

    def __init__(
        self, template: Template, kit: Kit, one: Printed, folder: Path, bits: Bits, split: bool, dither: _Dither,
        stack: ExitStack,
    ) -> None:  # fmt: skip
        self.channels, self._dither, self._at, self._shift = one.channels, dither, 0, 0
        self._length = kit.length_samples
        name = file_name(print_name(template, one))
        names = [f"{name}{part}" for part in _parts(template, one)] if split else [name]
        self.paths = [_free(folder, one_name) for one_name in names]
        width = 1 if split else one.channels
        self._files = [
            stack.enter_context(
                soundfile.SoundFile(
                    path, "w", kit.sample_rate_hz, width, SUBTYPES[bits], format="WAV" if width < 3 else "WAVEX"
                )
            )
            for path in self.paths
        ]

    def shift(self, samples: int) -> None:
        """It begins so many samples late."""
        self._shift = samples

    def write(self, start: int, block: Block) -> None:
        """A block that begins at a sample of the kit."""
        at = start + self._shift
        block = block[:, max(-at, 0) :]
        at = max(at, 0)
        self._silence(at)
        self._put(block[:, : max(self._length - at, 0)])

    def finish(self) -> None:
        """Silence up to the end of the kit."""
        self._silence(self._length)

    def _silence(self, until: int) -> None:
        while self._at < min(until, self._length):
            self._put(np.zeros((self.channels, min(until - self._at, 1 << 16, self._length - self._at))))

    def _put(self, block: Block) -> None:
        block = np.clip(self._dither(block), -1.0, 1.0)
        if len(self._files) > 1:
            for file, line in zip(self._files, block, strict=True):
                file.write(line)
        else:
            self._files[0].write(block.T)
        self._at += block.shape[1]


def print_name(template: Template, one: Printed) -> str:
    """The file name of a print: its stem's name, else its print strip's, whichever is unique."""
    prints = printed(SignalGraph(template))
    strips = template.strips
    stems = [plain_name(other.stem.name) for other in prints]
    called = [plain_name(strips[other.strip].name) for other in prints]
    if stems.count(plain_name(one.stem.name)) == 1:
        return one.stem.name
    return strips[one.strip].name if called.count(plain_name(strips[one.strip].name)) == 1 else one.stem.id


def _parts(template: Template, one: Printed) -> Sequence[str]:
    """The suffix of each mono file."""
    graph = SignalGraph(template)
    strip = graph.strips[one.strip]
    layout = strip.layout if strip.records == "in" else graph.chain_layout[one.strip]
    if layout == "mono":
        return [""]
    names = channel_names(layout)
    return [f"_{name}" if layout.startswith(DISCRETE) else f".{name}" for name in names]


def _free(folder: Path, name: str) -> Path:
    """A path that no other print has taken."""
    path, number = folder / f"{name}.wav", 2
    while path.exists():
        path, number = folder / f"{name} {number}.wav", number + 1
    return path
