"""Tracing: the paths of sound from a strip, hop by hop, with the blocks on them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lattice.errors import DocumentError
from lattice.gain_staging.chain import shown_db
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.plain import chain_source
from lattice.gain_staging.source_response import EXPECTED, LIKELY, SourceGains, SourceResponse
from lattice.graph.loops import LoopGraph
from lattice.graph.origin import NO_OUTLET, Origin
from lattice.graph.paths import Blocker, Blockers, Found, Path, enumerate_paths
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import SignalGraph
from lattice.latency.arrivals import Arrivals
from lattice.latency.paths import SourceArrival
from lattice.model import route_kinds
from lattice.model.document import main_outlet
from lattice.model.units import words_db

# More sentences than anyone can use; paths can be exponentially many.
MOST_PATHS = 100


@dataclass(frozen=True)
class Trace:
    """Paths from one strip; `complete` is False where there are more than were looked at."""

    start: str
    notes: tuple[str, ...]  # midi routes from the start to the instruments whose sound is followed
    paths: tuple[Path, ...]
    complete: bool


def trace(graph: SignalGraph, start: str, end: str | None = None, *, most: int = MOST_PATHS) -> Trace:
    """The paths of sound from a strip.

    Parameters
    ----------
    graph
        The signal graph.
    start
        Id of a strip, or strip/outlet. A midi strip is followed to the instruments it plays, and their sound from
        there.
    end
        Id of the strip to end at; None for every endpoint.
    most
        Maximum number of paths.

    Returns
    -------
    Trace
        Unblocked paths first, and those to outputs and prints before those to stems.

    Raises
    ------
    DocumentError
        Where an id is unknown.
    """
    strip, _slash, outlet = start.partition("/")
    first = _strip(graph, strip)
    targets = {_strip(graph, end)} if end else {n for n in range(len(graph.strips)) if graph.is_endpoint(n)}
    notes: list[int] = []
    starts = [Origin(first)]
    if outlet:
        starts = [Origin(first, _outlet(graph, first, outlet))]
    elif graph.strips[first].kind == "midi":
        notes = _played(graph, first)
        starts = _sounding(graph, [graph.head[route] for route in notes])
    else:
        starts = _sounding(graph, [first])
    ways: Found = enumerate_paths(graph, starts, targets, most=most)
    paths = sorted(ways.paths, key=lambda path: (len(path.blockers) > 0, not _is_last(graph, path)))
    return Trace(start, tuple(graph.routes[route].id for route in notes), tuple(paths), ways.complete)


def _is_last(graph: SignalGraph, path: Path) -> bool:
    """A path that ends at an output or a print, as opposed to a stem along the path."""
    return graph.strips[path.strips(graph)[-1]].kind in ("output", "print")


def _strip(graph: SignalGraph, strip: str) -> int:
    if strip not in graph.index:
        raise DocumentError([f"strip {strip} does not exist"])
    return graph.index[strip]


def _outlet(graph: SignalGraph, strip: int, outlet: str) -> int:
    piece = graph.strips[strip]
    if all(known.id != outlet for known in piece.outlets):
        raise DocumentError([f"{piece.id} has no outlet {outlet}"])
    return graph.outlet_index.get((strip, outlet), NO_OUTLET)


def _played(graph: SignalGraph, strip: int) -> list[int]:
    """MIDI routes on the path from a MIDI strip, followed through other MIDI strips."""
    seen, waiting, instruments = {strip}, [strip], []
    while waiting:
        at = waiting.pop(0)
        for route in graph.midis:
            if graph.tail[route] == at:
                instruments.append(route)
                head = graph.head[route]
                if graph.strips[head].kind == "midi" and head not in seen:
                    seen.add(head)
                    waiting.append(head)
    return instruments


def _sounding(graph: SignalGraph, strips: list[int]) -> list[Origin]:
    """The chains and the outlets of strips, as starts of paths."""
    starts = []
    for strip in dict.fromkeys(strips):
        if graph.strips[strip].kind != "midi":
            starts.append(Origin(strip))
            starts += [Origin(strip, outlet) for outlet in graph.outlets_of.get(strip, ())]
    return starts


TAP_WORDS = {"pre-insert": "pre-insert", "pre-fader": "pre-fader", "post-fader": ""}


def hop_words(graph: SignalGraph, route: int) -> str:
    """A route as a step of a sentence: “sends to Hall at −14.0 dB, pre-fader”."""
    piece = graph.routes[route]
    name = graph.strips[graph.head[route]].name
    words = route_kinds.TRAITS[piece.kind].verb
    level = "" if piece.gain_db == 0 else " at −∞ dB" if piece.gain_db is None else f" at {_db(piece.gain_db)}"
    tap = f", {TAP_WORDS[piece.tap]}" if TAP_WORDS[piece.tap] and piece.kind != "midi" else ""
    if piece.kind == "midi":
        return f"{words} {name} on port {piece.port or 1}, {_channel_words(piece.channel)}"
    if piece.kind == "tie":
        return f"{words} {name} of {_machine_name(graph, graph.head[route])}"
    return f"{words} {name}{level}{tap}"


def _channel_words(channel: int | None) -> str:
    return f"channel {channel}" if channel else "all channels"


def _db(level_db: float) -> str:
    return f"{level_db:+.1f} dB".replace("-", "−")


def notes_to(graph: SignalGraph, traced: Trace, path: Path) -> list[int]:
    """The midi routes from where a trace began to the instrument a path begins at, the fewest; none for sound."""
    first = graph.index[traced.start.partition("/")[0]]
    came: dict[int, list[int]] = {first: []}
    waiting = [first]
    playing = [graph.route_index[route] for route in traced.notes]
    while waiting and path.start not in came:
        at = waiting.pop(0)
        for route in playing:
            head = graph.head[route]
            if graph.tail[route] == at and head not in came:
                came[head] = [*came[at], route]
                waiting.append(head)
    return came.get(path.start, [])


def outlet_words(graph: SignalGraph, path: Path) -> str:
    """“from outlet 3–4 of Choir computer” of a path that begins at an instrument that is played."""
    start = graph.strips[path.start]
    outlet = graph.outlets[path.outlet][1] if path.outlet >= 0 else main_outlet(start)
    out = f"from outlet {outlet.name or outlet.id} " if outlet is not None else ""
    return f"{out}of {_machine_name(graph, path.start)}"


def _machine_name(graph: SignalGraph, strip: int) -> str:
    machine = graph.machine_of(strip)
    return next(known.name for known in graph.template.machines if known.id == machine)


def sentence(graph: SignalGraph, path: Path, traced: Trace | None = None) -> str:
    """A path as one sentence: “Bells feeds Effects, which feeds Show mix”.

    With its trace, from the notes on: “Long plays Horns on port 1, channel 1, which from outlet 2 of Player feeds …”.
    """
    start = graph.strips[path.start]
    notes = notes_to(graph, traced, path) if traced is not None else []
    hops = [hop_words(graph, route) for route in path.routes]
    if notes:
        first = graph.strips[graph.tail[notes[0]]].name
        played = [hop_words(graph, route) for route in notes]
        onward = [f"{outlet_words(graph, path)} {hops[0]}", *hops[1:]] if hops else []
        return f"{first} " + ", which ".join([*played, *onward])
    name = start.name if path.outlet < 0 else f"{start.name} {graph.outlets[path.outlet][1].id}"
    return f"{name} " + ", which ".join(hops) if hops else f"{name} is an endpoint itself"


def _blocker_json(blocker: Blocker) -> dict[str, Any]:
    return {"kind": blocker.kind, "message": blocker.sentence, "strip": blocker.strip, "route": blocker.route}


@dataclass(frozen=True)
class At:
    """The traced source alone after a hop, at the `in` of the destination; None if silent.

    From a strip without a source, like a bus: what comes to its `in`, its channels taken as independent.
    """

    peak_dbfs: float | None
    rms_dbfs: float | None
    arrival_samples: int | None


class HopFigures:
    """Level and arrival of one source hop by hop: by this path alone, dynamics as the whole template sets them."""

    def __init__(self, levels: Levels, arrivals: Arrivals) -> None:
        self.levels, self.arrivals = levels, arrivals

    @classmethod
    def of(cls, graph: SignalGraph) -> HopFigures:
        """For a template of which nothing is computed yet."""
        loops = LoopGraph(graph)
        return cls(Levels(Reach(graph, states=True), loops), Arrivals(loops))

    def along(self, path: Path) -> list[At]:
        """One entry a hop, loudest channel."""
        if path.outlet < 0 and chain_source(self.levels.graph.strips[path.start]) is None:
            return self._from_sum(path)
        only = frozenset(path.routes)
        peak, rms = (
            SourceResponse(self.levels, path.start, path.outlet, weight, only) for weight in (LIKELY, EXPECTED)
        )
        travel = SourceArrival(self.arrivals, self.levels, path.start, path.outlet, only)
        return [
            At(
                _level_db(peak, route),
                _level_db(rms, route),
                travel.brought[route][1] if route in travel.brought else None,
            )
            for route in path.routes
        ]

    def _from_sum(self, path: Path) -> list[At]:
        """The signal at the `in` of a strip that has no source of its own, hop by hop."""
        only, found = frozenset(path.routes), self.levels.stages[path.start]
        if not found:
            return [At(None, None, None) for _route in path.routes]
        powers = found[0].levels.q2, found[0].levels.e2
        responses = [SourceResponse(self.levels, path.start, NO_OUTLET, weight, only) for weight in (LIKELY, EXPECTED)]
        hops = []
        for route in path.routes:
            likely, rms = (
                _sum_db(response.brought.get(route), power) for response, power in zip(responses, powers, strict=True)
            )
            span = self.arrivals.brought(route)
            hops.append(At(likely, rms, span.latest if span is not None and likely is not None else None))
        return hops


def _sum_db(part: SourceGains | None, powers: list[float]) -> float | None:
    """The loudest channel of a part, from the power of each channel at its beginning."""
    if part is None:
        return None
    rows = zip(part.c, part.d2, strict=True)
    return shown_db(
        max(
            sum(by * by * powers[channel] for channel, by in gains.items())
            + sum(by * powers[channel] for channel, by in loose.items())
            for gains, loose in rows
        )
    )


def _level_db(response: SourceResponse, route: int) -> float | None:
    """The contribution of a source over a route, loudest channel."""
    level = response.level(response.brought.get(route))
    return shown_db(level * level)


def hop_line(graph: SignalGraph, route: int, at: At) -> str:
    """A hop's figures to read: “Drums: peak −6.0, RMS −18.0 dBFS, after 64 samples”."""
    name = graph.strips[graph.head[route]].name
    if at.peak_dbfs is None:
        return f"{name}: silent"
    late = "" if at.arrival_samples is None else f", after {at.arrival_samples} samples"
    return f"{name}: peak {words_db(at.peak_dbfs)}, RMS {words_db(at.rms_dbfs)} dBFS{late}"


