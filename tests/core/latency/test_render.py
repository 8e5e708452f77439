"""The block renderer and the formulas agree: 0.01 dB, 0 samples, on random linear templates."""

from __future__ import annotations

import math

import numpy as np
from hypothesis import assume, given

from lattice.analysis import Analysis
from lattice.gain_staging.chain import figures
from lattice.model.document import Template
from tests.core.latency.render import Renderer
from tests.core.latency.test_arrivals import longest, plays
from tests.deep import tries
from tests.flows import flows

USUAL = (-6.0, -18.0)


@given(flows(linear=True))
@tries(120)
def test_rendered_levels_and_arrivals_are_the_computed_ones(template: Template) -> None:
    rule = template.compensation
    assume(rule.mode == "full" and rule.limit_samples is None)
    assume(all(route.kind != "key" for route in template.routes))
    renderer = Renderer(template, longest(template, compensated=True), plays)
    assume(renderer.signals)
    analysis = Analysis(template)
    latest = max((span.latest for span in analysis.arrivals.at_in if span), default=0)
    rendered = renderer.run(latest + 2000)
    sources = {strip.id: strip.source for strip in template.strips}
    stated = [
        (sources[one].peak_dbfs, sources[one].rms_dbfs) if its is None and sources[one] else USUAL  # type: ignore[union-attr]
        for one, its, _channel in renderer.signals
    ]
    for number, strip in enumerate(template.strips):
        for tap, at in (("in", 0), ("pre", 1), ("post", 2)):
            sound = rendered[strip.id, tap]
            stage = analysis.levels.at(number, at)
            response = sound.sum(axis=-1)  # every path of a signal arrives at one sample, so this is c
            for weight in (0, 1):
                powers = np.array([10 ** (levels[weight] / 10) for levels in stated])
                wanted = np.sqrt((response**2) @ powers)
                found = (figures(stage).likely_dbfs, figures(stage).rms_dbfs)[weight] if stage else [None] * len(wanted)
                for level, amplitude in zip(found, wanted, strict=True):
                    heard = 20 * math.log10(amplitude) if amplitude > 1e-12 else None
                    assert (level is None or level < -230) == (heard is None)
                    assert heard is None or abs(level - heard) < 0.01  # type: ignore[operator]
            moments = np.nonzero(np.abs(sound).max(axis=(0, 1)) > 1e-12)[0]
            if len(moments):
                span = analysis.arrivals.at_in[number] if tap == "in" else analysis.arrivals.at_pre(number)
                assert span is not None
                assert span.earliest <= moments[0]
                assert moments[-1] <= span.latest
                assert {span.earliest, span.latest} >= {moments[0], moments[-1]} or span.live
