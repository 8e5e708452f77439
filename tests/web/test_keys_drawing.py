"""Side-chains drawn: who ducks whom, depth over the level of the key, releases beside note values."""

from __future__ import annotations

from typing import Any

import pytest

from lattice.model.tempo import nearest_value, note_values_ms
from tests.build import template
from web.editor.places.keys import keys
from web.editor.places.keys_drawing import DB_A_PX, MOST_ROWS, depth_curves, releases, who_ducks_whom
from web.shelf.workspace import Workspace


def rows(*inserts: dict[str, Any], states: tuple[str, ...] = ("on",)) -> list[dict[str, Any]]:
    """A kick that keys the first insert of each of some strips."""
    duck = {"type": "compressor", "key": "external", "threshold_db": -30.0, "ratio": 2.0, "release_ms": 120.0}
    strips: list[Any] = ["a:kick", "o:out"]
    routes: list[Any] = ["kick>out"]
    for at, own in enumerate(inserts):
        state = states[at % len(states)]
        strips.append({"id": f"s{at}", "kind": "audio", "inserts": [{**duck, "id": f"i{at}", "state": state, **own}]})
        routes += [f"s{at}>out", f"key kick>s{at}/i{at}"]
    return keys(Workspace(template(strips, routes)))


def test_a_line_is_as_thick_as_the_key_ducks_deep() -> None:
    made = rows({}, {"ratio": 100.0}, {}, states=("on", "on", "bypassed"))
    drawn = who_ducks_whom(made)
    assert drawn is not None
    assert [line["look"] for line in drawn["lines"]] == ["duck", "duck", "duck inactive"]
    depths = [line["depth"] for line in drawn["lines"][:2]]
    assert depths == pytest.approx([6.0, 12.0])  # −18 dBFS expected: 12 dB above the threshold, at 2:1 and limiting
    assert [line["width"] for line in drawn["lines"]] == [1 + 6 / DB_A_PX, 1 + 12 / DB_A_PX, 1.0]
    assert [box["name"] for box in drawn["boxes"]] == ["kick", "s0", "s1", "s2"]


def test_dots_of_a_curve_are_where_the_levels_of_the_key_are() -> None:
    made = rows({})
    drawn = depth_curves(made)
    assert drawn is not None
    (curve,) = drawn["curves"]
    expected, worst = curve["dots"]
    corners = [tuple(map(float, point.split(","))) for point in curve["points"].split(" ")]
    across = (corners[-1][0] - corners[0][0]) / 60
    assert expected["x"] == pytest.approx(corners[0][0] + 42 * across, abs=0.2)  # −18 dBFS
    assert worst["x"] == pytest.approx(corners[0][0] + 54 * across, abs=0.2)  # −6 dBFS
    slope = (corners[2][1] - corners[1][1]) / (corners[2][0] - corners[1][0])
    assert expected["y"] == pytest.approx(corners[1][1] + slope * (expected["x"] - corners[1][0]), abs=0.3)


def test_without_keys_or_with_too_many_there_is_no_drawing() -> None:
    assert who_ducks_whom([]) is None
    many = rows(*({} for _ in range(MOST_ROWS + 1)))
    assert (who_ducks_whom(many), depth_curves(many)) == (None, None)


def test_releases_stand_beside_the_nearest_note_value_at_each_tempo() -> None:
    shown = releases(rows({"release_ms": 130.0}, {"release_ms": None}), (120.0, 100.0))
    assert shown is not None
    (reading,) = shown["readings"]
    assert [(near["bpm"], near["name"], near["exact"], near["off"]) for near in reading["near"]] == [
        (120.0, "1/16", 125.0, "5.0 ms longer"),
        (100.0, "1/16", 150.0, "20.0 ms shorter"),
    ]
    assert releases(rows({"release_ms": None}), (120.0,)) is None


@pytest.mark.parametrize(("bpm", "quarter_ms"), [(60.0, 1000.0), (120.0, 500.0), (96.0, 625.0)])
def test_a_quarter_lasts_a_minute_over_the_tempo(bpm: float, quarter_ms: float) -> None:
    """60000/bpm ms, arithmetic; halves and quarters of it are the eighth and the sixteenth."""
    values = note_values_ms(bpm)
    assert (values["1/4"], values["1/8"], values["1/16"]) == (quarter_ms, quarter_ms / 2, quarter_ms / 4)
    assert nearest_value(quarter_ms * 0.9, bpm) == ("1/4", quarter_ms)
