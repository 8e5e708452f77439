"""Actions on selected strips: found by name, with the keyboard alone, from the side panel and the quick-open."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.generate import generate
from tests.browser.gestures import BAND
from tests.browser.jobs.hand import Hand, writes
from tests.browser.test_main_job import Opener


def shown(page: Page) -> list[str]:
    return [name.strip() for name in page.locator("#action-list li:not([hidden]) .action").all_inner_texts()]


def test_an_action_is_typed_and_done_and_then_comes_first(page: Page, on_map: Opener) -> None:
    stored = on_map(BAND, "?strips=lead%20double")
    hand = Hand(page, stored)
    assert shown(page)[0] == "Feed to…"
    page.keyboard.press("d")
    page.keyboard.type("inser")
    assert shown(page)[0] == "Add insert…"
    page.keyboard.press("Enter")
    page.fill("#bulk-insert", "Low cut low-cut 80")
    page.keyboard.press("Enter")
    page.wait_for_selector("#do-it")
    writes(hand, lambda: page.keyboard.press("Enter"))
    inserts = {strip.id: [insert.low_cut_hz for insert in strip.inserts] for strip in hand.template.strips}
    assert inserts["lead"][-1] == inserts["double"][-1] == 80
    expect(page.locator("#action-list li:not([hidden]) .action").first).to_have_text("Add insert…")


def test_arrows_walk_the_actions_and_the_quick_open_has_them(page: Page, on_map: Opener) -> None:
    on_map(BAND, "?strips=lead%20double")
    page.keyboard.press("d")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    assert page.evaluate("document.activeElement.textContent.trim()") == shown(page)[1]
    page.locator("#find").focus()
    page.keyboard.type("duck by")
    page.keyboard.press("Enter")
    expect(page.locator("#panel h2")).to_have_text("Duck by…")


def test_a_destination_of_many_is_completed_by_the_server(page: Page, on_map: Opener) -> None:
    stored = on_map(generate(1000))
    hand = Hand(page, stored)
    strips = [strip for strip in hand.template.strips if strip.kind == "audio"][:2]
    page.goto(f"/t/{stored.pk}/strips/?strips={strips[0].id}%20{strips[1].id}")
    page.wait_for_selector("body[data-ready]")
    hand.action("Feed to…")
    page.locator("#bulk-to").fill("effec")
    expect(page.locator("#bulk-to-list li").first).to_have_text("Effects")
    page.keyboard.press("Enter")
    page.click(".action-form .btn.act")
    page.wait_for_selector("#do-it")
    writes(hand, lambda: page.click("#do-it"))
    bus = next(strip.id for strip in hand.template.strips if strip.name == "Effects")
    assert {f"feed {strip.id}>{bus}" for strip in strips} <= set(hand.routes())


def test_a_free_physical_pair_typed_as_destination_makes_its_output(page: Page, on_map: Opener) -> None:
    stored = on_map(BAND, "?strip=lead")
    hand = Hand(page, stored)
    page.keyboard.press("c")
    page.keyboard.type("out 7-8")
    expect(page.locator("#find-list li").first).to_contain_text("Out 7–8")
    page.keyboard.press("Enter")
    writes(hand, lambda: page.click("#chooser-feed"))
    made = next(strip for strip in hand.template.strips if strip.name == "Out 7–8")
    assert (made.kind, made.io) == ("output", (7, 8))
    assert f"feed lead>{made.id}" in hand.routes()