def as_json(graph: SignalGraph, traced: Trace) -> dict[str, Any]:
    """The form of `trace --json`."""
    namer = Blockers(graph)
    figures = HopFigures.of(graph)
    return {
        "format": "intact-lattice.tracing",
        "version": 1,
        "from": traced.start,
        "complete": traced.complete,
        "midi_routes": list(traced.notes),
        "paths": [
            {
                "sentence": sentence(graph, path, traced),
                "strips": [graph.strips[strip].id for strip in path.strips(graph)],
                "from_outlet": graph.outlets[path.outlet][1].id if path.outlet >= 0 else None,
                "hops": [
                    _hop_json(graph, namer, route, at)
                    for route, at in zip(path.routes, figures.along(path), strict=True)
                ],
                "blocked": bool(path.blockers),
                "blockers": [_blocker_json(blocker) for blocker in path.blockers],
            }
            for path in traced.paths
        ],
    }


def _hop_json(graph: SignalGraph, namer: Blockers, route: int, at: At) -> dict[str, Any]:
    hop = graph.routes[route]
    return {
        "route": hop.id,
        "kind": hop.kind,
        "from": hop.from_strip,
        "tap": hop.tap,
        "to": hop.to,
        "gain_db": hop.gain_db,
        "peak_dbfs": at.peak_dbfs,
        "rms_dbfs": at.rms_dbfs,
        "arrival_samples": at.arrival_samples,
        "blockers": [_blocker_json(blocker) for blocker in namer.on_route(route)],
    }
