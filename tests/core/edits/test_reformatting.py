"""Another layout: widened and unchanged strips, the consequences, and that the reverse leads back."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.edits.change_layout import programme_strips, reformatted
from lattice.formats.gate import validated
from lattice.generate import generate
from lattice.model.document import Route, Strip, Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates

SHOW = template(
    [
        {"id": "vox", "name": "Vox", "kind": "audio"}, {"id": "pad", "name": "Pad", "kind": "audio", "layout": "stereo"},
        {"id": "bed", "name": "Bed", "kind": "audio", "layout": "5.1"},
        {"id": "music", "name": "Music", "kind": "bus", "layout": "stereo", "inserts": [{"id": "m", "type": "other", "layout_in": "stereo"}]},
        {"id": "talk", "name": "Talk", "kind": "bus", "layout": "mono"}, {"id": "hall", "name": "Hall", "kind": "return", "layout": "stereo"},
        {"id": "mix", "name": "Mix", "kind": "master", "layout": "stereo"}, {"id": "take", "name": "Take", "kind": "print", "layout": "stereo"},
        {"id": "out", "name": "Out", "kind": "output", "layout": "stereo", "io": [1, 2]},
        {"id": "phones", "name": "Phones", "kind": "output", "layout": "stereo", "io": [3, 4]},
    ],
    ["vox>talk", "pad>music", "talk>mix", "music>mix", "send pad>hall", "hall>music", "mix>out", "mix>take", "send mix>phones", "bed>mix"],
    stems=[{"id": "st", "name": "Mix", "role": "mix", "strip": "mix", "print": "take"}],
    machines=[{"id": "main", "name": "Main", "outputs": 12}],
)  # fmt: skip


def test_the_programme_widens_and_what_is_beside_it_stays() -> None:
    assert programme_strips(SHOW, "stereo") == ("music", "mix", "take", "out")
    found = reformatted(SHOW, "stereo", "5.1")
    layouts = {strip.id: strip.layout for strip in found.template.strips}
    assert found.strips == ("music", "mix", "take", "out")
    assert found.stays == ("phones",)
    assert {layouts[one] for one in found.strips} == {"5.1"}
    assert (layouts["hall"], layouts["talk"], layouts["pad"], layouts["phones"]) == (
        "stereo",
        "mono",
        "stereo",
        "stereo",
    )
    assert [stem.layout for stem in found.template.stems] == ["5.1"]
    assert found.template.profile.layouts == ("5.1",)
    assert found.template.strips[3].inserts[0].layout_in == "5.1"
    assert [f"{route.from_strip}>{route.to}" for route in found.folds] == ["mix>phones"]  # six channels into two


def test_outputs_keep_their_first_channels_and_take_more_that_are_free() -> None:
    found = reformatted(SHOW, "stereo", "5.1")
    outs = {strip.id: strip.io for strip in found.template.strips if strip.io}
    assert outs == {"out": (1, 2, 5, 6, 7, 8), "phones": (3, 4)}
    assert "Out: physical channels 1, 2, 5, 6, 7, 8" in found.said
    narrow = template([*SHOW_STRIPS], SHOW_ROUTES, machines=[{"id": "main", "name": "Main", "outputs": 6}])
    tight = reformatted(narrow, "stereo", "5.1")
    assert "Out: Main has fewer than 4 free channels" in tight.said


SHOW_STRIPS = ["a:a", {"id": "mix", "name": "Mix", "kind": "master", "layout": "stereo"},
               {"id": "out", "name": "Out", "kind": "output", "layout": "stereo", "io": [1, 2]},
               {"id": "cue", "name": "Cue", "kind": "output", "layout": "stereo", "io": [3, 4]}]  # fmt: skip
SHOW_ROUTES = ["a>mix", "mix>out", "send a>cue"]


def test_channels_of_outside_gear_are_not_free() -> None:
    gear = {"id": "tape", "type": "external", "io_out": [5, 6], "io_in": [1, 2]}
    made = template([{"id": "a", "kind": "audio", "inserts": [gear]}, *SHOW_STRIPS[1:3]], ["a>mix", "mix>out"],
                    machines=[{"id": "main", "name": "Main", "outputs": 12}])  # fmt: skip
    outs = {strip.id: strip.io for strip in reformatted(made, "stereo", "5.1").template.strips}
    assert outs["out"] == (1, 2, 7, 8, 9, 10)


def test_sources_get_panners_where_they_are_wanted_and_lose_them_on_the_way_back() -> None:
    wide = reformatted(SHOW, "stereo", "5.1", panners=True)
    panned = {
        strip.id: strip.inserts[-1].layout_out
        for strip in wide.template.strips
        if strip.inserts and strip.id in ("vox", "pad", "bed")
    }
    assert panned == {"pad": "5.1"}  # what feeds a bus that stays mono needs none, nor what is as wide already
    assert "Pad: a panner into 5.1" in wide.said
    back = reformatted(wide.template, "5.1", "stereo", wide.strips, panners=True)
    assert back.template == SHOW
    assert [f"{route.from_strip}>{route.to}" for route in back.folds] == ["bed>mix"]


def test_what_both_are_delivered_stays_so() -> None:
    both = reformatted(
        template(SHOW_STRIPS, SHOW_ROUTES, profile={"name": "Both", "layouts": ["stereo", "5.1"]}), "stereo", "5.1"
    )
    assert both.template.profile.layouts == ("stereo", "5.1")


@given(templates(), st.sampled_from(["lcr", "quad", "5.0", "5.1", "7.1"]), st.booleans())
@tries(200)
def test_there_and_back_is_where_it_began(made: Template, after: str, panners: bool) -> None:
    last = Strip(id="last", name="Last", kind="master", layout="stereo")
    into = (s.id for s in made.strips if s.kind not in ("midi", "output") and s.machine is None)
    feeds = tuple(Route(id=f"into-{one}", kind="feed", from_strip=one, to="last") for one in into)
    made = replace(made, strips=(*made.strips, last), routes=(*made.routes, *feeds))
    wide = reformatted(made, "stereo", after, panners=panners)
    assert validated(made, wide.template) is wide.template
    assert reformatted(wide.template, after, "stereo", wide.strips, panners=panners).template == made


@pytest.mark.parametrize("after", ["5.1", "7.1"])
def test_so_it_is_with_a_large_one(after: str) -> None:
    made = generate(300, 2)
    wide = reformatted(made, "stereo", after, panners=True)
    assert len(wide.strips) > 5
    assert reformatted(wide.template, after, "stereo", wide.strips, panners=True).template == made


def test_pairs_of_channels_that_are_no_more_go_and_are_said() -> None:
    made = template(
        [
            {"id": "bed", "kind": "audio", "layout": "5.1"},
            {"id": "mix", "name": "Mix", "kind": "master", "layout": "5.1"},
            "o:out",
        ],
        [{"from": "bed", "to": "mix", "channels": [[1, 1], [2, 2], [5, 5]]}, "mix>out"],
    )
    found = reformatted(made, "5.1", "stereo")
    assert found.template.routes[0].channels == ((1, 1), (2, 2))
    assert "feed bed → Mix: 1 fewer channel pairs" in found.said
