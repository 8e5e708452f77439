"""The ledger against a source-by-source NumPy reading, and small ones computed by hand."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.deliverables.report import as_json, as_lines, sum_in_words
from lattice.model.document import Stem, Template, main_outlet
from tests.build import template
from tests.core.gain_staging.naive import Naive
from tests.deep import tries
from tests.flows import flows


def ledger(made: Template) -> dict[str, dict[str, float | None]]:
    return as_json(Analysis(made).ledger)["ledger"]


@st.composite
def with_stems(draw: st.DrawFn) -> Template:
    """A random flow with stems of every role at some of its strips."""
    made = draw(flows())
    stems = [
        Stem(
            id=f"st{n}",
            name=f"Stem {n}",
            strip=draw(st.sampled_from(made.strips)).id,
            role=draw(st.sampled_from(["stem", "stem", "mix", "composite"])),
            tap=draw(st.sampled_from(["pre-insert", "pre-fader", "post-fader"])),
        )
        for n in range(draw(st.integers(1, 4)))
    ]
    return replace(made, stems=tuple(stems))


def read(made: Template) -> dict[tuple[str, str], float]:
    """(source, stem) → power by channel of the tap, from every signal's own gains."""
    naive = Naive(made)
    found: dict[tuple[str, str], float] = {}
    for stem in made.stems:
        stages = naive.stages.get(stem.strip or "", [])
        at = {"pre-insert": stages[:1], "pre-fader": stages[-1:]}.get(stem.tap)
        stage = at[0] if at else naive.post.get(stem.strip or "") if at is None else None
        if stage is None:
            continue
        power = stage.ce**2 + stage.de
        for column, (strip, outlet, _channel) in enumerate(naive.signals):
            key = (f"{strip}/{outlet}" if outlet else strip, stem.id)
            found[key] = found.get(key, 0.0) + float(power[:, column].sum()) / power.shape[0]
    return found


@given(with_stems())
@tries(300)
def test_every_cell_is_that_of_a_reading_source_by_source(made: Template) -> None:
    expected = read(made)
    mains = {f"{s.id}/{main.id}": s.id for s in made.strips if (main := main_outlet(s)) is not None}
    for source, row in ledger(made).items():
        for stem, level in row.items():
            power = expected.get((mains.get(source, source), stem), 0.0)
            if level is None:
                assert power == pytest.approx(0.0, abs=1e-30)
            else:
                assert level == pytest.approx(10 * math.log10(power), abs=1e-6)


@given(with_stems())
@tries(100)
def test_nothing_that_sounds_at_a_tap_is_left_out(made: Template) -> None:
    rows = ledger(made)
    mains = {s.id: f"{s.id}/{main.id}" for s in made.strips if (main := main_outlet(s)) is not None}
    for (source, stem), power in read(made).items():
        if power > 1e-12:
            assert rows[mains.get(source, source)][stem] is not None


VERB = {"id": "v", "type": "reverb"}


@pytest.mark.parametrize(
    ("strips", "routes", "expected"),
    [
        # mono onto stereo at a law of −3 dB: the same on each of two channels, so −3 in their mean
        (["a:x", {"id": "b", "kind": "bus", "layout": "stereo"}], ["x>b"], -3.0),
        # a stereo source is two signals: each whole on its own channel
        ([{"id": "x", "kind": "audio", "layout": "stereo"}, {"id": "b", "kind": "bus", "layout": "stereo"}], ["x>b"], 0.0),
        # twice by two equal paths: coherent, 6.02 dB
        (["a:x", "b:y", "b:z", "b:b"], ["x>y", "x>z", "y>b", "z>b"], 6.0206),
        # once straight and once as reverb at 0 dB: in power, 3.01 dB
        (["a:x", {"id": "y", "kind": "return", "inserts": [VERB]}, "b:b"], ["x>b", "send x>y", "y>b"], 3.0103),
        # an insert's gain on the path counts; half wet at 0 dB is half the power
        (["a:x", {"id": "b", "kind": "bus", "inserts": [{"id": "g", "type": "gain", "gain_db": 6.0}]}], ["x>b"], 6.0),
        (["a:x", {"id": "b", "kind": "bus", "inserts": [{**VERB, "wet": 0.5}]}], ["x>b"], -3.0103),
        # after a fold the level of the next route counts as well
        (["a:x", {"id": "c", "kind": "bus", "layout": "stereo"}, {"id": "b", "kind": "bus", "layout": "stereo"}], ["x>c", "c>b -6"], -9.0),
        # balance to the right leaves one of two signals
        ([{"id": "x", "kind": "audio", "layout": "stereo", "pan": 1.0}, {"id": "b", "kind": "bus", "layout": "stereo"}], ["x>b"], -3.0103),
        # an insert that widens gives each channel the whole; one that narrows gives the mean of two signals
        (["a:x", {"id": "b", "kind": "bus", "inserts": [{"id": "w", "type": "gain", "layout_in": "mono", "layout_out": "stereo"}]}], ["x>b"], 0.0),
        ([{"id": "x", "kind": "audio", "layout": "stereo"}, {"id": "b", "kind": "bus", "layout": "stereo", "inserts": [{"id": "w", "type": "gain", "layout_in": "stereo", "layout_out": "mono"}]}], ["x>b"], -3.0103),
        # an automated send that rests at off reaches it and is silent there
        (["a:x", "b:b"], ["send x>b off automated"], None),
    ],
)  # fmt: skip
def test_by_hand(strips: list, routes: list, expected: float | None) -> None:
    made = template(strips, routes, stems=[{"id": "st", "name": "S", "strip": "b"}])
    level = ledger(made)["x"]["st"]
    assert level == (None if expected is None else pytest.approx(expected, abs=1e-3))


