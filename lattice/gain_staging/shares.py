"""The shares of a level: the routes into a sum by their share, and the sources of a stage by theirs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lattice.gain_staging.chain import level_of
from lattice.gain_staging.gains import chain_gain, insert_level_db, insert_matrix
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.plain import chain_source
from lattice.gain_staging.source_response import EXPECTED, LIKELY, SourceGains, SourceResponse
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import IN, POST, PRE
from lattice.model.document import Source, source_of
from lattice.model.layouts import Matrix
from lattice.model.units import decibels, gain

TAPS = {"in": IN, "pre": PRE, "post": POST}


@dataclass(frozen=True)
class Share:
    """One route into a sum, or the strip's own source (route −1)."""

    route: int
    likely_db: float
    expected_db: float
    share: float  # of the likely power, 0 to 1


@dataclass(frozen=True)
class Loud:
    """One source at a stage, loudest channel."""

    strip: int
    outlet: int
    likely_db: float


def inflow(levels: Levels, strip_number: int) -> list[Share]:
    """Routes into a strip with signal.

    Returns
    -------
    list of Share
        Loudest first, with the share each has in the likely power of all, 0 to 1.
    """
    powers = []
    for route in levels.graph.ins[strip_number]:
        stage = levels.brought(route)
        if stage is not None:
            sound, _peak_gain, likely_gain, rms_gain = stage
            powers.append((sum(sound.q2), route, level_of(sound.q2, likely_gain), level_of(sound.e2, rms_gain)))
    whole = sum(power for power, *_rest in powers)
    powers.sort(key=lambda entry: (-entry[0], entry[1]))
    return [
        Share(route, likely, expected, power / whole if whole else 0.0) for power, route, likely, expected in powers
    ]  # fmt: skip


def part_at(response: SourceResponse, strip: int, tap: str) -> SourceGains | None:
    """The contribution of a source to a stage of a strip.

    Parameters
    ----------
    response
        The source alone.
    strip
        Position of the strip.
    tap
        "in", "pre", "post", or the id of an insert for its input.

    Returns
    -------
    SourceGains or None
        None where it does not come there.
    """
    if tap in TAPS:
        return response.at(strip, TAPS[tap])
    if strip not in response.at_in:
        return None
    at_strip, layout = response.graph.strips[strip], response.graph.strips[strip].layout
    for place, insert in enumerate(at_strip.inserts):
        matrix, behind = insert_matrix(insert, layout)
        if insert.id == tap:
            part = response.stages(strip)[place]
            return part.through(matrix) if insert.has_channels else part
        layout = behind
    raise KeyError(tap)


def sources_of(levels: Levels) -> Iterator[Origin]:
    """Everything that plays now."""
    graph = levels.graph
    for number in range(len(graph.strips)):
        if levels.reach.sounds[number] and levels.stages[number] and chain_source(graph.strips[number]) is not None:
            yield Origin(number)
    for outlet, stage in enumerate(levels.outlet_stages):
        if stage is not None:
            yield Origin(graph.outlets[outlet][0], outlet)


def loudest_source(levels: Levels, strip: int, tap: str) -> Loud | None:
    """The source with the highest likely level at a stage, each alone.

    Parameters
    ----------
    levels
        Levels of the template.
    strip
        Position of the strip.
    tap
        "in", "pre", "post", or the id of an insert for its input.

    Returns
    -------
    Loud or None
        Only sources that may reach 0 dBFS by their bound are followed; None where none may.
    """
    bounds, last = bounds_to(levels, strip), _stage_bound(levels, strip, tap)
    at_most = []
    for origin, bound in bounds.items():
        source = _source(levels, origin)
        if source is not None and bound * last * gain(source.peak_dbfs) >= 1.0:
            at_most.append((-bound * last * gain(source.peak_dbfs), origin))
    best: Loud | None = None
    for bound, origin in sorted(at_most):
        if best is not None and decibels(-bound) < best.likely_db - 1e-6:
            break  # neither this source nor those behind it can come up to the loudest so far
        response = SourceResponse(levels, *origin, weight=LIKELY)
        level_db = decibels(response.level(part_at(response, strip, tap)))
        if best is None or (-level_db, origin) < (-best.likely_db, (best.strip, best.outlet)):
            best = Loud(*origin, level_db)
    return best


