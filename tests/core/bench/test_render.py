"""Rendered sound against the computed figures: 0.01 dB, 0 samples if inserts are linear; dynamics in steady state."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given

from lattice.analysis import Analysis
from lattice.bench.render.host import HostDelays
from lattice.bench.render.renderer import AT_POST, Renderer, RunsAwayError, Tap
from lattice.bench.signals import Fixed, Sine
from lattice.gain_staging.chain import figures
from lattice.graph.origin import Origin
from lattice.model.document import Template, main_outlet, source_of
from lattice.model.layouts import channel_count
from tests.build import template
from tests.deep import tries
from tests.flows import flows

RATE = 48000


def layout_of(analysis: Analysis, origin: Origin) -> str:
    strip = analysis.graph.strips[origin.strip]
    return strip.layout if origin.is_chain else analysis.graph.outlets[origin.outlet][1].layout


def stated(analysis: Analysis, origin: Origin) -> tuple[float, float] | None:
    strip = analysis.graph.strips[origin.strip]
    outlet = main_outlet(strip) if origin.is_chain else analysis.graph.outlets[origin.outlet][1]
    source = source_of(strip, outlet)
    return (source.peak_dbfs, source.rms_dbfs) if source else None


def run(made: Template, playing: dict, taps: list[Tap], samples: int) -> dict[Tap, np.ndarray]:  # type: ignore[type-arg]
    found: dict[Tap, np.ndarray] = {}
    for done in Renderer(made, playing, taps).blocks(samples):
        for tap, block in done.sound.items():
            room = found.setdefault(tap, np.zeros((len(block), samples)))
            room[:, done.start : done.start + done.count] = block
    return found


@given(flows(linear=True))
@tries(120)
def test_levels_and_arrivals_are_the_computed_ones(made: Template) -> None:
    assume(all(route.kind != "key" for route in made.routes))
    analysis = Analysis(made)
    taps = [Tap(number, place) for number, strip in enumerate(made.strips) for place in (0, AT_POST)]
    latest = max((span.latest for span in analysis.arrivals.at_in if span), default=0) + 2000
    power = {tap: np.zeros((channel_count(made.strips[tap.strip].layout), 2)) for tap in taps}
    moments: dict[Tap, set[int]] = {tap: set() for tap in taps}
    for origin in analysis.sources:
        levels = stated(analysis, origin)
        for channel in range(channel_count(layout_of(analysis, origin))) if levels else ():
            impulse = np.zeros((channel_count(layout_of(analysis, origin)), 1))
            impulse[channel] = 1.0
            for tap, sound in run(made, {origin: Fixed(impulse)}, taps, latest).items():
                gains = sound.sum(axis=1)[:, None] ** 2
                power[tap] += gains * [10 ** (level / 10) for level in levels]  # type: ignore[union-attr]
                moments[tap] |= set(np.nonzero(np.abs(sound).max(axis=0) > 1e-12)[0].tolist())
    for tap, found in power.items():
        stage = analysis.levels.at(tap.strip, 0 if tap.place == 0 else 2)
        shown = (figures(stage).likely_dbfs, figures(stage).rms_dbfs) if stage else ([None] * len(found),) * 2
        for weight, levels_db in enumerate(shown):
            for level, heard in zip(levels_db, found[:, weight], strict=True):
                assert (level is None or level < -230) == (heard < 1e-24)
                assert heard < 1e-24 or abs(level - 10 * math.log10(heard)) < 0.01  # type: ignore[operator]
        if moments[tap]:
            span = analysis.arrivals.at_in[tap.strip] if tap.place == 0 else analysis.arrivals.at_pre(tap.strip)
            assert span is not None
            assert span.earliest <= min(moments[tap]) <= max(moments[tap]) <= span.latest


@given(flows(most=12))
@tries(200)
def test_a_host_delays_what_the_timing_says(made: Template) -> None:
    analysis = Analysis(made)
    host, arrivals = HostDelays(analysis.loops), analysis.arrivals
    assert host.routes == arrivals.delays
    places = {
        node: (strip, analysis.loops.place[node]) for strip, nodes in analysis.loops.keyed.items() for node in nodes
    }
    assert {at: wait for at, wait in host.waits.items() if wait} == {
        places[node]: w for node, w in arrivals.waits.items()
    }
    for number in host.reported:
        assert host.reported[number] == arrivals.reported[number]
    assert set(host.prints) == set(arrivals.prints)


COMPRESSOR = {"id": "c", "type": "compressor", "threshold_db": -30.0, "ratio": 4.0}


@pytest.mark.parametrize(
    ("insert", "rms_dbfs", "reduction_db"),
    [
        (COMPRESSOR, -18.0, 9.0),  # (−18 + 30)·(1 − 1/4)
        (COMPRESSOR | {"ratio": 100.0}, -18.0, 12.0),
        (COMPRESSOR | {"attack_ms": 0.0, "release_ms": 400.0}, -10.0, 15.0),
        (COMPRESSOR, -40.0, 0.0),
        (COMPRESSOR | {"state": "bypassed"}, -18.0, 0.0),
        ({"id": "g", "type": "gate", "threshold_db": -30.0}, -18.0, 0.0),  # open
        ({"id": "g", "type": "gate", "threshold_db": -10.0}, -18.0, 80.0),  # shut: all that it takes
        ({"id": "e", "type": "expander", "threshold_db": -10.0, "ratio": 2.0}, -18.0, 8.0),
    ],
)
def test_dynamics_settle_to_the_static_curve(insert: dict[str, object], rms_dbfs: float, reduction_db: float) -> None:
    made = template(
        [{"id": "x", "kind": "audio", "inserts": [insert], "source": {"rms_dbfs": rms_dbfs}}, "o:out"], ["x>out"]
    )
    sound = run(made, {Origin(0): Sine(rms_dbfs + 3.0103, RATE, 1, 2 * RATE)}, [Tap(0, AT_POST)], 2 * RATE)
    late = sound[Tap(0, AT_POST)][0, -RATE // 4 :]
    assert 10 * math.log10(np.mean(late**2)) == pytest.approx(rms_dbfs - reduction_db, abs=0.1)
    if insert["type"] == "compressor":
        stage = Analysis(made).levels.at(0, 2)
        assert stage is not None
        assert figures(stage).rms_dbfs[0] == pytest.approx(rms_dbfs - reduction_db, abs=0.1)


def test_a_key_takes_what_its_level_gives() -> None:
    made = template(
        [{"id": "x", "kind": "audio", "inserts": [COMPRESSOR | {"key": "external"}]}, "a:voice", "o:out"],
        ["x>out", "key voice>x/c"],
    )
    playing = {Origin(0): Sine(-20.0, RATE, 1, RATE), Origin(1): Sine(-18.0 + 3.0103, RATE, 1, RATE)}
    sound = run(made, playing, [Tap(0, AT_POST)], RATE)[Tap(0, AT_POST)]
    assert 10 * math.log10(np.mean(sound[0, -12000:] ** 2)) == pytest.approx(-23.0103 - 9.0, abs=0.1)


def inserted(insert: dict[str, object], samples: int, block: int, layout: str = "stereo") -> np.ndarray:
    """The impulse response of one insert."""
    made = template(
        [{"id": "x", "kind": "audio", "layout": layout, "inserts": [insert]}, {"id": "o", "kind": "output", "layout": layout}], ["x>o"],
        buffer_samples=block,
    )  # fmt: skip
    impulse = np.ones((channel_count(layout), 1))
    return run(made, {Origin(0): Fixed(impulse, 7)}, [Tap(0, 1)], samples)[Tap(0, 1)]


def test_a_delay_repeats_exactly() -> None:
    sound = inserted(
        {"id": "d", "type": "delay", "delay_ms": 2.5, "feedback": 0.5, "wet": 0.4, "gain_db": -6.0}, 1000, 64, "mono"
    )[0]
    wanted = np.zeros(1000)
    wanted[7] = 0.6
    for repeat in range(1, 9):
        if 7 + 120 * repeat < 1000:
            wanted[7 + 120 * repeat] = 0.4 * 10 ** (-6 / 20) * 0.5 ** (repeat - 1)
    np.testing.assert_allclose(sound, wanted, atol=1e-12)


@pytest.mark.parametrize("kind", ["reverb", "modulation"])
def test_wet_parts_keep_the_power_and_come_apart(kind: str) -> None:
    sound = inserted({"id": "w", "type": kind, "pre_delay_ms": 10.0 if kind == "reverb" else None}, 96000, 256)
    np.testing.assert_allclose((sound**2).sum(axis=1), 1.0, rtol=1e-6)
    assert abs(float(sound[0] @ sound[1])) < 0.2
    if kind == "reverb":
        assert np.flatnonzero(np.abs(sound[0]) > 1e-9)[0] == 7 + 480
        early, late = ((sound[0, at : at + 4800] ** 2).sum() for at in (487, 487 + 28800))
        assert 10 * math.log10(early / late) == pytest.approx(30.0, abs=1.5)  # half of 1.2 s: half of 60 dB


@given(flows(most=10))
@tries(60)
def test_the_length_of_blocks_changes_nothing(made: Template) -> None:
    analysis = Analysis(made)
    playing = {
        origin: Sine(-12.0, RATE, channel_count(layout_of(analysis, origin)), 3000) for origin in analysis.sources
    }
    taps = [Tap(number, AT_POST) for number in range(len(made.strips))]
    import msgspec

    whole = run(made, playing, taps, 5000)
    parts = (
        run(msgspec.structs.replace(made, buffer_samples=8193), playing, taps, 5000)
        if not analysis.graph.by_kind["input"]
        else whole
    )
    assert set(whole) == set(parts)
    for tap, sound in whole.items():
        np.testing.assert_allclose(sound, parts[tap], atol=1e-9)


def test_a_loop_that_dies_away_is_heard_a_buffer_later_each_time() -> None:
    made = template(
        [{"id": "x", "kind": "audio"}, "b:one", "b:two", "o:out"],
        ["x>one", "one>two", "send two>one -6", "two>out"],
        buffer_samples=128, compensation={"mode": "off"},
    )  # fmt: skip
    sound = run(made, {Origin(0): Fixed(np.ones((1, 1)))}, [Tap(3, 0)], 1000)[Tap(3, 0)][0]
    at = np.flatnonzero(sound)
    assert at.tolist() == [128 * n for n in range(8)]
    np.testing.assert_allclose(sound[at], [10 ** (-6 * n / 20) for n in range(8)])


@pytest.mark.parametrize(
    ("strips", "routes", "words"),
    [
        (["a:x", "b:one", "b:two", "o:out"], ["x>one", "one>two", "send two>one 3", "two>out"], "two feeds itself"),
        ([{"id": "x", "kind": "audio", "inserts": [{"id": "d", "type": "delay", "name": "Echo", "delay_ms": 1.0, "feedback": 1.2}]}, "o:out"],
         ["x>out"], "Echo on x feeds itself"),
    ],
)  # fmt: skip
def test_what_runs_away_is_stopped_with_a_sentence(strips: list, routes: list, words: str) -> None:  # type: ignore[type-arg]
    made = template(strips, routes)
    with pytest.raises(RunsAwayError, match=words):
        run(made, {Origin(0): Sine(-18.0, RATE, 1, 40 * RATE)}, [], 40 * RATE)
