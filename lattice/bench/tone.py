"""A test tone through a template: the strips with signal, its level and time at every stage, and its block."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Collection, Iterator, Mapping, Sequence
from os import SEEK_END
from pathlib import Path
from typing import Literal, NamedTuple

import msgspec
import numpy as np
import soundfile

from lattice.analysis import Analysis
from lattice.bench.meters import Meter
from lattice.bench.progress import Progress, no_progress
from lattice.bench.render.dynamics import STEP
from lattice.bench.render.lines import Block
from lattice.bench.render.renderer import AT_POST, Renderer, Tap
from lattice.bench.signals import BURST_ORDER, Fixed, InTurns, Noise, Signal, Sine, burst, of_file, pink
from lattice.errors import EditError
from lattice.gain_staging.alternation import STEADY, Alternation
from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Source, main_outlet, source_of
from lattice.model.layouts import channel_count
from lattice.model.units import gain

Kind = Literal["noise", "sine", "burst", "pink", "file"]
KINDS: tuple[Kind, ...] = ("noise", "sine", "burst", "pink", "file")
_SAME = "the same in every source: sums are coherent, Levels takes sources as independent"
PLAYS = {
    "noise": "Pink noise, independent in every source: sums add in power, as in Levels",
    "sine": f"A 997 Hz sine, {_SAME}",
    "burst": f"The burst of the pilots, {_SAME}",
    "pink": f"Pink noise, {_SAME}",
    "file": f"A recording, {_SAME}",
}
MOST_S = 600.0
MOST_OPEN = 200  # files at once; a process may have 1,024 by default
SETTLED = 0.25  # of a run, at its end: dynamics are steady there
SILENT_DBFS = -200.0
WORKS_DB = 0.01  # smallest gain reduction to report
SINE_PEAK_DB = 3.0103  # of a sine above its RMS


class Wanted(NamedTuple):
    """The signal. `level_dbfs` None: each source at its own RMS, for comparison with computed figures."""

    kind: Kind = "sine"
    level_dbfs: float | None = None
    seconds: float = 2.0
    file: Path | None = None


class StageHeard(msgspec.Struct, frozen=True, kw_only=True):
    """One stage of a strip: `in`, the id of an insert, `post`; or an outlet. Levels by channel, None for silence."""

    strip: str
    stage: str
    peak_dbfs: tuple[float | None, ...]
    rms_dbfs: tuple[float | None, ...]
    first_sample: int | None


class Heard(msgspec.Struct, frozen=True, kw_only=True):
    """The result of a run."""

    format: Literal["intact-lattice.tone"] = "intact-lattice.tone"
    version: Literal[1] = 1
    sources: tuple[str, ...]
    samples: int
    sample_rate_hz: int
    stages: tuple[StageHeard, ...]
    silent: dict[str, str]  # reachable strip → the block of its sound
    reductions_db: dict[str, tuple[float, ...]]  # insert → its gain reduction, about 200 values over the run

    def at(self, strip: str, stage: str) -> StageHeard | None:
        """One stage; None if silent."""
        return next((one for one in self.stages if (one.strip, one.stage) == (strip, stage)), None)


def origins_of(analysis: Analysis, chosen: Collection[int]) -> list[Origin]:
    """Sources among strips by number, each outlet separately. Raises EditError if none of them is one."""
    found = [origin for origin in analysis.sources if origin.strip in chosen]
    if not found:
        raise EditError("none of these strips is an active source")
    return found


def signal_for(graph: SignalGraph, origin: Origin, wanted: Wanted) -> Signal:
    """The signal of a source in a run."""
    rate = graph.template.sample_rate_hz
    strip = graph.strips[origin.strip]
    outlet = main_outlet(strip) if origin.is_chain else graph.outlets[origin.outlet][1]
    channels = channel_count(strip.layout if origin.is_chain or outlet is None else outlet.layout)
    samples = round(wanted.seconds * rate)
    source = source_of(strip, outlet) or Source()
    if wanted.kind == "noise":
        rms = source.rms_dbfs if wanted.level_dbfs is None else wanted.level_dbfs
        return Noise(rms, channels, samples, (origin.strip, origin.outlet + 1))
    if wanted.kind == "sine":
        level = source.rms_dbfs + SINE_PEAK_DB if wanted.level_dbfs is None else wanted.level_dbfs
        return Sine(level, rate, channels, samples)
    level = source.peak_dbfs if wanted.level_dbfs is None else wanted.level_dbfs
    if wanted.kind == "file":
        if wanted.file is None:
            raise EditError("choose a file first")
        line = of_file(wanted.file, rate, samples)
        whole = np.stack([line[channel % len(line)] for channel in range(channels)])
        return Fixed(whole if wanted.level_dbfs is None else whole * gain(level))
    line = np.tile(burst(BURST_ORDER), -(-samples // ((1 << BURST_ORDER) - 1)))[:samples]
    if wanted.kind == "pink":
        line = pink(samples)
    return Fixed(np.broadcast_to(line * gain(level), (channels, samples)))


def turns_of(graph: SignalGraph, origins: Sequence[Origin]) -> list[list[Origin]]:
    """Sources that sound together, turn by turn: members of a choice by turn play one by one, the others always."""
    alternation = Alternation(graph)
    members: dict[int, list[Origin]] = {}  # label → its sources
    for origin in origins:
        label = alternation.label_of(origin)
        if label != STEADY:
            members.setdefault(label, []).append(origin)
    choices = [[label for label in one.labels if label in members] for one in alternation.rounds]
    count = max([1, *map(len, choices)])
    steady = [origin for origin in origins if alternation.label_of(origin) == STEADY]
    return [
        [*steady, *(origin for labels in choices for label in labels[turn : turn + 1] for origin in members[label])]
        for turn in range(count)
    ]


def signals_in_turn(
    graph: SignalGraph, origins: Sequence[Origin], wanted: Wanted
) -> tuple[dict[Origin, Signal], int, int]:
    """The signal of each source over a whole run, the number of turns, and the samples of one."""
    turns, length = turns_of(graph, origins), round(wanted.seconds * graph.template.sample_rate_hz)
    found: dict[Origin, Signal] = {}
    for origin in dict.fromkeys(origin for turn in turns for origin in turn):
        at = frozenset(number for number, turn in enumerate(turns) if origin in turn)
        signal = signal_for(graph, origin, wanted)
        found[origin] = signal if len(turns) == 1 else InTurns(signal, length, at)
    return found, len(turns), length


def play_tone(
    analysis: Analysis,
    origins: Sequence[Origin],
    wanted: Wanted,
    progress: Progress = no_progress,
    folder: Path | None = None,
) -> Heard:
    """Play a tone and measure every stage.

    Parameters
    ----------
    analysis
        Of the template.
    origins
        Sources that play.
    wanted
        Their signals.
    progress
        Called with the share that is done; an exception it raises ends the run.
    folder
        Where the sound of every stage goes, as 32-bit WAV; None: nowhere.

    Raises
    ------
    RunsAwayError
        Where a loop gets louder and louder.
    """
    graph = analysis.graph
    rate = graph.template.sample_rate_hz
    if not 0 < wanted.seconds <= MOST_S:
        raise EditError(f"{wanted.seconds:g} s; more than 0 and at most {MOST_S:.0f} are allowed")
    signals, turns, turn = signals_in_turn(graph, origins, wanted)
    if wanted.seconds * turns > MOST_S:
        raise EditError(f"{wanted.seconds:g} s in each of {turns} turns; at most {MOST_S:.0f} in all are allowed")
    samples = turn * turns
    renderer = Renderer(graph.template, signals, ())
    taps = _taps(graph, renderer)
    renderer.taps = frozenset(tap for tap in taps if not _is_plain(renderer, tap))
    meters: dict[Tap, Meter] = {}
    files = _Files(graph, folder, rate)

    def listen(tap: Tap, start: int, block: Block) -> None:
        meter = meters.get(tap)
        if meter is None:
            meter = meters[tap] = Meter(len(block), round(turn * SETTLED), turn)
        meter.feed(block, start)
        files.write(tap, start, block)

    renderer.listener = listen
    for done in renderer.blocks(samples):
        progress(min((done.start + done.count) / samples, 1.0))
    files.finish(samples)
    stages = [stage for tap in taps if (stage := _stage(graph, renderer, tap, meters)) is not None]
    return Heard(
        sources=tuple(name_of(analysis, origin) for origin in origins), samples=samples, sample_rate_hz=rate,
        stages=tuple(stages), silent=dict(_stopped(analysis, origins, {one.strip for one in stages})),
        reductions_db=_reductions(renderer, samples),
    )  # fmt: skip


def name_of(analysis: Analysis, origin: Origin) -> str:
    """The id of a source: of its strip, or `strip/outlet`."""
    return (analysis.outlet_id(*origin) or (analysis.graph.strips[origin.strip].id,))[0]


def _taps(graph: SignalGraph, renderer: Renderer) -> list[Tap]:
    found = []
    for number, work in enumerate(renderer.strips):
        found += [Tap(number, place) for place in (*range(len(work.works) + 1), AT_POST)]
    return found + [Tap(strip, 0, number) for number, (strip, _outlet) in enumerate(graph.outlets)]


def _is_plain(renderer: Renderer, tap: Tap) -> bool:
    """After an inactive insert the stage before it counts."""
    return tap.place > 0 and renderer.strips[tap.strip].works[tap.place - 1].is_plain


def _stage(graph: SignalGraph, renderer: Renderer, tap: Tap, meters: Mapping[Tap, Meter]) -> StageHeard | None:
    at = tap
    while _is_plain(renderer, at):
        at = at._replace(place=at.place - 1)
    meter = meters.get(at)
    if meter is None:
        return None
    return StageHeard(
        strip=graph.strips[tap.strip].id, stage=_place(graph, tap), peak_dbfs=_rounded(meter.peak_dbfs()),
        rms_dbfs=_rounded(meter.settled_dbfs()), first_sample=meter.first_sample,
    )  # fmt: skip


def _place(graph: SignalGraph, tap: Tap) -> str:
    """`in`, the id of an insert, `post`, or an outlet with a stroke before it."""
    if tap.outlet != NO_OUTLET:
        return f"/{graph.outlets[tap.outlet][1].id}"
    if tap.place <= 0:
        return "in" if tap.place == 0 else "post"
    return graph.strips[tap.strip].inserts[tap.place - 1].id


def _rounded(levels: Sequence[float | None]) -> tuple[float | None, ...]:
    return tuple(None if level is None else round(level, 3) for level in levels)


def _reductions(renderer: Renderer, samples: int) -> dict[str, tuple[float, ...]]:
    """The gain reduction of each dynamics insert during a run, about 200 values; blocks may go past its end."""
    lines = {name: line[: samples // STEP] for name, line in renderer.reductions().items()}
    keyed = {insert.id for strip in renderer.graph.strips for insert in strip.inserts if insert.key == "external"}
    working = {name: line for name, line in lines.items() if name in keyed or max(line, default=0.0) > WORKS_DB}
    step = max(samples // STEP // 200, 1)
    return {name: tuple(round(value, 2) for value in line[::step]) for name, line in working.items()}


def _stopped(analysis: Analysis, origins: Sequence[Origin], heard: Collection[str]) -> Iterator[tuple[str, str]]:
    """Strips that the sources reach if nothing blocks them, each with the first block on its path."""
    graph = analysis.graph
    chains = [origin.strip for origin in origins if origin.is_chain]
    outlets = [origin.outlet for origin in origins if not origin.is_chain]
    could = analysis.ignoring.forward(chains, outlets).arrives
    blocked: dict[int, str] = {}
    for number in (node for node in analysis.loops.order if node < len(graph.strips)):
        strip = graph.strips[number]
        if not could[number] or strip.id in heard:
            continue
        sentences = []
        for route in graph.ins[number]:
            tail = graph.tail[route]
            if graph.strips[tail].id in heard:
                sentences += [one.sentence for one in analysis.blockers.on_route(route)]
            elif tail in blocked:
                sentences.append(blocked[tail])
        sentences += [one.sentence for one in analysis.blockers.passing(number)]
        if sentences:
            blocked[number] = sentences[0]
            yield strip.id, sentences[0]


class _Files:
    """A WAV for every stage, written as it comes; silence is filled in.

    Stages are many and a system lets a process have only some files open at once, so the one that has waited longest
    is closed for the next.
    """

    def __init__(self, graph: SignalGraph, folder: Path | None, rate_hz: int) -> None:
        self.graph, self.folder, self.rate_hz = graph, folder, rate_hz
        self.written: dict[Path, int] = {}  # samples
        self.open: OrderedDict[Path, soundfile.SoundFile] = OrderedDict()
        if folder is not None:
            folder.mkdir(parents=True, exist_ok=True)

    def write(self, tap: Tap, start: int, block: Block) -> None:
        """A block that begins at a sample."""
        if self.folder is None:
            return
        path = self.folder / f"{self.graph.strips[tap.strip].id} {self._words(tap)}.wav"
        file = self._file(path, len(block))
        self._fill(path, file, start)
        file.write(block.T)
        self.written[path] += block.shape[1]

    def finish(self, samples: int) -> None:
        """All files are as long as the run."""
        for path in self.written:
            self._fill(path, self._file(path, 0), samples)
        self._close_to(0)

    def _words(self, tap: Tap) -> str:
        if tap.outlet != NO_OUTLET:
            return f"outlet {self.graph.outlets[tap.outlet][1].id}"
        if tap.place <= 0:
            return "in" if tap.place == 0 else "post"
        return f"{tap.place} {self.graph.strips[tap.strip].inserts[tap.place - 1].id}"

    def _file(self, path: Path, channels: int) -> soundfile.SoundFile:
        """The file of a stage, begun where it is not there yet, at its end."""
        if path in self.open:
            self.open.move_to_end(path)
            return self.open[path]
        self._close_to(MOST_OPEN - 1)
        if path in self.written:
            file = soundfile.SoundFile(path, "r+")
            file.seek(0, SEEK_END)
        else:
            file = soundfile.SoundFile(path, "w", self.rate_hz, channels, "FLOAT", format="WAVEX")
            self.written[path] = 0
        self.open[path] = file
        return file

    def _close_to(self, most: int) -> None:
        while len(self.open) > most:
            self.open.popitem(last=False)[1].close()

    def _fill(self, path: Path, file: soundfile.SoundFile, until: int) -> None:
        while (missing := until - self.written[path]) > 0:
            silence = np.zeros((min(missing, 1 << 16), file.channels))
            file.write(silence)
            self.written[path] += len(silence)
