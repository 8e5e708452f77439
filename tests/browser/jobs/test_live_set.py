"""Job 9: a live set of five songs that alternate; levels count one song at a time."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page

from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener
from tests.build import template

SONGS = ("Harbour lights", "Slow tide", "Signal flags", "Night watch", "Landfall")
TRACKS = ("beat", "low", "chords")


def rows() -> str:
    head = "Name\tSection\tPeak\tRMS"
    return "\n".join([head, *(f"{song} {track}\t{song}\t-12\t-24" for song in SONGS for track in TRACKS)])


def test_five_songs_alternate(page: Page, on_map: Opener) -> None:
    stored = on_map(template([], []))
    hand = Hand(page, stored)
    hand.key("a")
    page.wait_for_selector("#add-names")
    hand.fill("#add-names", rows())
    hand.click("#add-buses")
    page.wait_for_selector("#rows-read table")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    assert len(hand.template.sections) == 5
    together = peak_at_output(hand)
    hand.click(".places >> text=Settings")
    page.wait_for_selector("body[data-ready]")
    for section in hand.template.sections:
        hand.click(f'.choice-of-sections input[value="{section.id}"]')
    hand.fill("#choice-name", "Songs")
    writes(hand, lambda: hand.click(".choice-of-sections button"))
    (choice,) = hand.template.choices
    assert (choice.name, choice.sounding, choice.by, len(choice.members)) == ("Songs", 1, "turn", 5)
    assert together == pytest.approx(5 * peak_at_output(hand))
    assert hand.findings("blocker", "warning") == []
    counted(hand, "9 a live set that alternates", 14)


def peak_at_output(hand: Hand) -> float:
    """The worst case at the output, linear."""
    space = hand.space
    (number,) = space.graph.by_kind["output"]
    return max(space.analysis.levels.stages[number][0].levels.p)
