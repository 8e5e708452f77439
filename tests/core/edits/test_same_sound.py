"""Edits that promise the same sound: levels and arrivals at every endpoint stay, or the edit is refused.

Levels are read by the naive reader of tests/core/gain_staging, source by source, which shares no formula with the core.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from graphlib import TopologicalSorter
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.edits import EDITS, apply
from lattice.errors import DocumentError
from lattice.model.document import Machine, Stem, Template
from tests.build import template
from tests.core.gain_staging.naive import Naive
from tests.deep import tries
from tests.flows import flows

Arguments = dict[str, Any]


def in_order(made: Template) -> Template:
    """The same with its strips in the order of the flow, as the naive reader wants them."""
    before: dict[str, set[str]] = {strip.id: set() for strip in made.strips}
    for route in made.routes:
        before[route.to].add(route.from_strip)
    by_id = {strip.id: strip for strip in made.strips}
    return replace(made, strips=tuple(by_id[known] for known in TopologicalSorter(before).static_order()))


def heard(made: Template) -> dict[str, np.ndarray | None]:
    """P, Q and E by channel at every output, print and stem; None for silence."""
    read = Naive(in_order(made))
    tied = {route.from_strip for route in made.routes if route.kind == "tie"}
    found: dict[str, Any] = {}
    for strip in made.strips:
        if strip.kind == "output" and strip.id not in tied:
            found[strip.id] = read.post.get(strip.id)
        if strip.kind == "print":
            stages = read.stages.get(strip.id)
            found[strip.id] = stages and stages[0 if strip.records == "in" else -1]
    for stem in made.stems:
        stages = read.stages.get(stem.strip or "")
        taps = {
            "pre-insert": stages and stages[0],
            "pre-fader": stages and stages[-1],
            "post-fader": read.post.get(stem.strip or ""),
        }
        found[stem.id] = taps[stem.tap]
    levels = {name: np.array(read.totals(stage)) if stage else None for name, stage in found.items()}
    return {name: None if found is None or not found.any() else found for name, found in levels.items()}


def arrivals(made: Template) -> dict[str, Any]:
    analysis = Analysis(made)
    at = analysis.arrivals
    return {
        strip.id: at.prints.get(n) if strip.kind == "print" else at.at_pre(n)
        for n, strip in enumerate(made.strips)
        if strip.kind in ("print", "output")
    }


def differ(one: Any, two: Any) -> bool:
    if one is None or two is None:
        return one is not two
    return one.shape != two.shape or not np.allclose(one, two, rtol=1e-5, atol=1e-10)


def same_or_refused(made: Template, edit: str, arguments: Arguments, left_out: set[str] = frozenset()) -> bool:  # type: ignore[assignment]
    """Whether the edit was made; fails where it was made and something sounds or arrives otherwise."""
    try:
        after = apply(made, edit, arguments)
    except DocumentError:
        return False
    then, now = heard(made), heard(after)
    changed = {known for known in then if known not in left_out and differ(then[known], now[known])}
    assert not changed, (edit, arguments, {known: (then[known], now[known]) for known in changed})
    was, will = arrivals(made), arrivals(after)
    assert {known: will[known] for known in was if known not in left_out} == {
        k: v for k, v in was.items() if k not in left_out
    }
    return True


def bus_insertions(made: Template) -> Iterator[Arguments]:
    for end in made.strips:
        feeding = sorted({route.from_strip for route in made.routes if route.kind == "feed" and route.to == end.id})
        if feeding:
            yield {"strips": feeding, "to": end.id, "name": "New"}
            yield {"strips": feeding, "to": end.id, "name": "New", "inserts": [i.id for i in end.inserts[:1]]}
            yield {"strips": feeding[:1], "to": end.id, "name": "New", "inserts": [i.id for i in end.inserts]}


def dissolutions(made: Template) -> Iterator[Arguments]:
    for strip in made.strips:
        if strip.kind == "bus":
            yield {"bus": strip.id}
            yield {"bus": strip.id, "hand_on": True}


def _effects(made: Template) -> list[tuple[str, str, str]]:
    return [
        (strip.id, insert.id, insert.type)
        for strip in made.strips
        for insert in strip.inserts
        if insert.type in ("reverb", "delay", "modulation")
    ]


def _fed_by(made: Template, strip: str) -> list[str]:
    return sorted({route.to for route in made.routes if route.from_strip == strip and route.kind == "feed"})


def returns_of_inserts(made: Template) -> Iterator[Arguments]:
    effects = _effects(made)
    for strip, insert, _type in effects:
        for end in _fed_by(made, strip):
            yield {"inserts": [insert], "name": "Hall", "feed": end}
            yield {"inserts": [known for _s, known, _t in effects], "name": "Hall", "feed": end}


def returns_of_types(made: Template) -> Iterator[Arguments]:
    for strip, _insert, kind in _effects(made):
        for end in _fed_by(made, strip):
            yield {"strips": [known.id for known in made.strips], "type": kind, "to": end}


def moves(made: Template) -> Iterator[Arguments]:
    for strip in made.strips:
        yield {"strips": [strip.id], "machine": "far"}
    yield {"strips": [strip.id for strip in made.strips[: len(made.strips) // 2]], "machine": "far"}


def splits(made: Template) -> Iterator[Arguments]:
    for strip in made.strips:
        if strip.kind == "return":
            yield {"strip": strip.id, "set": "main"}


WAYS: dict[str, Callable[[Template], Iterator[Arguments]]] = {
    "insert_bus": bus_insertions,
    "dissolve_bus": dissolutions,
    "insert_to_return": returns_of_inserts,
    "effect_to_return": returns_of_types,
    "move_to_machine": moves,
    "split_return": splits,
}


def test_every_edit_that_promises_the_sound_is_tried() -> None:
    assert set(WAYS) == {name for name, edit in EDITS.items() if edit.keeps_sound is not None}


@pytest.mark.parametrize("edit", WAYS)
@given(flows(), st.integers(0, 400), st.booleans())
@tries(300)
def test_levels_and_arrivals_stay_or_it_is_refused(edit: str, made: Template, tie: int, covers_ties: bool) -> None:
    buses = [strip for strip in made.strips if strip.kind in ("bus", "master")]
    stems = [Stem(id=f"st{n}", name=f"Stem {n}", strip=bus.id) for n, bus in enumerate(buses)]
    main, tie_samples = made.machines[0], tie if tie % 2 else 0
    made = replace(
        made, machines=(main, Machine(id="far", name="Far", tie_latency_samples=tie_samples)),
        compensation=replace(made.compensation, covers_ties=covers_ties), stems=tuple(stems) if edit == "split_return" else (),
    )  # fmt: skip
    left_out = {stem.id for stem in stems} if edit == "split_return" else set()
    for arguments in WAYS[edit](made):
        same_or_refused(made, edit, arguments, left_out)


def small(bus: dict[str, Any], come: str = "src>sub", go: Any = "sub>out", **source: Any) -> Template:
    return template(
        [{"id": "src", "kind": "audio", "layout": "stereo", **source}, {"id": "sub", "kind": "bus", "layout": "stereo", **bus}, {"id": "out", "kind": "output", "layout": "stereo"}],
        [come, go],
    )  # fmt: skip


PANNED = small({"pan": 1.0})
FOLDED = small({"layout": "mono"})
ONE_CHANNEL = small({}, go={"from": "sub", "to": "out", "channels": [[1, 1]]})


@pytest.mark.parametrize(
    ("made", "words"),
    [
        (small({"pan": 0.5}), "sub changes the channels between src and out"),
        (small({"invert": True}), "polarity"),
        (small({"layout": "mono", "pan": 0.5}, layout="mono"), "sub changes the channels between src and out"),
    ],
)
def test_a_bus_that_no_route_can_stand_for_is_kept(made: Template, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        apply(made, "dissolve_bus", {"bus": "sub"})


@pytest.mark.parametrize(
    "made",
    [
        small({"fader_db": -4.0}),
        ONE_CHANNEL,
        PANNED,  # hard to one side: a list of channels expresses it
        FOLDED,  # both channels to both, at half the gain
        small({"fader_db": -6.0}, go="sub>out pre-fader"),
        small({"layout": "mono", "pan": 0.0}, layout="mono"),
        small({"layout": "mono", "pan": 0.5}, layout="mono", pan=0.5),
        small({}, come={"from": "src", "to": "sub", "channels": [[1, 2]]}, go={"from": "sub", "to": "out", "channels": [[2, 1]]}),
        small({}, come="send src>sub pre-fader -6", layout="mono"),
    ],
)  # fmt: skip
def test_a_bus_that_a_route_can_stand_for_goes_and_nothing_changes(made: Template) -> None:
    assert same_or_refused(made, "dissolve_bus", {"bus": "sub"})


def wet(amount: float, behind: tuple[dict[str, Any], ...] = (), **fields: Any) -> Template:
    verb = {"id": "verb", "type": "reverb", "wet": amount, "latency_samples": 64, **fields}
    return template(
        [{"id": "src", "kind": "audio", "inserts": [verb, *behind]}, {"id": "mix", "kind": "master", "layout": "stereo"}, {"id": "out", "kind": "output", "layout": "stereo"}],
        ["src>mix", "mix>out"],
    )  # fmt: skip


@pytest.mark.parametrize("amount", [0.25, 0.5, 1.0])
@pytest.mark.parametrize("fields", [{}, {"gain_db": -3.0}, {"layout_in": "mono", "layout_out": "stereo"}])
def test_an_effect_becomes_a_return_at_the_same_levels(amount: float, fields: dict[str, Any]) -> None:
    made = wet(amount, **fields)
    assert same_or_refused(made, "insert_to_return", {"inserts": ["verb"], "name": "Hall", "feed": "mix"})
    after = apply(made, "insert_to_return", {"inserts": ["verb"], "name": "Hall", "feed": "mix"})
    ways = [(route.kind, route.from_strip, route.to) for route in after.routes]
    assert ("send", "src", "hall") in ways
    assert (("feed", "src", "mix") in ways) == (amount < 1)


@pytest.mark.parametrize(
    ("made", "words"),
    [
        (wet(0.5, ({"id": "c", "type": "compressor"},)), "compressor on src follows the effect"),
        (wet(0.5, state="bypassed"), "is on and at least partly wet"),
        (
            replace(wet(0.5), compensation=replace(wet(0.5).compensation, mode="off")),
            "out would arrive at 0 to 64 samples instead of 64",
        ),
    ],
)
def test_an_effect_that_cannot_be_shared_says_why(made: Template, words: str) -> None:
    arguments = {"inserts": ["verb"], "name": "Hall", "feed": "mix"}
    with pytest.raises(DocumentError, match=words):
        apply(made, "insert_to_return", arguments)


def test_two_effects_that_are_set_differently_are_not_one() -> None:
    made = template(
        [
            {"id": "a", "kind": "audio", "inserts": [{"id": "d1", "type": "delay", "wet": 0.5, "delay_ms": 300}]},
            {"id": "b", "kind": "audio", "inserts": [{"id": "d2", "type": "delay", "wet": 0.5, "delay_ms": 250}]},
            "o:out",
        ],
        ["a>out", "b>out"],
    )
    with pytest.raises(DocumentError, match=r"delay on b differs from the first one \(delay ms\)"):
        apply(made, "effect_to_return", {"strips": ["a", "b"], "type": "delay", "to": "out"})


def test_a_change_that_is_allowed_is_made() -> None:
    """An insert that moves onto a bus no longer processes the bypassing signal: figures, unless it is allowed."""
    made = template(
        [
            "a:x",
            "a:y",
            {"id": "mix", "kind": "master", "inserts": [{"id": "g", "type": "gain", "gain_db": -6.0}]},
            "o:out",
        ],
        ["x>mix", "y>mix", "mix>out"],
    )
    arguments = {"strips": ["x"], "to": "mix", "name": "Sub", "inserts": ["g"]}
    with pytest.raises(DocumentError, match=r"out would have a .* instead of .* dBFS \(channel 1\)"):
        apply(made, "insert_bus", arguments)
    after = apply(made, "insert_bus", {**arguments, "allow_change": True})
    assert [insert.id for strip in after.strips if strip.id == "sub" for insert in strip.inserts] == ["g"]


@pytest.mark.parametrize("pans", [(0.5, 0.5), (0.5, -1.0)])
def test_strips_on_another_machine_keep_their_pans(pans: tuple[float, float]) -> None:
    made = template(
        [{"id": "src", "kind": "audio", "pan": pans[0]}, "b:sub", {"id": "out", "kind": "output", "layout": "stereo"}],
        ["src>sub", "src>out", {"kind": "feed", "from": "src", "to": "out", "tap": "pre-fader", "pan": pans[1]}],
        machines=[{"id": "main", "name": "Main"}, {"id": "far", "name": "Far"}],
    )
    assert same_or_refused(made, "move_to_machine", {"strips": ["src"], "machine": "far"})
