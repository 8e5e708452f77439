"""Levels, Timing and Stems in the browser: a what-if is shown before it is applied."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from lattice.generate import generate
from tests.browser.test_main_job import Opener, at_version, now
from web.shelf.demo import night_ferry


def opened(page: Page, stored_pk: int, place: str) -> None:
    page.goto(f"/t/{stored_pk}/{place}/")
    page.wait_for_selector("body[data-ready]")


def test_a_fader_is_tried_discarded_tried_again_and_kept(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.in_work())
    opened(page, stored.pk, "levels")
    field = page.locator(".inflow input[name=fader_db]").first
    before = field.input_value()
    field.fill("-9")
    field.press("Enter")
    expect(page.locator("#panel h2").first).to_contain_text(": fader −9")
    expect(page.locator("#panel")).to_contain_text("Likely peak, dBFS")
    page.click("#panel [data-do=discard]")
    expect(page.locator("#panel h2").first).to_have_text("Endpoints")
    assert now() == night_ferry.in_work()  # nothing was stored
    field = page.locator(".inflow input[name=fader_db]").first
    assert field.input_value() == before
    field.fill("-9 dB")
    field.press("Enter")
    page.click("#do-it")
    at_version(page, 2)
    assert any(strip.fader_db == -9.0 for strip in now().strips)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    at_version(page, 3)
    assert now() == night_ferry.in_work()


def test_an_insert_and_a_source_are_tried_on_the_way_of_a_source(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.in_work())
    opened(page, stored.pk, "levels")
    state = page.locator(".steps select[name=state]").first
    state.select_option("bypassed")
    state.locator("xpath=following-sibling::button").click()
    expect(page.locator("#panel h2").first).to_contain_text("bypassed")
    page.click("#panel [data-do=discard]")
    source = page.locator(".steps input[name=peak_dbfs]")
    source.fill("-20")
    source.press("Enter")
    expect(page.locator("#panel h2").first).to_contain_text("at −20.0 dBFS")
    page.click("#do-it")
    at_version(page, 2)
    assert any(getattr(strip.source, "peak_dbfs", None) == -20.0 for strip in now().strips)


def test_timing_folds_many_strips_and_opens_a_section(page: Page, on_map: Opener) -> None:
    stored = on_map(generate(300))
    opened(page, stored.pk, "timing")
    rows = page.locator("svg.time .stage-words")
    folded = rows.count()
    page.locator("svg.time a[href^='?section=']").first.click()
    page.wait_for_url(re.compile(r"section="))
    assert rows.count() > folded
    page.click("text=/^Close /")
    expect(rows).to_have_count(folded)


def test_a_profile_is_changed_kept_and_taken_back(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.in_work())
    opened(page, stored.pk, "setup")
    page.fill("#p-name", "Dome")
    page.keyboard.press("Tab")
    at_version(page, 2)
    page.click("text=Save Dome for other templates")
    expect(page.locator("#p-preset")).to_contain_text("Dome")
    page.select_option("#p-preset", "atsc-a85")
    page.click("text=Apply preset")
    at_version(page, 3)
    expect(page.locator("#p-true_peak_dbtp")).to_have_value("−2")
    expect(page.locator("#place-body")).to_contain_text("ATSC A/85: −2 dBTP")
    page.keyboard.press("Control+z")
    at_version(page, 4)
    assert now().profile.name == "Dome"
