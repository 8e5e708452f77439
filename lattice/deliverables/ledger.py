"""The ledger: the level of every source at the tap of every stem that it reaches.

Defined in docs/reference/checks.md, *Stems*.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property

from lattice.deliverables.taps import Taps
from lattice.gain_staging.chain import ByChannel, Even, effect, entering, shown_db
from lattice.gain_staging.gains import insert_matrix
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.source_response import EXPECTED, SourceResponse
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import IN, STAGE_OF_TAP
from lattice.model.layouts import Matrix, balance_gains, channel_count
from lattice.model.units import gain

Powers = list[float]  # by channel


class Ledger:
    """The level of every source at the tap of every stem that it reaches.

    Parameters
    ----------
    levels, taps
        Of one template.
    sources
        The sources that get a row.

    Attributes
    ----------
    rows : dict
        Source → number of a stem it reaches → level, dB; None where it arrives silent.

    Notes
    -----
    10·log10(Σ (c² + d²) / channels of the tap) (docs/reference/checks.md, *Stems*). Where nothing of a source can
    meet itself, powers
    are carried back from the taps once for all sources; the others are followed one by one. O(strips + routes · stems
    behind them).
    """

    def __init__(self, levels: Levels, taps: Taps, sources: Iterable[Origin]) -> None:
        self.levels, self.graph, self.taps = levels, levels.graph, taps
        self._back: dict[int, dict[int, Powers]] = {}  # strip → stem → power at the tap by channel of the strip's `in`
        for node in reversed(levels.order):  # a fed strip after all that it feeds
            if node < len(self.graph.strips) and self.graph.ins[node]:
                self._back[node] = self._through(node)
        self.rows: dict[Origin, dict[int, float | None]] = {}
        for origin in sources:
            reached = taps.of(origin) & taps.all
            if reached:
                self.rows[origin] = self._row(origin, reached)

    def _row(self, origin: Origin, reached: int) -> dict[int, float | None]:
        stems = [number for number in range(self.taps.count) if reached >> number & 1]
        strip, outlet = origin
        coherence_map = self.levels.coherence_map
        apart = coherence_map.outlet_matters[outlet] if outlet >= 0 else coherence_map.apart[strip]
        if not apart:
            powers = self._outlet_powers(outlet) if outlet >= 0 else self._back.get(strip) or self._through(strip)
            return {stem: _db(sum(powers.get(stem, ())) / self._channels(stem)) for stem in stems}
        response = SourceResponse(self.levels, strip, outlet, weight=EXPECTED)
        return {stem: self._exact(response, stem) for stem in stems}

    def _exact(self, response: SourceResponse, stem: int) -> float | None:
        part = response.at(self._strip(stem), self.taps.stage[stem])
        return None if part is None else _db(sum(part.power) / self._channels(stem))

    def _strip(self, stem: int) -> int:
        strip = self.taps.stems[stem].strip
        if strip is None:
            raise ValueError(f"{self.taps.stems[stem].id} has no strip")
        return self.graph.index[strip]

    def _channels(self, stem: int) -> int:
        number = self._strip(stem)
        layout = (
            self.graph.strips[number].layout
            if self.taps.stage[stem] == IN
            else self.graph.chain_layout[number]
        )  # fmt: skip
        return channel_count(layout)

    # powers carried back from the taps

    def _outlet_powers(self, outlet: int) -> dict[int, Powers]:
        channels = channel_count(self.graph.outlets[outlet][1].layout)
        found: dict[int, Powers] = {}
        if self.levels.outlet_stages[outlet] is not None:
            for route in self.graph.outlet_outs[outlet]:
                _add(found, self._by_route(route, channels))
        return found

    def _through(self, strip: int) -> dict[int, Powers]:
        """Power at each tap by channel of a strip's `in`, its own chain included."""
        graph, levels = self.graph, self.levels
        at_in: dict[int, Powers] = {}
        at_pre: dict[int, Powers] = {}
        at_post: dict[int, Powers] = {}
        layout = graph.chain_layout[strip]
        wide, narrow = channel_count(layout), channel_count(graph.strips[strip].layout)
        places = (at_in, at_pre, at_post)
        for stem in graph.stems_at.get(strip, ()):
            stage = STAGE_OF_TAP[self.taps.stems[stem].tap]
            if self.taps.open(stem):
                places[stage][stem] = [1.0] * (narrow if stage == IN else wide)
        if levels.reach.monitors[strip] or levels.reach.sounds[strip]:
            for route in graph.outs[strip]:
                stage = graph.stage[route]
                _add(places[stage], self._by_route(route, narrow if stage == IN else wide))
        fed = graph.strips[strip]
        if at_post and not fed.mute and fed.fader_db is not None:
            factors = [gain(fed.fader_db) ** 2] * wide
            if fed.pan and layout == "stereo":
                factors = [f * g * g for f, g in zip(factors, balance_gains(fed.pan), strict=True)]
            _add(at_pre, {stem: [p * f for p, f in zip(row, factors, strict=True)] for stem, row in at_post.items()})
        _add(at_in, self._back_through_chain(strip, at_pre))
        return at_in

    def _by_route(self, route: int, channels: int) -> dict[int, Powers]:
        """The contribution of a route to the taps, by channel of its origin."""
        if not self.levels.goes(route):
            return {}
        power = gain(self.graph.routes[route].gain_db) ** 2
        if not power:
            return {}
        matrix = self.levels.matrices[route]
        return {
            stem: _columns(matrix, row, power, channels)
            for stem, row in self._back[self.graph.head[route]].items()
        }  # fmt: skip

    def _back_through_chain(self, strip: int, powers: dict[int, Powers]) -> dict[int, Powers]:
        """From `pre` back to `in`, insert by insert, at the current levels."""
        if not powers:
            return {}
        plain = self.levels.sources.get(strip)
        if plain is not None:  # all its channels are alike, and its chain is known
            level = plain.out_e / plain.rms
            return {stem: [p * level * level for p in row] for stem, row in powers.items()}
        stages = self.levels.stages[strip]
        if not stages:
            return {}
        walked = self.graph.strips[strip]
        layouts = [walked.layout]
        for insert in walked.inserts:
            layouts.append(insert_matrix(insert, layouts[-1])[1])
        for place in range(len(walked.inserts) - 1, -1, -1):
            insert = walked.inserts[place]
            done = effect(insert, entering(walked, stages, place, self.levels.carriers))
            if done is not None:
                if isinstance(done, ByChannel):
                    factors = [f * f for f in done.e]
                else:
                    whole = done.e * done.e if isinstance(done, Even) else done.dry * done.dry + done.power * done.power
                    factors = [whole] * channel_count(layouts[place + 1])
                powers = {stem: [p * f for p, f in zip(row, factors, strict=True)] for stem, row in powers.items()}
            if insert.has_channels:
                matrix, channels = insert_matrix(insert, layouts[place])[0], channel_count(layouts[place])
                powers = {stem: _columns(matrix, row, 1.0, channels) for stem, row in powers.items()}
        return powers

    # requested part

    @cached_property
    def composites(self) -> dict[int, int]:
        """Composite without a strip of its own → bits of its parts."""
        return {number: bits for number, bits in self.taps.parts.items() if self.taps.stems[number].strip is None}

    def composite(self, origin: Origin, number: int) -> float | None:
        """The contribution of a source to a composite without a strip.

        Parameters
        ----------
        origin
            The source.
        number
            Position of the composite among the stems.

        Returns
        -------
        float or None
            Its parts added in power, dB; None where nothing arrives.
        """
        row, bits = self.rows.get(origin, {}), self.composites[number]
        levels = [level for stem, level in row.items() if bits >> stem & 1 and level is not None]
        return _db(sum(10 ** (level / 10) for level in levels))


def _columns(matrix: Matrix | None, row: Powers, power: float, channels: int) -> Powers:
    """Powers by channel before a matrix of gains, from those behind it."""
    if matrix is None:
        return [p * power for p in row]
    return [
        power * sum(gains[column] ** 2 * p for gains, p in zip(matrix, row, strict=True)) for column in range(channels)
    ]


def _add(into: dict[int, Powers], come: dict[int, Powers]) -> None:
    for stem, row in come.items():
        into[stem] = [a + b for a, b in zip(into[stem], row, strict=True)] if stem in into else row


def _db(power: float) -> float | None:
    return shown_db(power)
