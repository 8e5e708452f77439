"""Each source alone through a template, at every endpoint: rendered and computed values."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.bench.progress import Progress, no_progress
from lattice.bench.render.host import source_samples
from lattice.bench.tone import SILENT_DBFS, Wanted, name_of, play_tone
from lattice.gain_staging.chain import figures
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import IN, SignalGraph
from lattice.model.document import Strip, Template, main_outlet
from lattice.model.insert_types import DECORRELATING
from lattice.model.strip_kinds import PLAYING

SAME_DB, WET_DB = 0.1, 6.0  # tolerance between rendered and computed


class Turn(msgspec.Struct, frozen=True, kw_only=True):
    """One source alone at one endpoint, rendered and computed. Levels are of the loudest channel."""

    source: str
    endpoint: str
    heard_dbfs: float | None
    computed_dbfs: float | None
    first_sample: int | None
    computed_samples: int | None
    is_wet: bool = False  # with a reverb or the like on the path: its level differs by frequency

    @property
    def differs(self) -> bool:
        """Return whether rendered and computed values differ: by 0.1 dB (6 dB if wet) or 1 sample."""
        if (self.heard_dbfs is None) != (self.computed_dbfs is None):
            return not self.is_wet or self.computed_dbfs is None  # an echo may come behind the end of the run
        if self.heard_dbfs is None or self.computed_dbfs is None:
            return False
        if abs(self.heard_dbfs - self.computed_dbfs) > (WET_DB if self.is_wet else SAME_DB):
            return True
        return not self.is_wet and self.first_sample != self.computed_samples


def each_in_turn(
    analysis: Analysis, origins: Sequence[Origin], wanted: Wanted, progress: Progress = no_progress
) -> Iterator[Turn]:
    """Every source alone, at every endpoint: presence, level, arrival, beside the computed values."""
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
                source=name_of(analysis, origin), endpoint=strip.id, heard_dbfs=loudest,
                computed_dbfs=loudest if wanted.level_dbfs is not None else computed,
                first_sample=stage.first_sample if stage else None, computed_samples=arrival, is_wet=number in wet,
            )  # fmt: skip
        progress((done + 1) / len(origins))


def ways_of(analysis: Analysis, origin: Origin) -> tuple[dict[int, int], set[int]]:
    """Earliest arrival of a source at the `in` of each strip by open paths, samples; and the strips it reaches wet."""
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
    """Return whether the mapping of a route lets something through."""
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
