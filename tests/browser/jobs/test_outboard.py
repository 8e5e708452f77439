"""Job 6: an outboard instrument, with its notes, its cable and the input it comes back on."""

from __future__ import annotations

from playwright.sync_api import Page

from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener
from tests.build import template

MADE = template(
    ["a:pad", {"id": "synths", "kind": "bus", "layout": "stereo"}, {"id": "out", "kind": "output", "layout": "stereo", "io": [1, 2]}],
    ["pad>synths", "synths>out -12"],
    sections=[{"id": "s", "name": "Synths", "bus": "synths"}],
    machines=[{"id": "main", "name": "Main", "input_latency_samples": 44}],
)  # fmt: skip


def test_an_outboard_instrument_in_one_step(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(MADE))
    hand.key("a")
    page.wait_for_selector("#outboard-name")
    hand.fill("#outboard-name", "Tide")
    hand.fill("#outboard-channel", "3")
    hand.fill("#outboard-inputs", "7")
    hand.pick("#outboard-section", label="Synths")
    writes(hand, lambda: hand.click("#panel >> text=Add with MIDI track"))
    counted(hand, "6 an outboard instrument", 6)
    assert hand.routes()[-4:] == [
        "midi tide-notes>tide", "feed tide>tide-out", "tie tide-out>tide-in", "feed tide-in>synths",
    ]  # fmt: skip
    arrivals, index = hand.space.analysis.arrivals, hand.space.graph.index
    span = arrivals.span(index["tide-in"])
    assert span is not None
    assert span.latest == 44 + 256  # the converter and one buffer
    assert hand.findings("blocker", "warning") == []
