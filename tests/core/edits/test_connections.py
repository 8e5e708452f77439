"""Connecting: instead of where strips went, one each in order, and channels in sequence past those that are taken."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.checks import audit
from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.model.document import Template
from tests.build import template

SEVENTEEN = [f"a:m{n:02}" for n in range(1, 18)]
PANNED = template(
    [*SEVENTEEN, {"id": "pan", "kind": "bus", "layout": "discrete:20", "inserts": [{"id": "p", "type": "panner", "layout_out": "5.1"}]},
     {"id": "mix", "kind": "master", "layout": "5.1"}, {"id": "out", "kind": "output", "layout": "5.1", "io": [1, 2, 3, 4, 5, 6]}],
    [*(f"m{n:02}>pan" for n in range(1, 18)), "pan>mix", "mix>out"],
)  # fmt: skip


def routes(made: Template) -> list[str]:
    return [f"{r.kind} {r.from_strip}>{r.to}" for r in made.routes]


def landing(made: Template) -> dict[str, int]:
    """Where each strip lands at the panner, by its only pair."""
    return {r.from_strip: r.channels[0][1] for r in made.routes if r.to == "pan" and r.channels}


def test_a_feed_takes_the_place_of_those_there_and_keeps_the_level() -> None:
    made = template(["a:x", "b:one", "b:two", "b:three"], ["x>one -3", "x>two", "send x>one -10"])
    assert routes(apply(made, "connect_many", {"strips": ["x"], "to": "three", "instead": True})) == [
        "feed x>three",
        "send x>one",
    ]
    assert apply(made, "connect_many", {"strips": ["x"], "to": "three", "instead": True}).routes[0].gain_db == -3
    assert routes(apply(made, "connect_many", {"strips": ["x"], "to": "two", "instead": True})) == [
        "feed x>two",
        "send x>one",
    ]
    added = apply(made, "connect_many", {"strips": ["x"], "to": "three"})
    assert routes(added) == [*routes(made), "feed x>three"]


def test_an_outlet_is_led_elsewhere_by_itself() -> None:
    kit = {"id": "kit", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}]}
    made = template([kit, "b:one", "b:two"], ["kit>one", "kit/2>one"])
    after = apply(made, "connect", {"route": {"from": "kit/2", "to": "two"}, "instead": True})
    assert [(r.from_outlet, r.to) for r in after.routes] == [(None, "one"), ("2", "two")]


def test_one_each_in_order() -> None:
    two = [{"id": "main", "name": "Main"}, {"id": "far", "name": "Far"}]
    outs = [{"id": f"o{n}", "kind": "output", "machine": "far", "io": [n]} for n in (1, 2, 3)]
    ins = [{"id": f"i{n}", "kind": "input", "io": [n]} for n in (1, 2, 3, 4)]
    made = template([*outs, *ins], [], machines=two)
    tied = apply(made, "connect_pairwise", {"strips": ["o3", "o1", "o2"], "to": "i2", "kind": "tie"})
    assert routes(tied) == ["tie o1>i2", "tie o2>i3", "tie o3>i4"]
    with pytest.raises(DocumentError, match="3 strips are selected; from i3 on there are only 2 of kind input"):
        apply(made, "connect_pairwise", {"strips": ["o1", "o2", "o3"], "to": "i3", "kind": "tie"})


def test_channels_number_on_past_those_that_are_taken() -> None:
    guide = apply(PANNED, "connect_many", {"strips": ["m01"], "to": "pan", "first_channel": 3})
    rest = [f"m{n:02}" for n in range(2, 18)]
    made = apply(guide, "connect_many", {"strips": rest, "to": "pan", "first_channel": 1})
    assert landing(made) == {"m01": 3, "m02": 1, "m03": 2, **{f"m{n:02}": n for n in range(4, 18)}}
    assert not [finding.code for finding in audit(made).findings if finding.code.startswith("route.channels")]
    with pytest.raises(DocumentError, match="from channel 6 on: it has 20 channels"):
        apply(guide, "connect_many", {"strips": rest, "to": "pan", "first_channel": 6})


def test_seventeen_on_one_channel_are_said() -> None:
    """Without channels: a mono strip feeds channel 1 of a discrete one, as all others do."""
    (said,) = [finding for finding in audit(PANNED).findings if finding.code == "route.channels-doubled"]
    assert said.strips == ("pan", *(f"m{n:02}" for n in range(1, 18)))


def test_notes_take_the_next_free_channels() -> None:
    made = template(["m:one", "m:two", "m:three", "i:synth"], ["midi one>synth"])
    first = apply(made, "change_route", {"route": "r1", "changes": {"channel": 1}})
    after = apply(first, "connect_many", {"strips": ["two", "three"], "to": "synth", "kind": "midi"})
    assert [(r.port, r.channel) for r in after.routes] == [(None, 1), (1, 2), (1, 3)]


def test_physical_channels_in_one_stride() -> None:
    made = template([{"id": f"o{n}", "kind": "output", "layout": "stereo"} for n in (1, 2, 3)], [])
    after = apply(made, "number_channels", {"strips": ["o1", "o2", "o3"], "first": 1, "stride": 8})
    assert [strip.io for strip in after.strips] == [(1, 2), (9, 10), (17, 18)]


REFUSED: list[tuple[str, dict[str, Any], str]] = [
    ("connect_many", {"strips": ["m01"], "to": "m02", "kind": "tie"}, "a tie starts at an output"),
    ("connect", {"route": {"from": "out", "to": "mix"}}, "cannot start at an output; from out"),
    ("number_routes", {"strips": ["out"], "to": "pan"}, "none of these strips feeds pan"),
]


@pytest.mark.parametrize(("edit", "arguments", "said"), REFUSED, ids=[case[2] for case in REFUSED])
def test_what_may_not_be_is_refused_by_sentence(edit: str, arguments: dict[str, Any], said: str) -> None:
    with pytest.raises(DocumentError) as refused:
        apply(PANNED, edit, arguments)
    assert said in "; ".join(refused.value.problems)
