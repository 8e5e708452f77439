"""Sentences about type errors: each has the place, the error and the allowed values."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.model.document import Insert, Route, Strip, Template
from lattice.model.schema import problems, shown

STRIP = {"id": "x", "name": "X", "kind": "audio"}
ROUTE = {"id": "r", "kind": "feed", "from": "x", "to": "y"}

TABLE: list[tuple[Any, Any, str]] = [
    ("x", Strip, "expected an object, found text"),
    ([], Strip, "expected an object, found a list"),
    (None, Strip, "expected an object, found null"),
    ({**STRIP, "colour": "red"}, Strip, 'colour: "red" is not a colour like #8a4b2d'),
    ({"id": "x", "kind": "audio"}, Strip, "the field name is missing"),
    ({**STRIP, "fadr_db": 1}, Strip, "fadr_db: unknown field; use id, name, kind, layout"),
    ({**STRIP, "layout": "surround"}, Strip, 'layout: "surround" is not a layout: mono, stereo, lcr, quad'),
    ({**STRIP, "kind": "track"}, Strip, 'kind: "track" is not one of audio, bus, input'),
    ({**STRIP, "mute": "yes"}, Strip, "mute: expected true or false, found text"),
    ({**STRIP, "mute": 1}, Strip, "mute: expected true or false, found the number"),
    ({**STRIP, "pan": 2}, Strip, "pan: 2 is above 1"),
    ({**STRIP, "pan": -1.5}, Strip, "pan: -1.5 is below -1"),
    ({**STRIP, "pan": True}, Strip, "pan: expected a number, found true"),
    ({**STRIP, "pan": float("nan")}, Strip, "pan: is not a finite number"),
    ({**STRIP, "pan": 10**400}, Strip, "pan: is not a finite number"),
    ({**STRIP, "latency_samples": 1.5}, Strip, "latency_samples: expected a whole number, found 1.5"),
    ({**STRIP, "latency_samples": -1}, Strip, "latency_samples: -1 is below 0"),
    ({**STRIP, "name": ""}, Strip, "name: "),
    ({**STRIP, "name": "x" * 501}, Strip, "name: "),
    ({**STRIP, "tags": "click"}, Strip, "tags: expected a list, found text"),
    ({**STRIP, "tags": ["click", 3]}, Strip, "tags[1]: expected text, found the number"),
    ({**STRIP, "io": [0]}, Strip, "io[0]: 0 is below 1"),
    (
        {**STRIP, "inserts": [{"id": "i", "type": "magic"}]},
        Strip,
        'inserts[0].type: "magic" is not one of clipper, compressor',
    ),
    ({**STRIP, "inserts": {"id": "i"}}, Strip, "inserts: expected a list, found an object"),
    ({**STRIP, "source": {"peak_dbfs": "loud"}}, Strip, "source.peak_dbfs: expected a number, found text"),
    ({**STRIP, "midi": {"ports": 0}}, Strip, "midi.ports: 0 is below 1"),
    ({**STRIP, "midi": {"channels": [17]}}, Strip, "midi.channels[0]: 17 is above 16"),
    ({**STRIP, "midi": {"channels": "some"}}, Strip, 'midi.channels: "some" is not one of all'),
    ({**ROUTE, "channels": [[1, 2, 3]]}, Route, "channels[0]: has 3 entries, not 2"),
    ({**ROUTE, "channels": [1]}, Route, "channels[0]: expected a list, found the number"),
    ({**ROUTE, "gain_db": "off"}, Route, "gain_db: expected a number, found text"),
    ({**ROUTE, "gain_db": 300}, Route, "gain_db: 300 is above 200"),
    ({"id": "i", "ratio": 0}, Insert, "ratio: 0 is not above 0"),
    ({"name": "T", "info": {"a": 1}}, Template, "info.a: expected text, found the number"),
    ({"name": "T", "info": []}, Template, "info: expected an object, found a list"),
    ({"name": "T", "strips": [STRIP, 3]}, Template, "strips[1]: expected an object, found the number"),
    ({"name": "T", "format": "other"}, Template, 'format: "other" is not one of intact-lattice.template'),
]


@pytest.mark.parametrize(("value", "kind", "sentence"), TABLE)
def test_it_says_where_and_what_is_allowed(value: Any, kind: Any, sentence: str) -> None:
    found = list(problems(value, kind))
    assert any(problem.startswith(sentence) for problem in found), found


def test_everything_wrong_is_said_at_once_each_with_its_place() -> None:
    wrong = {"name": 3, "strips": [{"id": "x"}, {**STRIP, "pan": 5}], "routes": [{**ROUTE, "tap": "middle"}]}
    found = list(problems(wrong, Template, "document"))
    assert [problem.split(":")[0] for problem in found] == [
        "document.name",
        "document.strips[0]",
        "document.strips[0]",
        "document.strips[1].pan",
        "document.routes[0].tap",
    ]


@pytest.mark.parametrize(
    "good", [STRIP, {**STRIP, "source": None}, {**STRIP, "io": None}, {**STRIP, "midi": {"channels": "all"}}]
)
def test_what_fits_has_no_problem(good: dict[str, Any]) -> None:
    assert list(problems(good, Strip)) == []


@pytest.mark.parametrize(
    ("value", "text"),
    [
        ("a", '"a"'),
        (1.5, "1.5"),
        (None, "null"),
        ([1, 2], "[1,2]"),
        ("x" * 100, '"' + "x" * 56 + "…"),
        ("\ud800", "'\\ud800'"),
    ],
)
def test_values_are_shown_in_short(value: Any, text: str) -> None:
    assert shown(value) == text
