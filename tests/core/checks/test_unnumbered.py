"""Channels that are not given out yet: unfinished, with the numbering as their fix."""

from __future__ import annotations

from lattice.checks import audit
from lattice.edits import apply_steps
from tests.build import template

PANNED = {"id": "field", "kind": "bus", "layout": "discrete:8"}


def test_feeds_that_state_no_channel_are_numbered_in_order() -> None:
    made = template(["a:x", "a:y", "a:z", PANNED, "o:o"], ["x>field", "y>field", "z>field", "field>o"])
    (doubled,) = [one for one in audit(made).findings if one.code == "route.channels-doubled"]
    assert (doubled.severity, doubled.standing) == ("warning", "unfinished")
    after = apply_steps(made, doubled.remedies[0].steps)
    assert [route.channels for route in after.routes[:3]] == [((1, 1),), ((1, 2),), ((1, 3),)]
    assert not [one for one in audit(after).findings if one.code in ("route.channels-doubled", "route.channels-gap")]


def test_two_feeds_of_one_stated_channel_are_a_mistake() -> None:
    pairs = [{"from": name, "to": "field", "channels": [[1, 1]]} for name in "xy"]
    (doubled,) = [
        one for one in audit(template(["a:x", "a:y", PANNED], pairs)).findings if one.code == "route.channels-doubled"
    ]
    assert (doubled.standing, doubled.remedies) == ("wrong", ())
