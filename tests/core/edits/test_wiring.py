"""Wire up: what leads nowhere, to its nearest sum."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.checks import audit
from lattice.edits import apply
from lattice.errors import EditError
from tests.build import template

SECTION = [{"id": "s", "name": "Drums", "bus": "drums"}]


def named(name: str, kind: str = "audio", **fields: Any) -> dict[str, Any]:
    return {"id": name.lower().replace(" ", "-"), "name": name, "kind": kind, **fields}


def wired(*strips: Any, routes: list[str] | None = None, **fields: Any) -> set[tuple[str, str]]:
    """The feeds after wiring everything."""
    made = template(list(strips), routes or [], **fields)
    after = apply(made, "wire_up", {"strips": [strip.id for strip in made.strips]})
    return {(route.from_strip, route.to) for route in after.routes}


@pytest.mark.parametrize(
    ("strips", "routes", "fields", "feeds"),
    [
        (["a:kick", "a:snare"], [], {}, {("kick", "mix"), ("snare", "mix"), ("mix", "out-1-2")}),
        ([named("Kick", section="s"), named("Drums", "bus")], [], {"sections": SECTION}, {("kick", "drums"), ("drums", "mix"), ("mix", "out-1-2")}),
        (["a:kick", "x:mix", "o:out"], [], {}, {("kick", "mix"), ("mix", "out")}),
        (["a:kick", "x:mix", "o:out"], ["mix>out"], {}, {("kick", "mix"), ("mix", "out")}),
        (["a:kick", "a:snare", "o:out"], ["snare>out"], {}, {("snare", "out"), ("kick", "out")}),
        (["a:c click", "a:kick", "x:mix", "o:out"], [], {}, {("c", "out"), ("kick", "mix"), ("mix", "out")}),
        ([named("Kick", "instrument"), named("Kick channel"), named("Kick bus", "bus"), "x:mix", "o:out"], ["kick-bus>mix", "mix>out"], {}, {("kick-bus", "mix"), ("mix", "out"), ("kick", "kick-bus"), ("kick-channel", "mix")}),
        ([named("Strings", "bus"), named("Print Strings", "print"), named("Mix print", "print")], [], {}, {("strings", "mix"), ("strings", "print-strings"), ("mix", "mix-print"), ("mix", "out-1-2")}),
        (["a:kick", "a:t trigger", "a:s spare", "a:b backup"], [], {}, {("kick", "mix"), ("mix", "out-1-2")}),
    ],
)  # fmt: skip
def test_everything_goes_to_its_nearest_sum(strips: list[Any], routes: list[str], fields: dict, feeds: set) -> None:  # type: ignore[type-arg]
    assert wired(*strips, routes=routes, **fields) == feeds


def test_the_output_takes_the_next_free_pair() -> None:
    taken = {"id": "phones", "name": "Phones", "kind": "output", "layout": "stereo", "io": [1, 2]}
    after = apply(template(["a:kick", taken]), "wire_up", {"strips": ["kick"]})
    assert (after.strips[-2].name, after.strips[-2].io) == ("Out 3–4", (3, 4))


def test_what_is_wired_is_heard_and_gives_no_warning() -> None:
    kit = {"id": "kit", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}]}
    made = template(["a:kick", kit, "b:drums", "r:hall"], ["kick>drums"])
    after = apply(made, "wire_up", {"strips": [strip.id for strip in made.strips]})
    assert {finding.severity for finding in audit(after).findings} <= {"note"}


def test_a_private_section_stays_among_its_own() -> None:
    strips = [named("Voice", section="cue"), named("Synth", section="cue"), "a:kick", "x:mix", "o:out", "o:phones"]
    sections = [{"id": "cue", "name": "Cue", "private": True}]
    assert wired(*strips, routes=["voice>phones", "mix>out"], sections=sections) == {
        ("voice", "phones"), ("mix", "out"), ("kick", "mix"), ("synth", "phones"),
    }  # fmt: skip


def test_nothing_to_wire_is_said() -> None:
    with pytest.raises(EditError, match="leads somewhere already"):
        apply(template(["a:kick", "o:out"], ["kick>out"]), "wire_up", {"strips": ["kick"]})
