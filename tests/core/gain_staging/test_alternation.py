"""Choices by turn in levels: against every subset that may sound, each read source by source."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.errors import DocumentError
from lattice.formats.document_json import load
from lattice.gain_staging.chain import Stage
from lattice.model.document import Choice, Section, Template
from tests.build import template
from tests.core.gain_staging.naive import Naive
from tests.deep import tries
from tests.flows import flows

LINEAR = ("gain", "reverb", "delay", "modulation", "panner", "eq")
FIGURES = ("p", "q2", "e2")


@st.composite
def alternating(draw: st.DrawFn) -> Template:
    """A random flow without inserts that depend on levels, whose unfed sources are members of choices by turn."""
    made = draw(flows())
    strips = [
        replace(strip, section=None, inserts=tuple(i for i in strip.inserts if i.type in LINEAR))
        for strip in made.strips
    ]
    fed = {route.to for route in made.routes}
    free = [n for n, strip in enumerate(strips) if strip.kind in ("audio", "instrument") and strip.id not in fed]
    homes = [draw(st.sampled_from([None, "a", "b", "c"])) for _ in free]
    for number, home in zip(free, homes, strict=True):
        strips[number] = replace(strips[number], section=home)
    in_a = [strips[number].id for number, home in zip(free, homes, strict=True) if home == "a"]
    choices = [
        Choice(
            id="songs", name="Songs", members=("section:a", "section:b", "section:c"), sounding=draw(st.integers(1, 3))
        )
    ]
    if len(in_a) > 1:
        inner = Choice(id="mics", name="Microphones", members=tuple(in_a), sounding=draw(st.integers(1, 2)), by="turn")
        choices.insert(draw(st.integers(0, 1)), inner)
    keys = {i.id for strip in strips for i in strip.inserts}
    routes = tuple(r for r in made.routes if r.to_insert is None or r.to_insert in keys)
    sections = tuple(Section(id=one, name=one) for one in "abc")
    return replace(made, strips=tuple(strips), routes=routes, sections=sections, choices=tuple(choices))  # fmt: skip


def playing(made: Template) -> Iterator[Template]:
    """The template with each combination of members that may sound; all other members are silent."""
    members = [_strips_of(made, choice) for choice in made.choices]
    combinations = (
        itertools.combinations(sets, min(choice.sounding, len(sets)))
        for sets, choice in zip(members, made.choices, strict=True)
    )
    for chosen in itertools.product(*combinations):
        silent = {
            strip
            for sets, kept in zip(members, chosen, strict=True)
            for strip in set().union(*sets) - set().union(*kept)
        }
        yield replace(
            made,
            strips=tuple(replace(s, source=None, outlets=tuple(replace(o, open=False) for o in s.outlets)) if s.id in silent else s for s in made.strips),
        )  # fmt: skip


def _strips_of(made: Template, choice: Choice) -> list[frozenset[str]]:
    return [
        frozenset(s.id for s in made.strips if member in (s.id, f"section:{s.section}")) for member in choice.members
    ]


def amplitudes(stage: Stage | None, count: int) -> np.ndarray:
    if stage is None:
        return np.zeros((3, count))
    sound, *by = stage
    return np.array([sound.p, np.sqrt(sound.q2), np.sqrt(sound.e2)]) * np.array(by)[:, None]


@given(alternating())
@tries(150)
def test_levels_are_the_highest_of_all_subsets_that_may_sound(made: Template) -> None:
    levels = Analysis(made).levels
    reads = [Naive(one) for one in playing(made)]
    for number, strip in enumerate(made.strips):
        for place, mine in enumerate(levels.stages[number]):
            shown = amplitudes(mine, 0)
            highest = np.zeros_like(shown)
            for read in reads:
                found = read.stages.get(strip.id)
                if found:
                    highest = np.maximum(highest, np.array(read.totals(found[place])))
            if strip.id in _alternate(made):
                continue  # a member alone: heard whenever it is its turn
            np.testing.assert_allclose(shown, highest, rtol=1e-9, atol=1e-12)


def _alternate(made: Template) -> set[str]:
    return {strip for choice in made.choices for sets in _strips_of(made, choice) for strip in sets}


def songs(*choices: dict[str, Any], **fields: Any) -> Template:
    """Three songs at −6 dBFS and a click at −20, into one bus."""
    strips: list[Any] = [
        {"id": f"song-{n}", "kind": "audio", "layout": "mono", "source": {"peak_dbfs": -6.0, "rms_dbfs": -18.0}}
        for n in (1, 2, 3)
    ]
    strips += [{"id": "click", "kind": "audio", "layout": "mono", "source": {"peak_dbfs": -20.0, "rms_dbfs": -30.0}}]
    strips += [{"id": "mix", "kind": "bus", "layout": "mono"}]
    feeds = [{"from": strip, "to": "mix"} for strip in ("song-1", "song-2", "song-3", "click")]
    return template(strips, feeds, choices=[{"name": one["id"], **one} for one in choices], **fields)


MEMBERS = ["song-1", "song-2", "song-3"]


@pytest.mark.parametrize(
    ("choice", "peaks"),
    [
        ({"sounding": 1, "by": "turn"}, (-6.0, -20.0)),
        ({"sounding": 2, "by": "turn"}, (-6.0, -6.0, -20.0)),
        ({"sounding": 9, "by": "turn"}, (-6.0, -6.0, -6.0, -20.0)),
        ({"sounding": 1, "by": "state"}, (-6.0, -6.0, -6.0, -20.0)),
        ({"sounding": 1}, (-6.0, -6.0, -6.0, -20.0)),  # strips: by state where it is left out
    ],
)
def test_as_many_members_count_as_sound(choice: dict[str, Any], peaks: tuple[float, ...]) -> None:
    made = songs({"id": "songs", "members": MEMBERS, **choice})
    analysis = Analysis(made)
    sound, peak_gain, *_rest = analysis.levels.stages[4][0]
    assert sound.p[0] * peak_gain == pytest.approx(sum(10 ** (db / 20) for db in peaks))


def test_sections_alternate_unless_the_choice_is_by_state() -> None:
    strips = [{"id": f"s{n}", "kind": "audio", "layout": "mono", "section": f"song-{n}"} for n in (1, 2)]
    strips.append({"id": "mix", "kind": "output", "layout": "mono", "io": [1]})
    sections = [{"id": f"song-{n}", "name": f"Song {n}"} for n in (1, 2)]
    choice = {"id": "set", "name": "Set", "members": ["section:song-1", "section:song-2"]}
    feeds = [{"from": f"s{n}", "to": "mix"} for n in (1, 2)]
    by_turn = template(strips, feeds, sections=sections, choices=[choice])
    by_state = template(strips, feeds, sections=sections, choices=[{**choice, "by": "state"}])
    alone, both = (Analysis(one).levels.stages[2][0].levels.p[0] for one in (by_turn, by_state))
    assert both == pytest.approx(2 * alone)
    assert [f.code for f in audit(by_turn).findings if f.code == "choice.wrong"] == []
    assert [f.message for f in audit(by_state).findings if f.code == "choice.wrong"] == ["Set: 2 active, 1 expected"]


def test_an_input_behind_alternating_tracks_counts_once() -> None:
    strips: list[Any] = [{"id": "mic", "kind": "input", "layout": "mono", "io": [1]}]
    strips += [{"id": f"take-{n}", "kind": "audio", "layout": "mono", "monitor": "always"} for n in (1, 2)]
    strips += [{"id": "mix", "kind": "bus", "layout": "mono"}]
    feeds = [{"from": "mic", "to": f"take-{n}"} for n in (1, 2)] + [{"from": f"take-{n}", "to": "mix"} for n in (1, 2)]
    choice = {"id": "takes", "name": "Takes", "members": ["take-1", "take-2"], "by": "turn"}
    one, both = (Analysis(template(strips, feeds, choices=made)).levels.stages[3][0].levels for made in ([choice], []))
    assert both.p[0] == pytest.approx(2 * one.p[0])
    assert both.e2[0] == pytest.approx(4 * one.e2[0])  # copies of one source add in amplitude


def test_a_member_in_two_places_of_a_choice_is_steady() -> None:
    made = songs({"id": "songs", "members": [*MEMBERS, "song-1"], "by": "turn"})
    assert Analysis(made).levels.stages[4][0].levels.p[0] == pytest.approx(2 * 10 ** (-6 / 20) + 0.1)


@pytest.mark.parametrize(
    ("member", "sentence"),
    [("section:encore", "section encore does not exist"), ("song-9", "strip song-9 does not exist")],
)
def test_a_choice_that_names_what_is_missing_is_refused(member: str, sentence: str) -> None:
    made = msgspec.json.encode(songs({"id": "songs", "members": MEMBERS}))
    with pytest.raises(DocumentError, match=sentence):
        load(made.replace(b'"song-3"]', f'"{member}"]'.encode()))


def test_of_choices_that_cross_the_first_in_the_document_holds() -> None:
    small = {"id": "pair", "name": "Pair", "members": ["song-1", "click"], "by": "turn"}
    large = {"id": "songs", "name": "Songs", "members": MEMBERS, "by": "turn"}
    peaks = []
    for choices in ((small, large), (large, small)):
        made = songs({"id": "x", "members": MEMBERS})
        made = msgspec.convert({**msgspec.to_builtins(made), "choices": choices}, Template)
        peaks.append(Analysis(made).levels.stages[4][0].levels.p[0])
    half = 10 ** (-6 / 20)
    # The pair first: the louder of song 1 and click, and one of the two other songs. The songs first: one, and the click.
    assert peaks == pytest.approx([2 * half, half + 0.1])
