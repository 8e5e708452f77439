"""A kit played through the template itself. The same reading of it gives the expected values of a print."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import NamedTuple

from lattice.bench.kit.slots import Kit
from lattice.bench.playing import playing
from lattice.bench.prints.cells import PrintCells
from lattice.bench.prints.slot_reading import Out, read_slot
from lattice.bench.progress import Progress, no_progress
from lattice.bench.render.lines import Block
from lattice.bench.render.renderer import RECORDED, Renderer, Tap
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Stem, Template
from lattice.model.layouts import channel_count

Outs = Mapping[int, tuple[Out, ...]]  # slot → by channel


class Printed(NamedTuple):
    """A stem that is printed: its print strip and the channels of the file."""

    stem: Stem
    strip: int
    channels: int


def printed(graph: SignalGraph) -> list[Printed]:
    """Stems, mixes and composites that have a print in service, in document order."""
    found = []
    for stem in graph.template.stems:
        number = graph.index.get(stem.print or "")
        if number is not None and graph.strips[number].kind == "print" and graph.strips[number].in_service:
            strip = graph.strips[number]
            layout = strip.layout if strip.records == "in" else graph.chain_layout[number]
            found.append(Printed(stem, number, channel_count(layout)))
    return found


def recorded(
    renderer: Renderer, samples: int, progress: Progress = no_progress
) -> Iterator[tuple[int, dict[int, Block]]]:
    """(start, print strip → block) of a run; silent prints are missing."""
    for done in renderer.blocks(samples):
        yield done.start, {tap.strip: block for tap, block in done.sound.items()}
        progress(min((done.start + done.count) / samples, 1.0))


def taps_of(prints: list[Printed]) -> list[Tap]:
    """Where prints are listened to."""
    return [Tap(one.strip, RECORDED) for one in prints]


def expected(template: Template, kit: Kit, progress: Progress = no_progress) -> dict[str, Outs]:
    """Read the model's own rendering of a kit.

    Parameters
    ----------
    template, kit
        The map and the kit.
    progress
        Called with the share that is done, 0 to 1; an exception it raises ends the run.

    Returns
    -------
    dict
        Stem → slot → the reading of each channel.
    """
    graph = SignalGraph(template)
    prints = printed(graph)
    renderer = Renderer(template, playing(kit, graph), taps_of(prints))
    cells = {one.strip: PrintCells(one.channels, kit.burst.order, kit.turns) for one in prints}
    for start, blocks in recorded(renderer, kit.length_samples, progress):
        for strip, block in blocks.items():
            cells[strip].skip_to(start)
            cells[strip].feed(block)
    for one in cells.values():
        one.skip_to(kit.length_samples)
        one.finish()
    return {one.stem.id: read_all(kit, cells[one.strip], 0) for one in prints}


@lru_cache(maxsize=8)
def burst_energy(kit: Kit) -> float:
    """Sum of squares of the signal of a slot, without the frequency of the tone."""
    cells = PrintCells(1, kit.burst.order, kit.turns)
    cells.feed(kit.pilot()[None])
    cells.finish()
    return float(cells.channels[0].broad.sum())


def read_all(kit: Kit, cells: PrintCells, offset: int) -> dict[int, tuple[Out, ...]]:
    """Every slot of a kit in a print."""
    energy = burst_energy(kit)
    return {slot.slot: read_slot(kit, slot, cells, offset, energy) for slot in kit.slots}
