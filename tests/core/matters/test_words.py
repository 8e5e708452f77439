"""Sentences of issues: a plural with the place and the cause, in the words of the trade."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.matters.effect import State
from lattice.matters.matter import matters_of
from lattice.model.document import Template
from tests.build import template

SECTION = [{"id": "s", "name": "Drums", "bus": "bus"}]
GATE = {"id": "gate", "name": "Gate", "type": "gate"}
QUIET = {"peak_dbfs": -50.0, "rms_dbfs": -70.0}


def player(name: str, **fields: Any) -> dict[str, Any]:
    return {"id": name, "name": name.capitalize(), "kind": "audio", **fields}


def gated(name: str) -> dict[str, Any]:
    return player(name, section="s", source=QUIET, inserts=[{**GATE, "id": f"{name}-gate"}])


CASES: list[tuple[Template, str, str]] = [
    (template([player("kick"), player("hat"), "b:drums", "b:bus", "o:out"], ["kick>drums", "hat>drums", "drums>bus disabled", "bus>out"]),
     "route.blocked", "2 sources are silent: the feed from drums to bus is disabled"),
    (template([gated("kick"), gated("hat"), "b:bus", "o:out"], ["kick>bus", "hat>bus", "bus>out"], sections=SECTION),
     "level.operating", "2 inserts run off their operating level: gate; in Drums"),
    (template([player("x", colour="#111111", section="s"), player("y", colour="#222222", section="s"), "b:bus", "o:out"], ["x>bus", "y>bus", "bus>out"], sections=[{**SECTION[0], "colour": "#333333"}]),
     "section.colour", "2 strips differ from their section colour: in Drums"),
    (template([{"id": "o", "kind": "output", "io": [90]}, {"id": "p", "kind": "output", "io": [91]}, "a:x", "a:y"], ["x>o", "y>p"]),
     "io.range", "2 strips use missing channels: on Main computer"),
]  # fmt: skip


@pytest.mark.parametrize(("made", "code", "words"), CASES, ids=[case[1] for case in CASES])
def test_several_findings_of_one_cause_in_a_sentence(made: Template, code: str, words: str) -> None:
    state = State(made)
    (matter,) = [one for one in matters_of(state.analysis, state.audit, hang=False) if one.code == code]
    assert matter.message == words


def test_one_finding_keeps_its_own_sentence() -> None:
    state = State(template(["a:kick", "o:out"], []))
    for matter in matters_of(state.analysis, state.audit):
        if len(matter.own) == 1:
            assert matter.message == matter.own[0].message
