"""Job 14: an instrument of twelve names by three articulations, heard through its bus."""

from __future__ import annotations

from playwright.sync_api import Page

from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener
from tests.build import template


def test_twelve_names_by_three_articulations(page: Page, on_map: Opener) -> None:
    stored = on_map(template(["x:mix", "o:out"], ["mix>out"]))
    hand = Hand(page, stored)
    hand.key("a")
    page.wait_for_selector("#art-name")
    hand.fill("#art-name", "Strings")
    hand.fill("#art-names", "\n".join(f"Player {n}" for n in range(1, 13)))
    hand.fill("#art-articulations", "long\nshort\ntremolo")
    hand.fill("#art-outlets", "long, short")
    writes(hand, lambda: hand.click(page.locator("form", has=page.locator("#art-name")).locator("button")))
    made = hand.template
    kit = next(strip for strip in made.strips if strip.kind == "instrument")
    assert len(kit.parts) == sum(strip.kind == "midi" for strip in made.strips) == 36
    ports = {part.name.rpartition(" ")[0]: set[int]() for part in kit.parts}
    for part in kit.parts:
        ports[part.name.rpartition(" ")[0]].add(part.port)
    assert all(len(found) == 1 for found in ports.values())
    assert hand.findings("blocker", "warning") == []
    counted(hand, "14 instrument × articulation", 8)
