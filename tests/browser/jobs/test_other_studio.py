"""Job 11: a studio without three plug-ins: which they are, what fails without them, what to take along."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.formats.inventory import dump
from lattice.model.inventory import Inventory, inventory_of
from tests.browser.jobs.hand import Hand, counted
from tests.browser.test_main_job import Opener
from web.shelf.demo import night_ferry

LACKS = {"Hall", "Echo", "Duck"}


def test_what_to_take_along_to_a_studio(page: Page, on_map: Opener) -> None:
    made = night_ferry.clean()
    needed = inventory_of(made, made.machines[0])
    there = Inventory(name="Quay", plugins=tuple(one for one in needed.plugins if one.name not in LACKS))
    stored = on_map(made)
    hand = Hand(page, stored)
    hand.click(".places >> text=Settings")
    page.wait_for_selector("body[data-ready]")
    hand.fill("#iv-name", "Quay")
    hand.fill("#iv-text", dump(there).decode())
    hand.click("form.bring-inventory button")
    expect(page.locator("h2", has_text="at Quay")).to_be_visible()
    said = page.locator("h2:has-text('at Quay') + p").inner_text()
    assert said.startswith(f"Without these 3 of {len(needed.plugins)}: ")
    for words in ("Long echo is dry", "Hall, choir is dry", "Ensemble is not ducked", "by more than 0.5 dB"):
        assert words in said
    missing = page.locator("table:has(th:text('Missing here')) tbody tr td:first-child").all_inner_texts()
    assert missing == ["Northmark Duck", "Tern Audio Echo", "Tern Audio Hall"]
    counted(hand, "11 a studio without three plug-ins", 6)
