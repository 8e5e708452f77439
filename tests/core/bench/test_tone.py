"""Test tones on the model: computed levels at every stage, the block of the sound, each source in turn, active keys."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.bench import tone
from lattice.bench.signals import Noise
from lattice.bench.source_checks import each_in_turn
from lattice.bench.tone import Wanted, origins_of, play_tone, signals_in_turn
from lattice.errors import DocumentError, EditError
from lattice.gain_staging.chain import figures
from lattice.graph.origin import Origin
from lattice.model.document import Compensation, Template
from tests.build import template
from tests.deep import tries
from tests.flows import flows

ROOM = template(
    [{"id": "voice", "kind": "audio", "source": {"rms_dbfs": -20.0}, "inserts": [{"id": "eq", "type": "eq", "gain_db": 3.0, "latency_samples": 64}]},
     {"id": "bed", "kind": "audio", "layout": "stereo", "inserts": [{"id": "duck", "type": "compressor", "key": "external", "threshold_db": -30.0, "ratio": 4.0}]},
     "b:music mute", "x:mix", "o:out", {"id": "late", "kind": "return"}],
    ["voice>mix", "bed>music", "music>mix", "mix>out", "key voice>bed/duck", "send bed>late off", "late>mix"],
)  # fmt: skip
ANALYSIS = Analysis(ROOM)


def test_what_is_heard_and_what_stopped_it() -> None:
    heard = play_tone(ANALYSIS, [Origin(0), Origin(1)], Wanted())
    assert heard.sources == ("voice", "bed")
    voice = heard.at("voice", "eq")
    assert voice is not None
    assert voice.rms_dbfs[0] == pytest.approx(-17.0, abs=0.01)
    assert voice.first_sample == 64
    assert heard.silent == {"late": "the send from bed to late is off"}
    assert heard.at("music", "post") is None
    assert heard.at("music", "in") is not None
    # The voice at −17 dBFS is 13 dB above the threshold: 13·(1 − 1/4).
    assert heard.reductions_db["duck"][-1] == pytest.approx(9.75, abs=0.1)


def test_a_muted_way_is_named() -> None:
    heard = play_tone(ANALYSIS, [Origin(1)], Wanted(seconds=0.2))
    assert heard.silent["mix"] == "music is muted"


@pytest.mark.parametrize("kind", ["sine", "burst", "pink"])
def test_signals_come_at_the_level_that_is_asked_for(kind: str) -> None:
    heard = play_tone(ANALYSIS, [Origin(0)], Wanted(kind, -12.0, 0.5))  # type: ignore[arg-type]
    stage = heard.at("voice", "in")
    assert stage is not None
    assert stage.peak_dbfs[0] == pytest.approx(-12.0, abs=0.05)


def test_independent_noise_adds_up_in_power_as_levels_say() -> None:
    """Two sources at −20 dBFS RMS: −17 in power; the same noise in both would give −14."""
    made = template(
        [{"id": f"s{n}", "kind": "audio", "source": {"rms_dbfs": -20.0}} for n in (1, 2)] + ["b:sum", "o:out"],
        ["s1>sum", "s2>sum", "sum>out"],
    )
    analysis = Analysis(made)
    expected = figures(analysis.levels.stages[2][0]).loudest[2]
    for kind, wanted_dbfs in (("noise", -16.99), ("pink", None)):
        heard = play_tone(analysis, [Origin(0), Origin(1)], Wanted(kind, None, 8.0))  # type: ignore[arg-type]
        (one,), (both,) = (stage.rms_dbfs for stage in (heard.at("s1", "post"), heard.at("sum", "in")) if stage)
        assert one is not None
        assert both is not None
        if wanted_dbfs is not None:
            assert one == pytest.approx(-20.0, abs=0.6)
            assert both == pytest.approx(wanted_dbfs, abs=0.6)
            assert both == pytest.approx(expected, abs=0.6)
        else:
            assert both - one == pytest.approx(6.02, abs=0.01)


def test_pink_noise_falls_by_three_decibels_an_octave() -> None:
    """Equal power in each octave (common practice), here 250 Hz to 8 kHz."""
    rate, samples = 48_000, 1 << 18
    line = Noise(-20.0, 1, samples, (1,)).block(0, samples)
    assert line is not None
    assert 10 * np.log10(np.mean(line**2)) == pytest.approx(-20.0, abs=0.5)
    power, hz = np.abs(np.fft.rfft(line[0])) ** 2, np.fft.rfftfreq(samples, 1 / rate)
    octaves = [10 * np.log10(power[(hz >= low) & (hz < 2 * low)].sum()) for low in (250, 500, 1000, 2000, 4000)]
    assert max(octaves) - min(octaves) < 0.8


def test_members_of_a_choice_by_turn_play_one_by_one() -> None:
    made = template(
        [{"id": f"song-{n}", "kind": "audio", "source": {"rms_dbfs": -20.0 - n}} for n in (1, 2)] + [{"id": "click", "kind": "audio"}, "b:sum", "o:out"],
        ["song-1>sum", "song-2>sum", "sum>out", "click>out"],
        choices=[{"id": "set", "name": "Set", "members": ["song-1", "song-2"], "by": "turn"}],
    )  # fmt: skip
    heard = play_tone(Analysis(made), [Origin(n) for n in (0, 1, 2)], Wanted("sine", None, 0.5))
    assert heard.samples == 48_000  # two turns
    levels = {stage.strip: stage.rms_dbfs[0] for stage in heard.stages if stage.stage == "post"}
    assert levels["sum"] == pytest.approx(-21.0, abs=0.01)  # the louder song alone
    assert levels["song-2"] == pytest.approx(-22.0, abs=0.01)
    signals, turns, length = signals_in_turn(
        Analysis(made).graph, [Origin(n) for n in (0, 1, 2)], Wanted("sine", None, 0.5)
    )
    assert (turns, length) == (2, 24_000)
    sounds = [[signals[Origin(n)].block(turn * length, 64) is not None for turn in (0, 1)] for n in (0, 1, 2)]
    assert sounds == [[True, False], [False, True], [True, True]]
    firsts = {stage.strip: stage.first_sample for stage in heard.stages if stage.stage == "in"}
    assert (firsts["song-1"], firsts["song-2"], firsts["click"]) == (0, 24_000, 0)


def test_a_recording_is_played_and_every_stage_written(tmp_path: Path) -> None:
    path = tmp_path / "in.wav"
    soundfile.write(path, np.full((4800, 1), 0.5), 48000, "FLOAT")
    heard = play_tone(ANALYSIS, [Origin(0)], Wanted("file", None, 0.5, path), folder=tmp_path / "out")
    stage = heard.at("voice", "in")
    assert stage is not None
    assert stage.peak_dbfs[0] == pytest.approx(-6.02, abs=0.01)
    samples, _rate = soundfile.read(tmp_path / "out" / "voice 1 eq.wav")
    assert len(samples) == 24000
    np.testing.assert_allclose(samples[64 : 64 + 4800], 0.5 * 10 ** (3 / 20), rtol=1e-6)
    assert not samples[:64].any()


@pytest.mark.parametrize(
    ("wanted", "words"),
    [(Wanted(seconds=0), "more than 0"), (Wanted(seconds=1e6), "at most 600"), (Wanted("file"), "choose a file first"),
     (Wanted("file", file=Path(__file__)), "cannot be read as WAV or FLAC")],
)  # fmt: skip
def test_what_cannot_be_played_is_refused(wanted: Wanted, words: str) -> None:
    with pytest.raises((EditError, DocumentError), match=words):
        play_tone(ANALYSIS, [Origin(0)], wanted)


def test_strips_that_play_nothing_are_refused() -> None:
    with pytest.raises(EditError, match="none of these strips"):
        origins_of(ANALYSIS, {3})


@given(flows(linear=True))
@tries(30)
def test_each_in_turn_agrees_with_what_is_computed(made: Template) -> None:
    # Paths without compensation comb at one frequency, unlike the computed value.
    strips = tuple(replace(one, kind="audio") if one.kind == "input" else one for one in made.strips)
    routes = tuple(route for route in made.routes if route.kind != "key")
    analysis = Analysis(replace(made, compensation=Compensation(), strips=strips, routes=routes))
    for turn in each_in_turn(analysis, analysis.sources, Wanted(seconds=0.25)):
        assert not turn.differs, turn


def test_more_stages_than_may_be_open_at_once_are_written_alike(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def written(folder: str) -> dict[str, bytes]:
        play_tone(ANALYSIS, ANALYSIS.sources, Wanted(seconds=0.5), folder=tmp_path / folder)
        return {path.name: soundfile.read(path)[0].tobytes() for path in (tmp_path / folder).iterdir()}

    all_open = written("all open")
    monkeypatch.setattr(tone, "MOST_OPEN", 2)
    assert len(all_open) > 4
    assert written("two open") == all_open