def by_source(levels: Levels, strip: int, tap: str) -> list[tuple[Origin, float, float]]:
    """Every source that reaches a stage.

    Parameters
    ----------
    levels
        Levels of the template.
    strip
        Position of the strip.
    tap
        "in", "pre", "post", or the id of an insert for its input.

    Returns
    -------
    list of (Origin, float, float)
        Likely and expected level, dBFS, each alone; loudest first.
    """
    found = []
    bounds = bounds_to(levels, strip)
    for origin in bounds:
        if _source(levels, origin) is not None:
            responses = (SourceResponse(levels, *origin, weight=weight) for weight in (LIKELY, EXPECTED))
            likely, expected = (decibels(response.level(part_at(response, strip, tap))) for response in responses)
            found.append((origin, likely, expected))
    return sorted(found, key=lambda entry: (-entry[1], entry[0]))


def _source(levels: Levels, origin: Origin) -> Source | None:
    """The current source of a chain or outlet."""
    strip, outlet = origin
    piece = levels.graph.strips[strip]
    if origin.is_chain:
        return chain_source(piece, levels.assumed) if levels.reach.sounds[strip] else None
    if not levels.outlet_stages[outlet]:
        return None
    return source_of(piece, levels.graph.outlets[outlet][1], levels.assumed)


def bounds_to(levels: Levels, target: int) -> dict[Origin, float]:
    """Upper bounds of the gain from every chain and outlet to the `in` of a strip, over all paths together.

    Parameters
    ----------
    levels
        Levels of the template.
    target
        Position of the strip.

    Returns
    -------
    dict
        Origin → linear bound: a source below its inverse cannot reach full scale there.

    Notes
    -----
    One sweep against the flow, Frobenius norms instead of matrices and no limiting. O(strips and routes before it).
    """
    graph = levels.graph
    at_in: dict[int, float] = {target: 1.0}
    bounds: dict[Origin, float] = {Origin(target): 1.0}
    before = sorted(_before(levels, target), key=lambda strip: -levels.loops.position[strip])
    for strip in before:
        if strip not in at_in:
            continue
        for route in graph.ins[strip]:
            if not levels.goes(route):
                continue
            level = at_in[strip] * gain(graph.routes[route].gain_db) * _most(levels.matrices[route])
            tail, outlet = graph.tail[route], graph.outlet[route]
            if outlet >= 0:
                bounds[Origin(tail, outlet)] = bounds.get(Origin(tail, outlet), 0.0) + level
            elif levels.at(tail, graph.stage[route]) is not None:
                chain = chain_gain(graph.strips[tail], graph.stage[route])
                at_in[tail] = at_in.get(tail, 0.0) + level * gain(chain.level_db) * chain.matrix.most
                bounds[Origin(tail)] = at_in[tail]
    return bounds


def _before(levels: Levels, target: int) -> set[int]:
    seen, waiting = {target}, [target]
    while waiting:
        for route in levels.graph.ins[waiting.pop()]:
            tail = levels.graph.tail[route]
            if tail not in seen and levels.graph.outlet[route] < 0 and levels.goes(route):
                seen.add(tail)
                waiting.append(tail)
    return seen


def _most(matrix: Matrix | None) -> float:
    return 1.0 if matrix is None else matrix.most


def _stage_bound(levels: Levels, strip: int, tap: str) -> float:
    at_strip = levels.graph.strips[strip]
    if tap in TAPS:
        chain = chain_gain(at_strip, TAPS[tap])
        return gain(chain.level_db) * chain.matrix.most
    level_db, bound, layout = 0.0, 1.0, at_strip.layout
    for insert in at_strip.inserts:
        matrix, layout = insert_matrix(insert, layout)
        bound *= matrix.most
        if insert.id == tap:
            break
        level_db += insert_level_db(insert)
    return gain(level_db) * bound