def test_outlets_are_sources_of_their_own_and_what_goes_past_is_said() -> None:
    kit = {"id": "kit", "kind": "instrument", "outlets": [{"id": "a"}, {"id": "b"}, {"id": "c", "open": False}]}
    stems = [
        {"id": "st", "name": "S", "strip": "b"},
        {"id": "mix", "name": "M", "role": "mix", "strip": "m", "layout": "mono"},
    ]
    made = template([kit, "b:b", "x:m"], ["kit>b", "kit/b>m -6", "kit/c>b", "b>m"], stems=stems)
    found = as_json(Analysis(made).ledger)
    assert {source: set(row) for source, row in found["ledger"].items()} == {"kit/a": {"st", "mix"}, "kit/b": {"mix"}}
    assert found["ledger"]["kit/a"] == {"st": pytest.approx(0.0), "mix": pytest.approx(0.0)}
    assert found["ledger"]["kit/b"] == {"mix": pytest.approx(-9.0103, abs=1e-3)}  # of two signals, each halved
    assert found["cut"] is False
    assert "bypasses the stems" in as_lines(Analysis(made).ledger)[-1]


def test_without_a_declared_mix_nothing_is_said_of_a_sum() -> None:
    made = template(["a:x", "b:b"], ["x>b"], stems=[{"id": "st", "name": "S", "strip": "b"}])
    assert sum_in_words(Analysis(made).ledger).startswith("No mix is declared")
    with_mix = template(
        ["a:x", "b:b", "o:o"], ["x>b", "b>o"],
        stems=[{"id": "st", "name": "S", "strip": "b"}, {"id": "mix", "name": "M", "role": "mix", "strip": "o"}],
    )  # fmt: skip
    assert sum_in_words(Analysis(with_mix).ledger) == "The stems sum to the mix."


def test_a_composite_without_a_strip_adds_its_parts_in_power() -> None:
    stems = [
        {"id": "one", "name": "1", "strip": "a"},
        {"id": "two", "name": "2", "strip": "b"},
        {"id": "both", "name": "Both", "role": "composite", "of": ["one", "two"]},
    ]
    analysis = Analysis(template(["a:x", "b:a", "b:b"], ["x>a", "x>b"], stems=stems))
    assert analysis.ledger.composite((0, -1), 2) == pytest.approx(3.0103, abs=1e-3)


def test_the_send_of_an_outlet_reaches_a_stem_but_not_by_feeds_alone() -> None:
    kit = {"id": "kit", "kind": "instrument", "outlets": [{"id": "main"}, {"id": "a"}, {"id": "b"}]}
    made = template([kit, "b:b"], ["send kit/a>b", "kit/b>b"], stems=[{"id": "st", "name": "S", "strip": "b"}])
    analysis = Analysis(made)
    masks = [analysis.taps.outlet[outlet] for outlet in (0, 1)]
    assert [mask & analysis.taps.all for mask in masks] == [1, 1]
    assert [analysis.taps.feeds(mask) for mask in masks] == [0, 1]
