"""An instrument of names by articulations: ports are never split, outlets by name, in order or by number."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.checks import audit
from lattice.edits import apply
from lattice.errors import EditError
from lattice.model.document import Strip, Template
from tests.build import template

BASE = template(["x:mix", "o:out"], ["mix>out"], machines=[{"id": "one", "name": "One"}, {"id": "two", "name": "Two"}])


def built(names: list[str], articulations: list[str], **more: object) -> Template:
    return apply(
        BASE, "build_articulations", {"names": names, "articulations": articulations, "name": "Strings", **more}
    )


def kit(made: Template) -> Strip:
    return next(strip for strip in made.strips if strip.kind == "instrument")


@given(st.integers(1, 40), st.integers(1, 16))
def test_all_articulations_of_a_name_are_on_one_port(names: int, articulations: int) -> None:
    if names * articulations > 512:
        return
    made = built([f"P{n}" for n in range(names)], [f"a{n}" for n in range(articulations)])
    notes = {route.from_strip: (route.port, route.channel) for route in made.routes if route.kind == "midi"}
    assert len(set(notes.values())) == len(notes) == names * articulations
    parts = kit(made).parts
    for at in range(names):
        own = parts[at * articulations : (at + 1) * articulations]
        assert len({part.port for part in own}) == 1
        assert [part.channel for part in own] == list(range(own[0].channel or 0, (own[0].channel or 0) + articulations))
    midi = kit(made).midi
    assert midi is not None
    assert midi.ports == max(port for port, _channel in notes.values() if port)
    assert [(part.port, part.channel) for part in parts] == list(notes.values())


def test_twelve_by_three_sounds_through_its_bus_without_a_blocker() -> None:
    made = built([f"Player {n}" for n in range(1, 13)], ["long", "short", "tremolo"])
    assert [strip.name for strip in made.strips if strip.kind == "audio"] == [
        "Strings long",
        "Strings short",
        "Strings tremolo",
    ]
    assert [finding.message for finding in audit(made).findings if finding.severity != "note"] == []
    bus = made.sections[0].bus
    assert {route.to for route in made.routes if route.from_strip == bus} == {"mix"}


OUTLETS = [
    ("", ["long", "short legato"], ["long", "short legato"]),
    ("long, short", ["long", "short legato", "short"], ["long", "short", "short"]),
    ("near, far", ["long", "short", "trill"], ["near", "far", "near"]),
    ("2", ["long", "short"], ["1", "1"]),
]


@pytest.mark.parametrize(("outlets", "articulations", "expected"), OUTLETS)
def test_outlets_by_name_in_order_or_by_number(outlets: str, articulations: list[str], expected: list[str]) -> None:
    made = kit(built(["Violins", "Basses"], articulations, outlets=outlets))
    names = {outlet.id: outlet.name for outlet in made.outlets}
    assert [names[part.outlet or ""] for part in made.parts[: len(articulations)]] == expected
    last = [names[part.outlet or ""] for part in made.parts[len(articulations) :]]
    assert last == (["2"] * len(articulations) if outlets == "2" else expected)


def test_on_another_machine_it_comes_back_over_ties() -> None:
    made = built(["Violins"], ["long", "short"], machine="two")
    assert kit(made).machine == "two"
    assert sum(route.kind == "tie" for route in made.routes) >= 2


REFUSED: list[tuple[list[str], list[str], dict[str, str], str]] = [
    ([], ["long"], {}, "names: at least one is needed"),
    (["A"], [], {}, "articulations: at least one is needed"),
    (["A", "a"], ["long"], {}, "names: A appears twice"),
    (["A"], [f"a{n}" for n in range(17)], {}, "17 articulations; a port has 16 channels"),
    ([f"n{n}" for n in range(200)], ["a", "b", "c"], {}, "600 MIDI strips; at most 512"),
    (["A"], ["long"], {"outlets": "0"}, "0 outlets; 1 to 64"),
    (["A"], ["long"], {"outlets": "main, far"}, "needs different names, other than main"),
    (["A"], ["long"], {"outlets": "far, Far"}, "needs different names"),
]


@pytest.mark.parametrize(("names", "articulations", "more", "sentence"), REFUSED)
def test_what_it_refuses(names: list[str], articulations: list[str], more: dict[str, str], sentence: str) -> None:
    with pytest.raises(EditError, match=sentence):
        built(names, articulations, **more)
