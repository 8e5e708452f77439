"""A test tone through a template: which strips sound, how loud at every stage and when, and what stopped it."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from os import SEEK_END
from pathlib import Path
from typing import Literal, NamedTuple

import msgspec
import numpy as np
import soundfile
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.bench.meters import Meter
from lattice.bench.render.dynamics import STEP
from lattice.bench.render.host import source_samples
from lattice.bench.render.lines import Block
from lattice.bench.render.renderer import AT_POST, Renderer, Tap
from lattice.bench.signals import BURST_ORDER, Fixed, Signal, Sine, burst, of_file, pink
from lattice.errors import EditError
from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.signal_graph import IN, SignalGraph
from lattice.levels.chain import figures
from lattice.model.document import Source, Strip, Template, main_outlet, source_of
from lattice.model.insert_types import DECORRELATING
from lattice.model.layouts import channel_count
from lattice.model.strip_kinds import PLAYING
from lattice.model.units import gain

Kind = Literal["sine", "burst", "pink", "file"]
KINDS: tuple[Kind, ...] = ("sine", "burst", "pink", "file")
MOST_S = 600.0
MOST_OPEN = 200  # files at once; a process may have 1,024 by default
SETTLED = 0.25  # of a run, at its end: what dynamics do at first is over
SAME_DB, WET_DB = 0.1, 6.0  # of what is heard beside what is computed
SILENT_DBFS = -200.0
WORKS_DB = 0.01  # from which a dynamics insert is said to take something
SINE_PEAK_DB = 3.0103  # of a sine above its RMS
Told = Callable[[float], object]


def _nobody(_share: float) -> None:
    """Nobody is told how far it is."""


class Wanted(NamedTuple):
    """What is played. `level_dbfs` None: each source at the RMS that it states, so that figures can be compared."""

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
    """What a run gave."""

    format: Literal["intact-lattice.tone"] = "intact-lattice.tone"
    version: Literal[1] = 1
    sources: tuple[str, ...]
    samples: int
    sample_rate_hz: int
    stages: tuple[StageHeard, ...]
    silent: dict[str, str]  # strip that could be reached → what stopped the sound
    reductions_db: dict[str, tuple[float, ...]]  # insert → what it took, about 200 values over the run

    def at(self, strip: str, stage: str) -> StageHeard | None:
        """One stage; None where nothing was heard."""
        return next((one for one in self.stages if (one.strip, one.stage) == (strip, stage)), None)


def origins_of(analysis: Analysis, chosen: Collection[int]) -> list[Origin]:
    """Sources among strips by number, each outlet by itself. Raises EditError where none of them plays."""
    found = [origin for origin in analysis.sources if origin.strip in chosen]
    if not found:
        raise EditError("none of these strips is a source that plays")
    return found


def signal_for(graph: SignalGraph, origin: Origin, wanted: Wanted) -> Signal:
    """What a source plays in a run."""
    rate = graph.template.sample_rate_hz
    strip = graph.strips[origin.strip]
    outlet = main_outlet(strip) if origin.is_chain else graph.outlets[origin.outlet][1]
    channels = channel_count(strip.layout if origin.is_chain or outlet is None else outlet.layout)
    samples = round(wanted.seconds * rate)
    source = source_of(strip, outlet) or Source()
    if wanted.kind == "sine":
        level = source.rms_dbfs + SINE_PEAK_DB if wanted.level_dbfs is None else wanted.level_dbfs
        return Sine(level, rate, channels, samples)
    level = source.peak_dbfs if wanted.level_dbfs is None else wanted.level_dbfs
    if wanted.kind == "file":
        if wanted.file is None:
            raise EditError("no file is chosen")
        line = of_file(wanted.file, rate, samples)
        whole = np.stack([line[channel % len(line)] for channel in range(channels)])
        return Fixed(whole if wanted.level_dbfs is None else whole * gain(level))
    line = np.tile(burst(BURST_ORDER), -(-samples // ((1 << BURST_ORDER) - 1)))[:samples]
    if wanted.kind == "pink":
        line = pink(samples)
    return Fixed(np.broadcast_to(line * gain(level), (channels, samples)))


def play_tone(
    analysis: Analysis, origins: Sequence[Origin], wanted: Wanted, told: Told = _nobody, folder: Path | None = None
) -> Heard:
    """Plays a tone and listens at every stage.

    Parameters
    ----------
    analysis
        Of the template.
    origins
        Sources that play.
    wanted
        What they play.
    told
        Is told the share that is done; what it raises ends the run.
    folder
        Where the sound of every stage goes, as 32-bit WAV; None: nowhere.

    Raises
    ------
    RunsAwayError
        Where a loop gets louder and louder.
    """
    graph = analysis.graph
    rate = graph.template.sample_rate_hz
    samples = round(wanted.seconds * rate)
    if not 0 < wanted.seconds <= MOST_S:
        raise EditError(f"{wanted.seconds} s; more than 0 and at most {MOST_S:.0f} are allowed")
    renderer = Renderer(graph.template, {one: signal_for(graph, one, wanted) for one in origins}, ())
    taps = _taps(graph, renderer)
    renderer.taps = frozenset(tap for tap in taps if not _is_plain(renderer, tap))
    meters: dict[Tap, Meter] = {}
    files = _Files(graph, folder, rate)

    def listen(tap: Tap, start: int, block: Block) -> None:
        meter = meters.get(tap)
        if meter is None:
            meter = meters[tap] = Meter(len(block), samples - round(samples * SETTLED))
        meter.feed(block, start)
        files.write(tap, start, block)

    renderer.listener = listen
    for done in renderer.blocks(samples):
        told(min((done.start + done.count) / samples, 1.0))
    files.finish(samples)
    stages = [stage for tap in taps if (stage := _stage(graph, renderer, tap, meters, samples)) is not None]
    return Heard(
        sources=tuple(_name(analysis, origin) for origin in origins), samples=samples, sample_rate_hz=rate,
        stages=tuple(stages), silent=dict(_stopped(analysis, origins, {one.strip for one in stages})),
        reductions_db=_reductions(renderer, samples),
    )  # fmt: skip


def _name(analysis: Analysis, origin: Origin) -> str:
    return (analysis.outlet_id(*origin) or (analysis.graph.strips[origin.strip].id,))[0]


def _taps(graph: SignalGraph, renderer: Renderer) -> list[Tap]:
    found = []
    for number, work in enumerate(renderer.strips):
        found += [Tap(number, place) for place in (*range(len(work.works) + 1), AT_POST)]
    return found + [Tap(strip, 0, number) for number, (strip, _outlet) in enumerate(graph.outlets)]


def _is_plain(renderer: Renderer, tap: Tap) -> bool:
    """Behind an insert that does nothing there stands what stood before it."""
    return tap.place > 0 and renderer.strips[tap.strip].works[tap.place - 1].is_plain


def _stage(
    graph: SignalGraph, renderer: Renderer, tap: Tap, meters: Mapping[Tap, Meter], samples: int
) -> StageHeard | None:
    at = tap
    while _is_plain(renderer, at):
        at = at._replace(place=at.place - 1)
    meter = meters.get(at)
    if meter is None:
        return None
    return StageHeard(
        strip=graph.strips[tap.strip].id, stage=_place(graph, tap), peak_dbfs=_rounded(meter.peak_dbfs()),
        rms_dbfs=_rounded(meter.settled_dbfs(samples)), first_sample=meter.first_sample,
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
    """What each dynamics insert took during a run, about 200 values of it; blocks go on behind its end."""
    lines = {name: line[: samples // STEP] for name, line in renderer.reductions().items()}
    working = {name: line for name, line in lines.items() if max(line, default=0.0) > WORKS_DB}
    step = max(samples // STEP // 200, 1)
    return {name: tuple(round(value, 2) for value in line[::step]) for name, line in working.items()}


def _stopped(analysis: Analysis, origins: Sequence[Origin], heard: Collection[str]) -> Iterator[tuple[str, str]]:
    """Strips that the sources would reach if nothing blocked them, and what does, the first thing on the way."""
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


# each in turn


class Turn(msgspec.Struct, frozen=True, kw_only=True):
    """One source by itself at one endpoint: as heard and as computed. Levels are of the loudest channel."""

    source: str
    endpoint: str
    heard_dbfs: float | None
    computed_dbfs: float | None
    first_sample: int | None
    computed_samples: int | None
    is_wet: bool = False  # a reverb or the like is on the way: at one frequency it has a level of its own

    @property
    def differs(self) -> bool:
        """Whether what is heard is not what is computed: 0.1 dB (6 dB where it is wet), 1 sample."""
        if (self.heard_dbfs is None) != (self.computed_dbfs is None):
            return not self.is_wet or self.computed_dbfs is None  # an echo may come behind the end of the run
        if self.heard_dbfs is None or self.computed_dbfs is None:
            return False
        if abs(self.heard_dbfs - self.computed_dbfs) > (WET_DB if self.is_wet else SAME_DB):
            return True
        return not self.is_wet and self.first_sample != self.computed_samples


def each_in_turn(analysis: Analysis, origins: Sequence[Origin], wanted: Wanted, told: Told = _nobody) -> Iterator[Turn]:
    """Every source by itself, at every endpoint: heard, level, arrival, beside what is computed."""
    graph = analysis.graph
    for done, origin in enumerate(origins):
        heard = play_tone(analysis, [origin], wanted)
        alone = Analysis(only(graph, origin))
        arrivals, wet = ways_of(analysis, origin)
        for number in graph.ends:
            strip = graph.strips[number]
            is_print = strip.kind == "print" and strip.records == "in"
            stage = heard.at(strip.id, "in" if is_print else "post")
            loudest = max((one for one in stage.rms_dbfs if one is not None), default=None) if stage else None
            found = alone.levels.at_end(number) if wanted.level_dbfs is None else None
            level = figures(found).loudest[2] if found else None
            computed = None if level is None or level < SILENT_DBFS else round(level, 3)
            arrival = arrivals.get(number)
            if arrival is not None and not is_print:
                arrival += analysis.arrivals.chain[number][1]
            yield Turn(
                source=_name(analysis, origin), endpoint=strip.id, heard_dbfs=loudest,
                computed_dbfs=loudest if wanted.level_dbfs is not None else computed,
                first_sample=stage.first_sample if stage else None, computed_samples=arrival, is_wet=number in wet,
            )  # fmt: skip
        told((done + 1) / len(origins))


def ways_of(analysis: Analysis, origin: Origin) -> tuple[dict[int, int], set[int]]:
    """Earliest arrival of a source at the `in` of each strip by open ways, samples; and strips that it comes to wet."""
    graph, arrivals, reach = analysis.graph, analysis.arrivals, analysis.unblocked
    found: dict[int, int] = {}
    wet: set[int] = set()

    def send(routes: Sequence[int], at: tuple[int, int], *, is_wet: bool) -> None:
        for route in routes:
            head, stage = graph.head[route], graph.stage[route]
            is_open = reach.route_ok[route] and graph.routes[route].gain_db is not None and reach.entered[head]
            if not is_open or route in analysis.loops.feedback or not _brings(analysis, route):
                continue
            came = at[stage != IN] + arrivals.delays.get(route, 0) + arrivals.tie_samples(route)
            found[head] = min(found.get(head, came), came)
            if is_wet and stage != IN:
                wet.add(head)

    start = source_samples(graph, origin.strip)
    if origin.is_chain:
        found[origin.strip] = start + arrivals.own_delay.get(origin.strip, 0)
    else:
        send(graph.outlet_outs[origin.outlet], (start, start), is_wet=False)
    for node in (one for one in analysis.loops.order if one < len(graph.strips)):
        if node not in found or not reach.passes_on(node):
            continue
        inserts = graph.strips[node].inserts
        if node in wet or any(one.type in DECORRELATING and one.state == "on" and one.wet for one in inserts):
            wet.add(node)
        send(graph.outs[node], (found[node], found[node] + arrivals.chain[node][1]), is_wet=node in wet)
    return found, wet


def _brings(analysis: Analysis, route: int) -> bool:
    """Whether the mapping of a route lets something through."""
    matrix = analysis.levels.matrices[route]
    return matrix is None or bool(matrix.entries)


def only(graph: SignalGraph, origin: Origin) -> Template:
    """A template in which one source plays, and no other."""
    playing = main_outlet(graph.strips[origin.strip]) if origin.is_chain else graph.outlets[origin.outlet][1]

    def silenced(number: int, strip: Strip) -> Strip:
        here = number == origin.strip
        outlets = tuple(one if here and one is playing else replace(one, source=None) for one in strip.outlets)
        source = strip.source if here and (origin.is_chain or playing is None) else None
        return replace(strip, source=source, outlets=outlets) if strip.kind in PLAYING else strip

    return replace(graph.template, strips=tuple(silenced(n, strip) for n, strip in enumerate(graph.strips)))
