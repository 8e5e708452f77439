"""Sequences and sets: parts over outlets, channels over ports, whole sections, and the effect of a bus in between."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.checks import audit
from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.gain_staging.bus_effect import WayChange, bus_effect
from lattice.model.document import Template
from tests.build import template
from tests.core.edits.test_bulk import MADE, routes, strip
from tests.deep import tries


def choir(count: int, ports: int = 3, channels: Any = "all") -> Template:
    """`count` midi strips on one instrument, all on channel 1 of port 1, as a careless template has them."""
    strips: list[Any] = [
        {"id": "choir", "name": "Choir", "kind": "instrument", "midi": {"ports": ports, "channels": channels}}
    ]
    return template(
        [*strips, *(f"m:v{number}" for number in range(count))],
        [{"kind": "midi", "from": f"v{number}", "to": "choir", "channel": 1} for number in range(count)],
    )  # fmt: skip


def played(made: Template) -> list[tuple[int | None, int | None]]:
    return [(route.port, route.channel) for route in made.routes]


@given(count=st.integers(1, 48), port=st.integers(1, 3), channel=st.integers(1, 16))
@tries(60)
def test_channels_in_sequence_are_sixteen_a_port_and_none_twice(count: int, port: int, channel: int) -> None:
    """MIDI 1.0: 16 channels a port."""
    before = choir(count)
    room = 48 - ((port - 1) * 16 + channel - 1)
    if count > room:
        with pytest.raises(DocumentError, match=f"{room} channels are free"):
            apply(before, "number_midi", {"instrument": "choir", "port": port, "channel": channel})
        return
    found = played(apply(before, "number_midi", {"instrument": "choir", "port": port, "channel": channel}))
    first = (port - 1) * 16 + channel - 1
    assert found == [(at // 16 + 1, at % 16 + 1) for at in range(first, first + count)]


def test_channels_that_others_play_or_that_are_not_received_are_passed_over() -> None:
    before = choir(3, ports=2, channels=[1, 2, 10])
    found = apply(before, "number_midi", {"instrument": "choir", "strips": ["v1", "v2"], "port": 1, "channel": 1})
    assert played(found) == [(None, 1), (1, 2), (1, 10)]


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        ({"instrument": "v0"}, "instrument v0 does not exist"),
        ({"instrument": "choir", "strips": ["choir"]}, "none of these strips has a MIDI route to Choir"),
        ({"instrument": "choir", "strips": ["nobody"]}, "strip nobody does not exist"),
    ],
)
def test_what_cannot_be_numbered_is_said(arguments: dict[str, Any], words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        apply(choir(2), "number_midi", arguments)


def test_parts_are_laid_over_the_open_outlets_in_order() -> None:
    outlets = [{"id": "1"}, {"id": "2", "open": False}, {"id": "3"}]
    parts = [{"id": name, "outlet": "1"} for name in ("k", "s", "t")]
    made = template(
        [{"id": "kit", "kind": "instrument", "outlets": outlets, "parts": parts}, "o:out"], ["kit>out", "kit/3>out"]
    )
    finding = next(f for f in audit(made).findings if f.code == "part.all-first")
    laid = apply(made, finding.remedies[0].steps[0].edit, finding.remedies[0].steps[0].arguments)
    assert [part.outlet for part in laid.strips[0].parts] == ["1", "3", "3"]
    assert "part.all-first" not in {f.code for f in audit(laid).findings}


def test_parts_need_outlets() -> None:
    with pytest.raises(DocumentError, match="0 parts and 0 open outlets"):
        apply(template(["i:kit"]), "lay_parts", {"strip": "kit"})


def test_a_whole_section_is_copied_with_its_bus_and_what_lies_inside_it() -> None:
    made = apply(MADE, "duplicate_section", {"section": "drums"})
    section = made.sections[-1]
    assert (section.id, section.name, section.bus, section.colour) == ("drums-2", "Drums 2", "drums-2", "#8a4b2d")
    inside = [piece.id for piece in made.strips if piece.section == "drums-2"]
    assert set(inside) == {"tom-3", "tom-4", "drums-2", "kit-2"}
    assert strip(made, section.bus).kind == "bus"
    assert routes(made, "tom-3") == [("feed", "tom-3", section.bus, 0.0), ("key", "tom-3", "mix", 0.0)]
    assert routes(made, section.bus) == [("feed", section.bus, "sub", 0.0)]


def test_inner_sections_keep_their_place_in_the_copy() -> None:
    made = template(
        [{"id": "a", "kind": "audio", "section": "inner"}, {"id": "far", "kind": "bus"}], ["a>far"],
        sections=[{"id": "outer", "name": "Outer", "bus": "far"}, {"id": "inner", "name": "Inner", "parent": "outer"}],
    )  # fmt: skip
    copy = apply(made, "duplicate_section", {"section": "outer"})
    outer, inner = copy.sections[2:]
    assert (outer.bus, inner.parent, copy.strips[1].section) == ("far", outer.id, inner.id)


@pytest.mark.parametrize("arguments", [{"section": "no"}, {"section": "drums", "times": 0}])
def test_a_section_that_is_not_there_or_no_copy_is_refused(arguments: dict[str, Any]) -> None:
    with pytest.raises(DocumentError):
        apply(MADE, "duplicate_section", arguments)


def test_a_bus_in_between_changes_nothing_until_inserts_move_onto_it() -> None:
    before = template(
        ["a:x", "a:y", {"id": "mix", "kind": "bus", "layout": "stereo", "inserts": [{"id": "t", "type": "eq", "gain_db": -4.0, "latency_samples": 64}]}],
        ["x>mix -3", "y>mix"],
    )  # fmt: skip
    plain = apply(before, "insert_bus", {"strips": ["x"], "to": "mix", "name": "Sub"})
    assert bus_effect(before, plain, "sub") == [WayChange("x", "mix", 0.0, 0)]
    louder = apply(plain, "change_strip", {"strip": "sub", "changes": {"fader_db": -5.0}})
    slower = apply(louder, "add_insert", {"strip": "sub", "insert": {"type": "limiter", "latency_samples": 100}})
    (change,) = bus_effect(before, slower, "sub")
    assert (round(change.level_db, 6), change.latency_samples) == (-5.0, 100)


def test_dissolving_keeps_every_level() -> None:
    after = apply(MADE, "dissolve_bus", {"bus": "sub"})
    assert [(c.start, c.end, round(c.level_db, 9), c.latency_samples) for c in bus_effect(MADE, after, "sub")] == [
        ("bus", "mix", 0.0, 0)
    ]
