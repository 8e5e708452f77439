"""Sources to which nothing is fed and that cannot meet themselves: most strips of a template are such.

All channels of such a strip are equal, so plain numbers suffice; its stages are built on first use.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple, Protocol

from lattice.gain_staging.alternation import STEADY, Alternation
from lattice.gain_staging.chain import factors
from lattice.gain_staging.signal_levels import SignalLevels
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import IN, POST, SignalGraph
from lattice.model.document import USUAL_SOURCE, Source, Strip, main_outlet, source_of
from lattice.model.insert_types import ACTING
from lattice.model.layouts import Matrix, balance_gains
from lattice.model.strip_kinds import PLAYING
from lattice.model.units import gain

MOST_AMPLITUDE = 1e60  # +1,200 dBFS: beyond all reason, and held there so that powers stay numbers


class Sums(Protocol):
    """Sums of plain sources: the totals at strips so far."""

    graph: SignalGraph
    reach: Reach
    cut: frozenset[int]
    matrices: list[Matrix | None]
    arriving: list[SignalLevels | None]
    assumed: Source
    alternation: Alternation

    def into(self, route: int) -> SignalLevels:
        """The sum at the strip a route ends at; a silent one where nothing has come yet."""


class IndependentSource(NamedTuple):
    """A source on its own: its amplitudes, the range of E and the top of Q along its chain, and E behind it."""

    peak: float
    rms: float
    low_e: float
    high_e: float
    top_q: float
    out_e: float


def chain_source(strip: Strip, assumed: Source = USUAL_SOURCE) -> Source | None:
    """The strip's own source; none for a spare."""
    if not strip.tags and not strip.outlets and isinstance(strip.source, Source):
        return strip.source if strip.kind in PLAYING else None
    return None if "spare" in strip.tags else source_of(strip, main_outlet(strip), assumed)


def play_plain(levels: Sums, numbers: Iterable[int]) -> dict[int, IndependentSource]:
    """Adds the signal of plain sources at the destinations of their routes.

    The fast path of levels: most strips of a template are such sources. Everything is at hand, and no call is made for
    a route where channels go straight on. The plain reference is `tests/core/gain_staging/naive.py`.

    Parameters
    ----------
    levels
        The sums at their destinations.
    numbers
        Strips that `CoherenceMap.plain` has.

    Returns
    -------
    dict
        Strip → its levels, for those that play. O(their routes).
    """
    graph, reach, cut = levels.graph, levels.reach, levels.cut
    sounds, strips, outs, routes = reach.sounds, graph.strips, graph.outs, graph.routes
    route_ok, entered, head_of, stage_of = reach.route_ok, reach.entered, graph.head, graph.stage
    matrices, acting, arriving = levels.matrices, graph.inserts.acting, levels.arriving
    alternation = levels.alternation
    played: dict[int, IndependentSource] = {}
    for strip_number in numbers:
        if not sounds[strip_number]:
            continue
        strip = strips[strip_number]
        stated = strip.source if not strip.tags and not strip.outlets else None
        source = stated if isinstance(stated, Source) else chain_source(strip, levels.assumed)  # its kind has a source
        if source is None:
            continue
        peak, rms = gain(source.peak_dbfs), gain(source.rms_dbfs)
        if strip_number in acting:
            p, q, e = _chain(strip, peak, rms, played, strip_number)
        else:
            p, q, e = peak, peak, rms
            played[strip_number] = IndependentSource(peak, rms, rms, rms, peak, rms)
        by_fader = 0.0 if strip.mute or strip.fader_db is None else gain(strip.fader_db)
        for route in outs[strip_number]:
            gain_db = routes[route].gain_db
            if gain_db is None or not route_ok[route] or not entered[head_of[route]] or route in cut:
                continue
            level, stage, matrix = gain(gain_db) if gain_db else 1.0, stage_of[route], matrices[route]
            is_post = stage == POST
            if is_post:
                level *= by_fader
                if not level:
                    continue
            if stage == IN:
                peak_gain, likely_gain, rms_gain = peak * level, peak * level, rms * level
            else:
                peak_gain, likely_gain, rms_gain = p * level, q * level, e * level
            into = arriving[head_of[route]] or levels.into(route)
            into = into.in_turn(alternation.of_strip.get(strip_number, STEADY), alternation) if alternation else into
            if matrix is None or into.coherence is not None or len(matrix) != 2 or strip.layout != "mono":
                sides = balance_gains(strip.pan) if is_post and strip.pan and strip.layout == "stereo" else ()
                into.add_alike(strip.layout, matrix, peak_gain, likely_gain, rms_gain, sides)
                continue
            (left,), (right,) = matrix  # mono panned onto two channels: most of all routes
            into_p, into_q2, into_e2 = into.p, into.q2, into.e2
            into_p[0] += peak_gain * left
            into_p[1] += peak_gain * right
            left, right, likely_gain, rms_gain = (
                left * left,
                right * right,
                likely_gain * likely_gain,
                rms_gain * rms_gain,
            )
            into_q2[0] += likely_gain * left
            into_q2[1] += likely_gain * right
            into_e2[0] += rms_gain * left
            into_e2[1] += rms_gain * right
    return played


def _chain(
    strip: Strip, peak: float, rms: float, played: dict[int, IndependentSource], strip_number: int
) -> tuple[float, float, float]:
    """P, Q and E behind a strip's inserts; notes the source and its range."""
    p, q, e = peak, peak, rms
    low, high, top = e, e, q
    for insert in strip.inserts:
        if insert.state == "on" and (insert.gain_db or insert.type in ACTING):
            peak_gain, likely_gain, rms_gain = factors(insert, p, q, e, e)
            p, q, e = (
                min(p * peak_gain, MOST_AMPLITUDE),
                min(q * likely_gain, MOST_AMPLITUDE),
                min(e * rms_gain, MOST_AMPLITUDE),
            )
            low, high, top = (e if e < low else low), (e if e > high else high), (q if q > top else top)
    played[strip_number] = IndependentSource(peak, rms, low, high, top, e)
    return p, q, e


def peak_at(strip: Strip, plain: IndependentSource, place: int) -> float:
    """The worst-case peak of a plain source at the input of an insert, linear; as `expected_at`."""
    return _amplitudes_at(strip, plain, place)[0]


def expected_at(strip: Strip, plain: IndependentSource, place: int) -> float:
    """The expected level of a plain source at the input of an insert.

    Parameters
    ----------
    strip
        The strip that plays.
    plain
        Its source.
    place
        Position of the insert, from 0.

    Returns
    -------
    float
        Linear amplitude E. The same as its stage has, which most plain strips never need to have made.
    """
    return _amplitudes_at(strip, plain, place)[1]


def _amplitudes_at(strip: Strip, plain: IndependentSource, place: int) -> tuple[float, float]:
    """P and E at the input of an insert."""
    p, q, e = plain.peak, plain.peak, plain.rms
    for insert in strip.inserts[:place]:
        if insert.state == "on" and (insert.gain_db or insert.type in ACTING):
            peak_gain, likely_gain, rms_gain = factors(insert, p, q, e, e)
            p, q, e = p * peak_gain, q * likely_gain, e * rms_gain
    return p, e
