"""The parts of a reading: cells, slots, offsets, shares of paths, and corrections of the map."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import fftconvolve

from lattice.analysis import Analysis
from lattice.bench.kit.making import kit_of
from lattice.bench.kit.slots import AudioSlot, Kit, MidiSlot
from lattice.bench.playing import playing
from lattice.bench.prints.answers import edit_of
from lattice.bench.prints.cells import CELL, TRANSFORM, PrintCells
from lattice.bench.prints.model import read_all
from lattice.bench.prints.offsets import Expected, best_offset, bursts_in, offsets_by_votes, onsets_in, votes
from lattice.bench.prints.print_paths import PrintPaths
from lattice.bench.prints.slot_reading import Out, came_at, first_present
from lattice.bench.prints.suspects import change_at, change_seen
from lattice.bench.signals import burst
from lattice.checks.finding import Finding
from lattice.edits import apply_steps
from lattice.errors import EditError
from lattice.graph.origin import Origin
from tests.build import template
from tests.deep import tries

RATE = 48000
SLOT = AudioSlot(slot=1, source="x", channel=0, file="x.wav", burst_at=96000, tone_at=96000 + 10239, end_at=142239)
KIT = Kit(template="t", sample_rate_hz=RATE, length_samples=160_000, lead_samples=96000, slots=(SLOT,))


def gone_through(line: np.ndarray, channels: int = 1, pieces: int = 1) -> PrintCells:
    cells = PrintCells(channels, 13, 997 / RATE)
    whole = np.atleast_2d(line)
    for part in np.array_split(whole, pieces, axis=1):
        cells.feed(part.astype(np.float32))
    cells.finish()
    return cells


def printed(
    gain_db: float = 0.0, delay: int = 0, sign: int = 1, noise: float = 0.0, length: int = 160_000
) -> np.ndarray:
    line = np.zeros(length)
    pilot = KIT.pilot() * sign * 10 ** (gain_db / 20)
    line[96000 + delay : 96000 + delay + len(pilot)] += pilot
    return line + np.random.default_rng(3).standard_normal(length) * noise


@given(
    st.floats(-70, 20), st.integers(-4000, 30_000), st.sampled_from([-1, 1]), st.integers(1, 9),
)  # fmt: skip
@tries(60)
def test_gain_delay_and_polarity_are_read_as_they_are(gain_db: float, delay: int, sign: int, pieces: int) -> None:
    (out,) = read_all(KIT, gone_through(printed(gain_db, delay, sign, length=200_000), pieces=pieces), 0)[1]
    assert (out.present, out.delay_samples, out.polarity) == (True, delay, sign)
    assert out.gain_db == pytest.approx(gain_db, abs=0.05)
    assert out.energy_db == pytest.approx(gain_db, abs=0.1)


@pytest.mark.parametrize("gain_db", [-20.0, -60.0, -75.0])
def test_sixteen_bits_of_noise_hide_nothing_above_the_floor(gain_db: float) -> None:
    (out,) = read_all(KIT, gone_through(printed(gain_db, 100, noise=2.0**-16)), 0)[1]
    assert (out.present, out.delay_samples) == (True, 100)
    assert out.gain_db == pytest.approx(gain_db, abs=0.3)


@pytest.mark.parametrize("noise", [0.0, 2.0**-16, 1e-3])
def test_nothing_is_found_in_noise(noise: float) -> None:
    line = np.random.default_rng(5).standard_normal(160_000) * noise
    (out,) = read_all(KIT, gone_through(line), 0)[1]
    assert not out.present


def test_what_is_wet_alone_has_a_level_and_no_polarity() -> None:
    tail = np.random.default_rng(7).standard_normal(24_000) * np.exp(-np.arange(24_000) / 4000)
    tail /= np.sqrt(tail @ tail)
    line = fftconvolve(printed(), tail * 0.5)[:160_000]
    (out,) = read_all(KIT, gone_through(line), 0)[1]
    assert (out.present, out.polarity, out.delay_samples) == (True, None, None)
    assert out.energy_db == pytest.approx(-6.0, abs=0.5)
    assert came_at(out) is not None


def test_of_two_ways_that_are_alike_the_first_is_read() -> None:
    line = printed() + printed(delay=700)
    (out,) = read_all(KIT, gone_through(line), 0)[1]
    assert out.delay_samples == 0


def test_cells_are_the_same_whatever_pieces_come(tmp_path) -> None:  # type: ignore[no-untyped-def]
    line = np.random.default_rng(1).standard_normal(TRANSFORM + 12_345) * 0.1
    whole, parts = (gone_through(line, pieces=pieces).channels[0] for pieces in (1, 37))
    np.testing.assert_allclose(whole.burst, parts.burst, atol=1e-6)
    np.testing.assert_allclose(whole.energy, parts.energy)
    assert whole.energy.sum() == pytest.approx(float(line @ line), rel=1e-5)
    assert len(whole.energy) * CELL >= len(line)


def test_a_note_is_read_by_its_peak_and_its_onset() -> None:
    slot = MidiSlot(slot=1, source="x", midi_strip="n", note_at=96000, end_at=142239)
    kit = Kit(template="t", sample_rate_hz=RATE, length_samples=160_000, lead_samples=96000, slots=(slot,))
    line = np.zeros(160_000)
    line[96000 + 333 : 96000 + 12000] = 0.25
    (out,) = read_all(kit, gone_through(line), 0)[1]
    assert (out.present, out.delay_samples, out.polarity) == (True, 333, None)
    assert out.gain_db == pytest.approx(-12.04, abs=0.01)
    assert not read_all(kit, gone_through(np.zeros(160_000)), 0)[1][0].present


# offsets


def test_bursts_and_onsets_are_found_where_they_are() -> None:
    line = np.zeros(400_000)
    for at in (50_000, 250_001):
        line[at : at + 8191] += burst() * 0.1
    cells = gone_through(line)
    assert [at for at, _level in bursts_in(KIT, cells)] == [50_000, 250_001]
    assert [at for at, _level in onsets_in(cells)] == [50_000, 250_001]


@pytest.mark.parametrize("late", [0, 1, 441, -300, 200_000])
def test_the_offset_is_what_most_slots_agree_on(late: int) -> None:
    places = [Expected(400_000 + number * 46_239, 0.0, 0) for number in range(5)]
    line = np.zeros(900_000)
    for number, place in enumerate(places):
        odd = 64 if number == 2 else 0  # one of them is late alone
        line[place.at + late + odd : place.at + late + odd + 8191] += burst() * 10 ** (-18 / 20)
    found = votes(KIT, gone_through(line), places)
    assert best_offset(found) == late
    assert offsets_by_votes([found, {late: 1.0}], 1000)[0] == late


def test_where_slots_are_as_far_apart_as_prints_may_be_late_the_nearest_offset_is_meant() -> None:
    assert best_offset({0: 1.0, 46_239: 1.05}, near=0) == 0
    assert best_offset({0: 1.0, 46_239: 3.0}, near=0) == 46_239
    assert best_offset({}) is None


def test_the_loudest_channel_says_when_it_came() -> None:
    outs = [
        Out(channel=0, present=True, gain_db=-20.0, delay_samples=5, polarity=1),
        Out(channel=1, present=True, gain_db=-3.0, delay_samples=9, polarity=1),
    ]
    assert first_present(outs) == outs[1]
    assert first_present([Out(channel=0, present=False)]) is None


# shares


WAYS = template(
    [{"id": "x", "kind": "audio", "fader_db": -3.0}, {"id": "bus", "kind": "bus", "inserts": [{"id": "eq", "type": "eq", "gain_db": 6.0}]}, "r:hall", "x:mix", "p:print", "p:other"],
    ["x>bus", "send x>hall -10 pre-fader", "bus>mix", "hall>mix", "mix>print", "bus>other"],
)  # fmt: skip


def test_shares_are_parts_of_the_power_that_comes_through() -> None:
    analysis = Analysis(WAYS)
    ways = PrintPaths(analysis)
    shares = {element.id: share for element, share in ways.shares(Origin(0), analysis.graph.index["print"]).items()}
    straight, around = 10 ** ((-3 + 6) / 10), 10 ** (-10 / 10)
    for name, expected in {
        "x": 1.0,
        "bus": straight,
        "eq": straight,
        "hall": around,
        "r3": straight,
        "r4": around,
        "mix": 1.0,
        "r5": 1.0,
    }.items():
        assert shares[name] == pytest.approx(expected / (straight + around) if expected != 1.0 else 1.0), name
    assert "r6" not in shares
    assert ways.prints_behind[analysis.graph.index["bus"]] == {
        analysis.graph.index["print"],
        analysis.graph.index["other"],
    }


@given(st.floats(-30, 20), st.floats(0.05, 1.0))
@tries(100)
def test_what_is_seen_of_a_change_tells_the_change(change_db: float, share: float) -> None:
    assert change_at(change_seen(change_db, share), share) == pytest.approx(change_db, abs=1e-6)
    assert abs(change_seen(change_db, share)) <= abs(change_db) + 1e-9


# corrections of the map

MAP = template(
    [{"id": "x", "kind": "audio", "latency_samples": 10}, {"id": "bus", "kind": "bus", "fader_db": -2.0, "inserts": [{"id": "eq", "type": "eq", "name": "Eq", "latency_samples": 5}]}, "o:out"],
    ["x>bus", "bus>out 1", "send x>out off"],
)  # fmt: skip


def found(code: str, **figures: float) -> Finding:
    return Finding(
        code=f"asbuilt.{code}", severity="warning", message="", strips=("x",), stems=("s",), figures=dict(figures)
    )


@pytest.mark.parametrize(
    ("findings", "suspects", "field", "value"),
    [
        ([found("level", expected_db=0.0, read_db=-4.0)], ["r2"], ("routes", "r2", "gain_db"), -3.0),
        ([found("level", expected_db=0.0, read_db=3.04)], ["bus"], ("strips", "bus", "fader_db"), 1.0),
        ([found("level", expected_db=0.0, read_db=3.0)], ["eq"], ("strips", "bus", "fader_db"), 1.0),
        ([found("missing")], ["r1"], ("routes", "r1", "enabled"), False), ([found("missing")], ["x"], ("strips", "x", "mute"), True),
        ([found("polarity")], ["bus"], ("strips", "bus", "invert"), True),
        ([found("delay", late_samples=64)], ["x"], ("strips", "x", "measured_latency_samples"), 74),
        ([found("unexpected", gain_db=0.0)], ["r3", "x"], ("routes", "r3", "gain_db"), 0.0),
        ([found("delay", late_samples=64), found("delay", late_samples=64), found("level", expected_db=0.0, read_db=-9.0)], ["x"],
         ("strips", "x", "measured_latency_samples"), 74),
    ],
)  # fmt: skip
def test_what_was_read_goes_into_the_map(
    findings: list[Finding], suspects: list[str], field: tuple[str, str, str], value: object
) -> None:
    words, step = edit_of(MAP, findings, suspects)
    made = apply_steps(MAP, [step])
    listed, piece, name = field
    assert getattr(next(one for one in getattr(made, listed) if one.id == piece), name) == value
    assert words


def test_latency_goes_to_the_last_insert() -> None:
    _words, step = edit_of(MAP, [found("delay", late_samples=-2)], ["bus"])
    assert apply_steps(MAP, [step]).strips[1].inserts[0].measured_latency_samples == 3


@pytest.mark.parametrize(
    ("findings", "suspects", "words"),
    [
        ([found("channels")], ["x"], "by hand"), ([found("delay", late_samples=-99)], ["bus"], "below 0"), ([found("level")], [], "no suspect"),
        ([found("level", expected_db=0.0, read_db=1.0)], ["gone"], "removed from the template"), ([found("offset", offset_samples=9)], ["r1"], "no latency on the map"),
        ([found("unexpected", gain_db=0.0)], ["x"], "path is not known"), ([found("delay", late_samples=5)], ["out"], "no insert with latency"),
        ([found("delay", late_samples=-99)], ["x"], "cannot be below 0"),
    ],
)  # fmt: skip
def test_what_the_map_cannot_say_is_said(findings: list[Finding], suspects: list[str], words: str) -> None:
    with pytest.raises(EditError, match=words):
        edit_of(MAP, findings, suspects)


def test_slots_of_what_is_not_there_are_passed_over() -> None:
    analysis = Analysis(WAYS)
    foreign = Kit(
        template="t",
        sample_rate_hz=RATE,
        length_samples=160_000,
        lead_samples=96000,
        slots=(
            SLOT,
            AudioSlot(
                slot=2, source="nobody", channel=0, file="n.wav", burst_at=142239, tone_at=152478, end_at=160_000
            ),
        ),
    )
    assert list(playing(foreign, analysis.graph)) == [Origin(0)]
    cues = playing(kit_of(analysis), analysis.graph)[Origin(0)]
    assert cues.next_sound(0) == 96000
    assert cues.block(0, 96000) is None
    assert cues.next_sound(10_000_000) is None
